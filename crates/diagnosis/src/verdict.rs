//! Good, bad or cannot tell: what a reading is worth, with why.

use crate::evidence::reading::log_likelihood;
use crate::model::{Model, ModelError};
use crate::posterior::Posterior;
use crate::words;
use crate::{isolation, network};
use circuit::meter::Leads;
use circuit::{Change, Instrument, NodeId, Probe};
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::{OperatingState, PartIx};

/// The verdict on a reading.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// As a sound vehicle reads, and a suspect would have shown.
    Good,
    /// Not as a sound vehicle reads.
    Bad,
    /// As a sound vehicle reads, but so do the suspects.
    CannotTell,
}

/// A judged reading.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Judged {
    /// Good, bad or cannot tell.
    pub verdict: Verdict,
    /// Healthy range in words.
    pub expected: String,
    /// Why, in a sentence.
    pub why: String,
}

/// Standard deviations either side of the healthy value that still count as sound.
pub const SOUND: f64 = 2.5;
/// Share of what was suspected that a sound reading must speak against to be called good.
const REFUTES: f64 = 0.15;
/// Less is no suspicion: all hypotheses together stay below a hundredth of a percent.
const NOTHING: f64 = 1e-9;
/// The same where nothing loads the line, which hides most faults.
const REFUTES_ALTHOUGH: f64 = 0.35;
/// Below this load a series resistance in a supply line does not show, amperes.
const LOADED_AMPS: f64 = 0.02;
/// From this current on, in some state, a line is one that feeds a load, amperes.
const LOAD_AMPS: f64 = 0.1;

/// The healthy range in words.
pub fn healthy_range(instrument: Instrument, healthy: f64, sigma: f64) -> String {
    let spread = SOUND * sigma;
    let low = match instrument {
        Instrument::Ohms | Instrument::Lamp5 | Instrument::Lamp21 | Instrument::Led => {
            (healthy - spread).max(0.0)
        }
        _ => healthy - spread,
    };
    words::range(instrument, low, healthy + spread)
}

/// Source resistance from which on a voltmeter's ten megohms bend what it shows, ohms.
const HIGH_OHMIC: f64 = 200e3;
/// Current of a test lamp that a module's output takes amiss, share of its limit.
const LAMP_SHARE: f64 = 0.3;

/// Why a reading with this probe in this state would tell nothing, when nothing loads the line.
pub fn trap(model: &Model, state: &OperatingState, probe: &Probe) -> Option<String> {
    traps(model, state, probe).into_iter().next()
}

/// Everything that makes a planned reading misleading or harmful (N24), worst first.
pub fn traps(model: &Model, state: &OperatingState, probe: &Probe) -> Vec<String> {
    let c = &model.circuit;
    let (Ok(red), Ok(leads)) = (c.node(&probe.red), probe.leads(c)) else {
        return Vec::new();
    };
    let p = model.predict(state);
    let mut out = Vec::new();
    match probe.instrument {
        Instrument::Volts => {
            let Ok(black) = c.node(&probe.black) else { return out };
            let volts = p.healthy.between(red, black);
            let with = crate::evidence::reading::read(model, state, &[], leads);
            if (with - volts).abs() > 0.05 {
                out.push(format!(
                    "This point hangs on more than {:.0} kΩ here: the meter's own 10 MΩ change what it shows ({volts:.2} V without it, {with:.2} V with it).",
                    HIGH_OHMIC / 1e3
                ));
            }
            out.extend(unloaded(model, state, probe));
        }
        Instrument::Ohms => {
            let Ok(black) = c.node(&probe.black) else { return out };
            let live = |n: NodeId| p.solution.volts[n].abs() > 0.05;
            if live(red) || live(black) {
                out.push("The circuit is live here: the ohmmeter shows the circuit's own voltage, not resistance. Take the supply away first.".to_owned());
            } else if state.unplugged.is_empty() {
                out.push("Both ends are still plugged: other paths lie in parallel, and a strand or a spot that carries a milliampere reads well. A voltage drop under load tells more.".to_owned());
            }
        }
        Instrument::Lamp5 | Instrument::Lamp21 | Instrument::Shunt | Instrument::Jumper => {
            out.extend(heavy(model, state, leads, probe));
        }
        _ => {}
    }
    out.extend(unplugging(model, state));
    out
}

/// A live point without load: nothing would drop across a bad contact. Only where a load can be: a
/// reference or a signal never carries more.
fn unloaded(model: &Model, state: &OperatingState, probe: &Probe) -> Option<String> {
    let c = &model.circuit;
    if probe.instrument != Instrument::Volts {
        return None;
    }
    let (red, black) = (c.node(&probe.red).ok()?, c.node(&probe.black).ok()?);
    let p = model.predict(state);
    let amps = c.load_at(&p.solution, red);
    let carries = |n: &vehicle::NamedState| c.load_at(&model.predict(&n.state).solution, red);
    let loaded = || c.vehicle.states.iter().any(|n| carries(n) > LOAD_AMPS);
    (p.healthy.between(red, black).abs() > 1.0 && amps < LOADED_AMPS && loaded()).then(|| {
        format!(
            "Nothing draws current through {} in this state ({amps:.3} A): even 2.2 Ω in series would drop only {:.3} V. Read it with the load connected and running.",
            probe.red,
            amps * 2.2
        )
    })
}

/// Outputs and signal pins that a load from a tool would overload.
fn heavy(model: &Model, state: &OperatingState, leads: Leads, probe: &Probe) -> Vec<String> {
    let c = &model.circuit;
    let p = model.predict(state);
    let mut sweep = p.sweep.clone();
    let changes: Vec<Change> = leads.change().into_iter().collect();
    let with = sweep.solve(&changes);
    let mut out = Vec::new();
    for placed in &c.devices {
        let part = &c.vehicle.parts[placed.part];
        let Some(gives) = part.elements[placed.element].gives() else { continue };
        let (pin, limit) = (gives.pin, gives.limit_amps);
        let Some(branch) = placed.branches.first() else { continue };
        let (before, now) = (p.solution.amps(c, *branch).abs(), with.amps(*branch).abs());
        if now - before > LAMP_SHARE * limit {
            out.push(format!(
                "It loads pin {pin} of {} {} with {:.2} A more (its limit is {limit:.2} A): the module may switch off and store a false fault. Use a voltmeter at {}.",
                part.name, part.id, now - before, probe.red
            ));
        }
    }
    out.truncate(2);
    out
}

/// What the unplugged connectors of a state do beside what is wanted.
fn unplugging(model: &Model, state: &OperatingState) -> Vec<String> {
    if state.unplugged.is_empty() {
        return Vec::new();
    }
    let c = &model.circuit;
    let v = &c.vehicle;
    let mut out = Vec::new();
    let plugged = state.plugged();
    let before = isolation::silent(model, &plugged);
    let lost: Vec<String> =
        isolation::silent(model, state).into_iter().filter(|m| !before.contains(m)).collect();
    if !lost.is_empty() {
        out.push(format!(
            "Unplugged like this, {} no longer answer and others will complain about them.",
            lost.join(" ")
        ));
    }
    for id in &state.unplugged {
        let pulled = |part: PartIx| {
            let k = c.names.connector(id);
            let of = k.and_then(|k| v.connectors[k].part.as_ref());
            of == Some(&v.parts[part].id) || v.parts[part].id == *id.as_str()
        };
        for bus in &v.buses {
            let line_of = network::lines_of(c, bus);
            let ends = v.parts.keys().any(|k| pulled(k) && network::terminates(c, &line_of, k));
            if ends {
                out.push(format!("{id} carries a terminator of {}: without it the bus is worse, which is no finding.", bus.name));
            }
        }
    }
    out
}

/// Judges a value against the healthy vehicle and against what the suspects predict.
///
/// # Errors
/// [`ModelError`] for points that do not exist.
pub fn judge(
    model: &Model,
    before: &Posterior,
    state: &OperatingState,
    probe: &Probe,
    value: Option<f64>,
) -> Result<Judged, ModelError> {
    let e = model.expect(state, probe)?;
    let read = value.unwrap_or(f64::INFINITY);
    let range = healthy_range(probe.instrument, e.healthy, e.sigma);
    let sound = match (read.is_finite(), e.healthy.is_finite()) {
        (true, true) => (read - e.healthy).abs() <= SOUND * e.sigma,
        (a, b) => a == b,
    };
    if !sound {
        return Ok(Judged {
            verdict: Verdict::Bad,
            why: format!("A sound vehicle reads {range} here."),
            expected: range,
        });
    }
    let own = log_likelihood(probe.instrument, read, e.healthy, e.sigma);
    let refuted: f64 = e
        .faults
        .iter()
        .zip(&before.hypotheses)
        .filter(|(_, p)| **p > NOTHING)
        .filter(|((v, s), _)| log_likelihood(probe.instrument, read, *v, *s) < own - 1.6)
        .map(|(_, p)| p)
        .sum();
    let enough = match unloaded(model, state, probe) {
        Some(_) => REFUTES_ALTHOUGH,
        None => REFUTES,
    };
    if refuted >= enough {
        return Ok(Judged {
            verdict: Verdict::Good,
            why: format!(
                "As a sound vehicle reads; it speaks against {:.0} % of what was suspected.",
                refuted * 100.0
            ),
            expected: range,
        });
    }
    let why = trap(model, state, probe).unwrap_or_else(|| {
        format!(
            "Nearly every remaining suspect predicts this reading too; it speaks against {:.0} % of what was suspected.",
            refuted * 100.0
        )
    });
    Ok(Judged { verdict: Verdict::CannotTell, expected: range, why })
}
