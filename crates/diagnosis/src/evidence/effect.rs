//! An effect seen: water, a sweep, light; predicted from the speed or brightness of the load.

use super::{BESIDE_COMPLAINT, Scorer, Strength, part};
use crate::model::{Model, ModelError};
use vehicle::OperatingState;

/// Chance that a strength is misjudged by one step, and by two: one may call weak what is normal,
/// hardly what is normal nothing.
const ONE_STEP: f64 = 1e-3;
const TWO_STEPS: f64 = 1e-4;

/// Chance of each judgement, normal, weak, none, for an effect of a given strength.
pub(crate) fn chances(strength: f64) -> [f64; 3] {
    judged(strength, ONE_STEP, TWO_STEPS)
}

/// People see "weak" below about 85 % and "none" below about 8 %; each edge is soft.
fn judged(strength: f64, one_step: f64, two_steps: f64) -> [f64; 3] {
    let soft = |x: f64, edge: f64, width: f64| 1.0 / (1.0 + (-(x - edge) / width).exp());
    let normal = soft(strength, 0.83, 0.03);
    let some = soft(strength, 0.08, 0.02);
    let [full, weak, none] = [normal * some, some * (1.0 - normal), 1.0 - some];
    let stays = 1.0 - one_step - two_steps;
    [
        full * stays + weak * one_step + none * two_steps,
        weak * (1.0 - 2.0 * one_step) + (full + none) * one_step,
        none * stays + weak * one_step + full * two_steps,
    ]
}

pub(crate) fn index(strength: Strength) -> usize {
    match strength {
        Strength::Normal => 0,
        Strength::Weak => 1,
        Strength::None => 2,
    }
}

pub(super) fn scorer<'a>(
    model: &'a Model,
    state: &OperatingState,
    id: &str,
    strength: Strength,
    complaint: bool,
) -> Result<Scorer<'a>, ModelError> {
    let p = part(model, id)?;
    if model.predict(state).healthy.effect(p).is_none() {
        return Err(ModelError::Unknown { what: "part with an effect", id: id.to_owned() });
    }
    let [one, two] = if complaint { [BESIDE_COMPLAINT; 2] } else { [ONE_STEP, TWO_STEPS] };
    Ok(Box::new(move |s| judged(s.effect(p).unwrap_or(0.0), one, two)[index(strength)].ln()))
}
