//! Supply first (N3): the battery read at rest, under load, while cranking and while charging, each
//! against what this vehicle's sound supply would show.

use crate::evidence::reading;
use crate::model::{Model, ModelError};
use crate::next::candidates::cavity_of;
use crate::verdict;
use circuit::{Instrument, Probe};
use vehicle::{Element, Engine, KeyPosition, NamedState};

/// A reading of the supply.
#[derive(Debug, Clone, PartialEq)]
pub struct SupplyCheck {
    /// `rest`, `load`, `crank` or `charging`.
    pub kind: &'static str,
    /// The named state in which it is taken.
    pub state: NamedState,
    /// Across the battery's posts.
    pub probe: Probe,
    /// What a sound vehicle shows, in words.
    pub expected: String,
}

/// The readings that judge the supply; empty for a vehicle without a battery.
///
/// # Errors
/// [`ModelError`] for states that do not fit the vehicle.
pub fn checks(model: &Model) -> Result<Vec<SupplyCheck>, ModelError> {
    let v = &model.circuit.vehicle;
    let posts = v.parts.iter().enumerate().find_map(|(k, part)| {
        part.elements.iter().find_map(|e| match e {
            Element::Battery { plus, minus, .. } => Some((k, plus, minus)),
            _ => None,
        })
    });
    let Some((battery, plus, minus)) = posts else { return Ok(Vec::new()) };
    let post = |pin: &str| format!("{}:part", cavity_of(v, battery, pin));
    let probe = Probe { instrument: Instrument::Volts, red: post(plus), black: post(minus) };
    let (red, black) = (model.circuit.node(&probe.red)?, model.circuit.node(&probe.black)?);
    let volts = |s: &NamedState| model.predict(&s.state).healthy.between(red, black);
    let plain = |s: &&NamedState| !s.state.charger && s.state.outputs.is_empty();
    let quick = |of: &dyn Fn(&NamedState) -> bool| {
        let all = v.states.iter().filter(plain).filter(|s| of(s));
        all.min_by(|a, b| a.minutes.total_cmp(&b.minutes))
    };
    let rest = quick(&|s| s.state.key == KeyPosition::Off);
    let load = v
        .states
        .iter()
        .filter(plain)
        .filter(|s| s.state.key == KeyPosition::On && s.state.engine == Engine::Off)
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
            expected: verdict::healthy_range(probe.instrument, sound.healthy, sound.sigma),
        });
    }
    Ok(out)
}
