//! Before a module is condemned (N10): its supplies and grounds proven under load, its bus at its
//! own pins, the inputs behind its codes, and the contacts that feed it, which no reading on the
//! harness side shows. What is open is offered as a check, the quickest first. Of a module that is
//! nearly certain only what could still make a good one look so is asked.

use crate::evidence::reading::sound;
use crate::evidence::{Evidence, Finding, Sight, seen};
use crate::model::{HypIx, ItemIx, Model, ModelError, shown};
use crate::next::candidates::{Candidate, Here, What, cavity_of};
use crate::posterior::{CERTAIN, Posterior};
use crate::verdict::{SOUND, healthy_range};
use crate::words;
use circuit::{Circuit, Instrument, Probe};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use utoipa::ToSchema;
use vehicle::element::Feed;
use vehicle::{Item, OperatingState, PartId, PartIx, SignalSource};

/// How a point stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Standing {
    /// Measured and sound.
    Proven,
    /// Measured and not sound: the module is not what is wrong, or not first.
    Failed,
    /// Not measured yet.
    Open,
}

/// One thing to be proven.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct GatePoint {
    /// What, in words.
    pub text: String,
    /// How it stands.
    pub standing: Standing,
    /// What proved or failed it, in words.
    pub by: String,
    /// Quantity of the check that would prove it: of a reading, or `seen`.
    pub quantity: String,
    /// Red lead, or the cavity to look at.
    pub red: String,
    /// Black lead; empty for a look.
    pub black: String,
    /// State of that check.
    pub state: OperatingState,
    /// State in words.
    pub state_text: String,
    /// Sound range in words.
    pub expected: String,
    /// What else still suspected it would rule out, likeliest first; empty where nothing is.
    pub rules_out: Vec<String>,
}

impl GatePoint {
    /// The check that would prove it.
    pub fn check(&self) -> Candidate {
        let (red, black) = (self.red.clone(), self.black.clone());
        let what = match Instrument::from_name(&self.quantity) {
            Some(instrument) => What::Reading(Probe { instrument, red, black }),
            None => What::Look { at: red },
        };
        Candidate::new(what, self.state.clone(), "gate")
    }
}

/// Chance of what a point would rule out, from which on it is asked of a module that is nearly certain.
const RISK: f64 = 5e-4;
/// Hypotheses less likely than this are no risk, and things named that a point would rule out.
const NO_RISK: f64 = 1e-6;
const NAMED: usize = 2;

/// What must be proven before a module may be named.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Gate {
    /// Module part.
    pub module: PartId,
    /// Its name.
    pub text: String,
    /// The points.
    pub points: Vec<GatePoint>,
    /// How many are not proven.
    pub open: usize,
}

/// Whether a repair item is a module.
pub fn is_module(circuit: &Circuit, item: &Item) -> bool {
    let part = item.as_part().and_then(|id| circuit.part(id));
    part.is_some_and(|p| circuit.vehicle.parts[p].module.is_some())
}

/// A current through a pin from which on it counts as loaded, amperes.
const LOADED_AMPS: f64 = 0.05;

/// The gate of a module; none when the part is not one.
///
/// # Errors
/// [`ModelError`].
pub fn gate(
    model: &Model,
    evidence: &[Evidence],
    posterior: &Posterior,
    module: &str,
) -> Result<Option<Gate>, ModelError> {
    let c = &model.circuit;
    let Some(at) = c.part(module).filter(|p| c.vehicle.parts[*p].module.is_some()) else {
        return Ok(None);
    };
    let part = &c.vehicle.parts[at];
    // Pin, what is to be proven of it, and whether only a reading under load proves it.
    let mut wanted: Vec<(String, String, bool)> = Vec::new();
    let mut feeds: Vec<&str> = Vec::new();
    for e in &part.elements {
        if let Some(Feed { plus, minus, wake, .. }) = e.feed() {
            feeds.extend([plus, minus].into_iter().chain(wake));
            wanted.push((plus.to_owned(), format!("supply at pin {plus}, under load"), true));
            wanted.push((minus.to_owned(), format!("ground at pin {minus}, under load"), true));
            if let Some(wake) = wake {
                wanted.push((wake.to_owned(), format!("wake-up at pin {wake}"), false));
            }
        }
        for (line, pin) in e.bus_end().map(|end| end.named_lines()).unwrap_or_default() {
            wanted.push((pin.to_owned(), format!("{line} at its own pin {pin}"), false));
        }
    }
    for (pin, code) in inputs(model, evidence, module) {
        wanted.push((pin.clone(), format!("input at pin {pin}, behind {code}"), false));
    }
    let mut seen = BTreeSet::new();
    let mut points = Vec::new();
    for (pin, text, under_load) in wanted {
        if seen.insert(pin.clone())
            && let Some(point) = point(model, evidence, (at, &pin), text, under_load)?
        {
            points.push(point);
        }
    }
    let contacts: BTreeSet<String> =
        feeds.into_iter().filter_map(|pin| cavity(c, at, pin)).collect();
    points.extend(contacts.into_iter().map(|cavity| contact(evidence, cavity)));
    let own = model.item(&Item::part(module));
    let nearly_certain = own.is_some_and(|own| posterior.items[own] > CERTAIN);
    let mut kept = Vec::new();
    for mut point in points {
        let rivals = rivals(model, posterior, own, &point)?;
        point.rules_out = rivals
            .iter()
            .take(NAMED)
            .map(|(item, _)| model.item_text(&model.items[*item]))
            .collect();
        let risk: f64 = rivals.iter().map(|(_, p)| p).sum();
        if !nearly_certain || point.standing != Standing::Open || risk > RISK {
            kept.push(point);
        }
    }
    let at_rest = OperatingState::default();
    let here = Here::after(model, posterior, evidence, &at_rest);
    kept.sort_by_cached_key(|p| (100.0 * p.check().minutes(model, &here)) as u64);
    let points = kept;
    let open = points.iter().filter(|p| p.standing != Standing::Proven).count();
    Ok(Some(Gate { module: module.into(), text: part.name.clone(), points, open }))
}

/// What else is suspected that would show at an open point, with its probability, likeliest first.
fn rivals(
    model: &Model,
    posterior: &Posterior,
    own: Option<ItemIx>,
    point: &GatePoint,
) -> Result<Vec<(ItemIx, f64)>, ModelError> {
    if point.standing != Standing::Open {
        return Ok(Vec::new());
    }
    let suspected: Vec<HypIx> = model
        .faults
        .keys()
        .filter(|h| posterior.hypotheses[*h] > NO_RISK && Some(model.item_of[*h]) != own)
        .collect();
    let mut of_item: BTreeMap<ItemIx, f64> = BTreeMap::new();
    let mut add =
        |h: HypIx| *of_item.entry(model.item_of[h]).or_default() += posterior.hypotheses[h];
    match point.check().what {
        What::Reading(probe) => {
            let leads = probe.leads(&model.circuit)?;
            let expected = sound(model, &point.state, &probe)?;
            let p = model.predict_some(&point.state, &suspected);
            let shows = |h: &HypIx| {
                let value =
                    p.fault(*h).map_or(expected.healthy, |s| shown(leads, &model.circuit, s));
                (value - expected.healthy).abs() > SOUND * expected.sigma
            };
            suspected.into_iter().filter(shows).for_each(&mut add);
        }
        _ => {
            // Most of what is wrong there is seen when one looks.
            let shows = |h: &HypIx| seen::chances(model, &point.red, &model.faults[*h])[0] < 0.5;
            suspected.into_iter().filter(shows).for_each(&mut add);
        }
    }
    let mut ranked: Vec<(ItemIx, f64)> = of_item.into_iter().collect();
    ranked.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    Ok(ranked)
}

/// Pins behind the module's codes that are failing.
fn inputs(model: &Model, evidence: &[Evidence], module: &str) -> Vec<(String, String)> {
    let v = &model.circuit.vehicle;
    let mut out = Vec::new();
    for e in evidence {
        let Finding::Code { module: m, code, failure_type, failing: true } = &e.finding else {
            continue;
        };
        if m != module {
            continue;
        }
        let monitor = model.monitor_of(m, *code, *failure_type);
        for id in monitor.map(|k| v.monitors[k].fails.signals()).unwrap_or_default() {
            let signal = v.signals.iter().find(|s| s.id == id && s.module == *module);
            if let Some(SignalSource::PinVolts { pin, .. }) = signal.map(|s| &s.from) {
                out.push((pin.clone(), format!("{code}-{failure_type}")));
            }
        }
    }
    out
}

/// The harness side of a module's pin.
fn cavity(c: &Circuit, part: PartIx, pin: &str) -> Option<String> {
    let name = cavity_of(&c.vehicle, part, pin);
    c.node(&name).is_ok().then_some(name)
}

/// A contact that feeds the module: looked at with its connector apart, its grip tried.
fn contact(evidence: &[Evidence], cavity: String) -> GatePoint {
    let (mut standing, mut by) = (Standing::Open, String::new());
    for e in evidence {
        let Finding::Seen { at, sight } = &e.finding else { continue };
        if *at != cavity {
            continue;
        }
        by = words::sight(*sight).to_owned();
        standing = match sight {
            Sight::Nothing if standing == Standing::Open => Standing::Proven,
            Sight::Nothing => standing,
            _ => Standing::Failed,
        };
    }
    GatePoint {
        text: format!("contact {cavity} clean, at home, grips a test pin"),
        standing,
        by,
        quantity: "seen".to_owned(),
        red: cavity,
        black: String::new(),
        state: OperatingState::default(),
        state_text: "unplugged".to_owned(),
        expected: "nothing to see".to_owned(),
        rules_out: Vec::new(),
    }
}

fn point(
    model: &Model,
    evidence: &[Evidence],
    (part, pin): (PartIx, &str),
    text: String,
    needs_load: bool,
) -> Result<Option<GatePoint>, ModelError> {
    let c = &model.circuit;
    let Some(red) = cavity(c, part, pin) else {
        return Ok(None);
    };
    let node = c.node(&red)?;
    // The state in which most current flows there, among those a key makes.
    let states = c.vehicle.states.iter().filter(|s| s.state.key == vehicle::KeyPosition::On);
    let loaded =
        states.map(|s| (c.load_at(&model.predict(&s.state).solution, node), s)).max_by(|a, b| {
            let quick = |s: &vehicle::NamedState| -s.minutes;
            let step = |amps: f64| (amps / LOADED_AMPS).min(20.0).round();
            step(a.0).total_cmp(&step(b.0)).then(quick(a.1).total_cmp(&quick(b.1)))
        });
    let state = loaded.map(|(_, s)| s.state.clone()).unwrap_or_default();
    let probe = Probe::volts(&red, &c.reference);
    let expected = sound(model, &state, &probe)?;
    let (mut standing, mut by) = (Standing::Open, String::new());
    for e in evidence {
        let Finding::Reading { instrument: Instrument::Volts, red: r, black, value: Some(value) } =
            &e.finding
        else {
            continue;
        };
        let here = |id: &str| c.node(id).is_ok_and(|n| n == node);
        if !here(r) && !here(black) {
            continue;
        }
        let taken = Probe::volts(r, black);
        // Without load a reading proves little.
        let amps = c.load_at(&model.predict(&e.state).solution, node);
        let under_load = amps > LOADED_AMPS || !needs_load;
        let e_sound = sound(model, &e.state, &taken)?;
        let good = (value - e_sound.healthy).abs() <= SOUND * e_sound.sigma;
        if !good {
            (standing, by) = (Standing::Failed, words::evidence(model, e));
        } else if under_load && standing == Standing::Open {
            (standing, by) = (Standing::Proven, words::evidence(model, e));
        }
    }
    Ok(Some(GatePoint {
        text,
        standing,
        by,
        quantity: Instrument::Volts.name().to_owned(),
        red,
        black: c.reference.clone(),
        state_text: words::state(model, &state),
        state,
        expected: healthy_range(Instrument::Volts, expected.healthy, expected.sigma),
        rules_out: Vec::new(),
    }))
}
