//! What one would read here if: under a sound vehicle, and under each suspect.

use crate::evidence::reading;
use crate::model::{Model, ModelError};
use crate::suspects::Suspect;
use crate::verdict::healthy_range;
use crate::words;
use circuit::{Probe, fault};
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::{Item, OperatingState};

/// What a reading would show if something were the case.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct If {
    /// Repair item; none for a healthy vehicle.
    pub item: Option<Item>,
    /// In words.
    pub text: String,
    /// What would be read, in words.
    pub reads: String,
    /// It differs from a sound vehicle by more than the meter's blur.
    pub differs: bool,
}

/// What a probe would show on a sound vehicle and under each suspect's best variant; `also` is the id
/// of any other fault one has in mind.
///
/// # Errors
/// [`ModelError`] for points, states or faults that do not exist.
pub fn what_if(
    model: &Model,
    state: &OperatingState,
    probe: &Probe,
    suspects: &[Suspect],
    also: Option<&str>,
) -> Result<Vec<If>, ModelError> {
    model.circuit.check_state(state)?;
    let sound = reading::sound(model, state, probe)?;
    let mut out = vec![If {
        item: None,
        text: "nothing is wrong".to_owned(),
        reads: healthy_range(probe.instrument, sound.healthy, sound.sigma),
        differs: false,
    }];
    let ids = suspects.iter().map(|s| s.fault.as_str()).chain(also);
    for id in ids.filter(|id| !id.is_empty()) {
        let f = fault::by_id(&model.circuit, id)?;
        let value = model.reads(state, &f.changes, probe)?;
        let differs = value.is_finite() != sound.healthy.is_finite()
            || (value - sound.healthy).abs() > 2.0 * sound.sigma;
        out.push(If {
            text: f.text.clone(),
            item: Some(f.repair_item),
            reads: words::value(probe.instrument, value),
            differs,
        });
    }
    Ok(out)
}
