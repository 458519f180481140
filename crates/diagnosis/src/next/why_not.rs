//! Why not the check the technician had in mind (N24): what it could tell, the traps in it, and a
//! better one.

use super::candidates::{Candidate, What};
use super::value::Scales;
use super::{Ask, Check, Outcome, checks};
use crate::model::{HypIx, ModelError};
use crate::verdict;
use circuit::Probe;
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::OperatingState;

/// What a reading that somebody had in mind is worth.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Worth {
    /// Expected information, bits.
    pub bits: f64,
    /// Minutes of work.
    pub minutes: f64,
    /// What it reads on a sound vehicle, in words.
    pub expected: String,
    /// What makes it misleading or harmful; empty when nothing does.
    pub traps: Vec<String>,
    /// In a sentence: worth it or not, and against what.
    pub text: String,
    /// Its outcomes with what each would leave.
    pub outcomes: Vec<Outcome>,
    /// A better check; none when it is the best.
    pub better: Option<Check>,
}

/// Weighs a reading as the next check.
///
/// # Errors
/// [`ModelError`] for points or states that do not exist.
pub fn worth(ask: &Ask<'_>, state: &OperatingState, probe: &Probe) -> Result<Worth, ModelError> {
    let model = ask.model;
    model.circuit.check_state(state)?;
    probe.leads(&model.circuit)?;
    let named = model.circuit.vehicle.states.iter().find(|s| s.state == *state);
    let id = named.map_or("now", |s| s.id.as_str());
    let candidate = Candidate::new(What::Reading(probe.clone()), state.clone(), id);
    let live = super::live_of(ask);
    let hypotheses: Vec<HypIx> =
        model.faults.keys().filter(|h| ask.posterior.hypotheses[*h] > 1e-6).collect();
    model.predict_some(state, &hypotheses);
    let scales = Scales::new(model, ask.posterior, &live).loaded();
    let table = scales.table(&candidate);
    let bits = table.as_ref().map_or(0.0, |t| scales.information(t));
    let disturbed = super::Wavering::new(ask, &live).minutes(&candidate);
    let minutes = candidate.minutes(ask.model, &ask.here()) + disturbed;
    let sound = crate::evidence::reading::sound(model, state, probe)?;
    let traps = verdict::traps(model, state, probe);
    let best = checks(ask, 1)?.checks.into_iter().next();
    let rate = bits / minutes;
    let better =
        best.filter(|b| b.id != candidate.id().as_str() && b.information_bits / b.minutes > rate);
    let text = match (&better, bits) {
        (_, b) if b < 0.02 => {
            "All that is suspected reads the same here, as far as a meter shows: it can tell nothing."
                .to_owned()
        }
        (Some(b), _) => format!(
            "It tells {bits:.2} bit in {minutes:.1} min; “{}” tells {:.2} bit in {:.1} min.",
            b.text, b.information_bits, b.minutes
        ),
        (None, _) => {
            format!("It tells {bits:.2} bit in {minutes:.1} min; nothing in reach tells more.")
        }
    };
    Ok(Worth {
        bits,
        minutes,
        expected: verdict::healthy_range(probe.instrument, sound.healthy, sound.sigma),
        traps,
        text,
        outcomes: table.map(|t| scales.outcomes(&t)).unwrap_or_default(),
        better,
    })
}
