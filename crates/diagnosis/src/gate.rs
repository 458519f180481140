//! Before a module is condemned (N10): its supplies and grounds proven under load, its bus at its
//! own pins, the inputs behind its codes, and the contacts that feed it, which no reading on the
//! harness side shows. What is open is offered as a check.

use crate::evidence::reading::sound;
use crate::evidence::{Evidence, Finding, Sight};
use crate::model::{Model, ModelError};
use crate::next::candidates::{Candidate, What, cavity_of};
use crate::verdict::{SOUND, healthy_range};
use crate::words;
use circuit::{Circuit, Instrument, Probe};
use serde::Serialize;
use std::collections::BTreeSet;
use utoipa::ToSchema;
use vehicle::{Element, OperatingState, SignalSource};

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

/// What must be proven before a module may be named.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Gate {
    /// Module part.
    pub module: String,
    /// Its name.
    pub text: String,
    /// The points.
    pub points: Vec<GatePoint>,
    /// How many are not proven.
    pub open: usize,
}

/// Whether a repair item is a module.
pub fn is_module(circuit: &Circuit, item: &str) -> bool {
    let part = item.strip_prefix("part:").and_then(|id| circuit.part(id));
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
    module: &str,
) -> Result<Option<Gate>, ModelError> {
    let c = &model.circuit;
    let Some(at) = c.part(module).filter(|p| c.vehicle.parts[*p].module.is_some()) else {
        return Ok(None);
    };
    let part = &c.vehicle.parts[at];
    // Pin, what is to be proven of it, and whether only a reading under load proves it.
    let mut wanted: Vec<(String, String, bool)> = Vec::new();
    let mut feeds: Vec<&String> = Vec::new();
    for e in &part.elements {
        match e {
            Element::Supply { plus, minus, wake, .. } => {
                feeds.extend([plus, minus].into_iter().chain(wake));
                wanted.push((plus.clone(), format!("supply at pin {plus}, under load"), true));
                wanted.push((minus.clone(), format!("ground at pin {minus}, under load"), true));
                if let Some(wake) = wake {
                    wanted.push((wake.clone(), format!("wake-up at pin {wake}"), false));
                }
            }
            Element::CanTransceiver { bus, high, low, .. } => {
                wanted.push((high.clone(), format!("{bus} high at its own pin {high}"), false));
                wanted.push((low.clone(), format!("{bus} low at its own pin {low}"), false));
            }
            Element::LinTransceiver { bus, pin, .. } => {
                wanted.push((pin.clone(), format!("{bus} at its own pin {pin}"), false));
            }
            _ => {}
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
    let open = points.iter().filter(|p| p.standing != Standing::Proven).count();
    Ok(Some(Gate { module: module.to_owned(), text: part.name.clone(), points, open }))
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
        let monitor = model.monitor_of(m, code, failure_type);
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
fn cavity(c: &Circuit, part: usize, pin: &str) -> Option<String> {
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
    }
}

fn point(
    model: &Model,
    evidence: &[Evidence],
    (part, pin): (usize, &str),
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
    }))
}
