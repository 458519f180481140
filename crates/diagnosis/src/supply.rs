//! Supply first (N3): the battery read at rest, under load, while cranking and while charging, each
//! against what this vehicle's sound supply would show.

use crate::evidence::reading;
use crate::model::{Model, ModelError};
use crate::next::candidates::cavity_of;
use crate::verdict::{self, Verdict};
use crate::words;
use circuit::{Instrument, Probe};
use vehicle::{Engine, KeyPosition, NamedState};

/// A reading of the supply.
#[derive(Debug, Clone, PartialEq)]
pub struct SupplyCheck {
    /// `rest`, `load`, `crank` or `charging`.
    pub kind: &'static str,
    /// The named state in which it is taken.
    pub state: NamedState,
    /// Across the battery's posts.
    pub probe: Probe,
    /// What a sound vehicle shows, volts: value and one standard deviation.
    pub sound: (f64, f64),
    /// The same in words.
    pub expected: String,
}

/// A battery that reads lower than it should by more than its charge explains is weak, volts.
const MUCH: f64 = 0.8;
/// A driven output that may stay on for so long is a steady load, seconds.
const STEADY_S: f64 = 15.0;

impl SupplyCheck {
    /// What a reading says of the supply itself, whatever is suspected.
    pub fn judge(&self, volts: f64) -> (Verdict, String) {
        let (healthy, sigma) = self.sound;
        let off = volts - healthy;
        if off.abs() <= verdict::SOUND * sigma {
            return (Verdict::Good, "as it should be".to_owned());
        }
        let by = words::value(Instrument::Volts, off.abs());
        let why = match (self.kind, off < 0.0) {
            (_, false) if self.kind == "charging" => {
                format!("{by} too high: the generator overcharges; modules may store codes of that")
            }
            (_, false) => format!("{by} above what it holds alone: a charger is on?"),
            ("rest", true) if off < -MUCH => {
                format!("{by} low: charge it first; codes set meanwhile may be false")
            }
            ("rest", true) => format!("{by} low: clip a charger on before the key is long on"),
            ("load", true) => format!("{by} low: it gives way; battery, posts or main ground"),
            ("crank", true) => format!("{by} low: modules may reset while cranking"),
            _ => format!("{by} low: hardly charging; generator, its line or its ground"),
        };
        (Verdict::Bad, why)
    }
}

/// A voltmeter across the battery's posts; none for a vehicle without a battery.
pub fn probe(model: &Model) -> Option<Probe> {
    let v = &model.circuit.vehicle;
    let (battery, plus, minus) = v.parts.iter_enumerated().find_map(|(k, part)| {
        part.elements.iter().find_map(|e| e.posts()).map(|(plus, minus)| (k, plus, minus))
    })?;
    let post = |pin: &str| format!("{}:part", cavity_of(v, battery, pin));
    Some(Probe { instrument: Instrument::Volts, red: post(plus), black: post(minus) })
}

/// The readings that judge the supply; empty for a vehicle without a battery. Solves some states,
/// slow the first time.
///
/// # Errors
/// [`ModelError`] for states that do not fit the vehicle.
pub fn checks(model: &Model) -> Result<Vec<SupplyCheck>, ModelError> {
    let v = &model.circuit.vehicle;
    let Some(probe) = probe(model) else { return Ok(Vec::new()) };
    let (red, black) = (model.circuit.node(&probe.red)?, model.circuit.node(&probe.black)?);
    let volts = |s: &NamedState| model.predict(&s.state).healthy.between(red, black);
    let plain = |s: &&NamedState| !s.state.charger && s.state.outputs.is_empty();
    let quick = |of: &dyn Fn(&NamedState) -> bool| {
        let all = v.states.iter().filter(plain).filter(|s| of(s));
        // Least that has to be brought about: a cold day, say, comes with no button.
        let set = |s: &NamedState| s.state.switches.len() + s.state.stimuli.len();
        all.min_by(|a, b| set(a).cmp(&set(b)).then(a.minutes.total_cmp(&b.minutes)))
    };
    // What the key alone switches on is no load of its own.
    let key = vehicle::OperatingState { key: KeyPosition::On, ..Default::default() };
    let always = model.predict(&key).solution.asked.clone();
    let rest = quick(&|s| s.state.key == KeyPosition::Off);
    let load = v
        .states
        .iter()
        .filter(plain)
        .filter(|s| s.state.key == KeyPosition::On && s.state.engine == Engine::Off)
        .filter(|s| {
            let on = &model.predict(&s.state).solution.asked;
            let more = on.iter().filter(|o| !always.contains(o));
            more.into_iter().all(|o| v.outputs[*o].limit_s >= STEADY_S)
        })
        .min_by(|a, b| volts(a).total_cmp(&volts(b)));
    let crank = quick(&|s| s.state.key == KeyPosition::Start);
    let charging = quick(&|s| s.state.engine == Engine::Running);
    let kinds = [("rest", rest), ("load", load), ("crank", crank), ("charging", charging)];
    let mut out = Vec::new();
    for (kind, state) in kinds {
        let Some(state) = state else { continue };
        let sound = reading::sound(model, &state.state, &probe)?;
        out.push(SupplyCheck {
            kind,
            state: state.clone(),
            probe: probe.clone(),
            sound: (sound.healthy, sound.sigma),
            expected: verdict::healthy_range(probe.instrument, sound.healthy, sound.sigma),
        });
    }
    Ok(out)
}
