//! An effect seen: water, a sweep, light; predicted from the speed or brightness of the load.

use super::{BESIDE_COMPLAINT, Scorer, Strength, part};
use crate::model::{Model, ModelError};
use vehicle::OperatingState;

/// Chance that a strength is misjudged by one step, and by two: one may call weak what is normal,
/// hardly what is normal nothing.
const ONE_STEP: f64 = 1e-3;
const TWO_STEPS: f64 = 1e-4;

/// A fault that leaves an effect at this share of its sound strength is not what was complained of.
const AS_EVER: f64 = 0.98;

/// Chance of each judgement, normal, weak, none, for an effect of a given strength.
/// People see "weak" below about 85 % and "none" below about 8 %; each edge is soft, by the eye and by the
/// tolerance of what gives the effect.
pub(crate) fn chances(strength: f64) -> [f64; 3] {
    let soft = |x: f64, edge: f64, width: f64| 1.0 / (1.0 + (-(x - edge) / width).exp());
    let normal = soft(strength, 0.83, 0.04);
    let some = soft(strength, 0.08, 0.02);
    let [full, weak, none] = [normal * some, some * (1.0 - normal), 1.0 - some];
    let stays = 1.0 - ONE_STEP - TWO_STEPS;
    [
        full * stays + weak * ONE_STEP + none * TWO_STEPS,
        weak * (1.0 - 2.0 * ONE_STEP) + (full + none) * ONE_STEP,
        none * stays + weak * ONE_STEP + full * TWO_STEPS,
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
    let Some(sound) = model.predict(state).healthy.effect(p) else {
        return Err(ModelError::Unknown { what: "part with an effect", id: id.to_owned() });
    };
    Ok(Box::new(move |s| log(s.effect(p).unwrap_or(0.0), sound, strength, complaint)))
}

/// Log-likelihood of a judgement of an effect that shows so strongly, and on a sound vehicle `sound`.
pub(crate) fn log(shows: f64, sound: f64, strength: Strength, complaint: bool) -> f64 {
    match complaint && strength != Strength::Normal && shows >= AS_EVER * sound {
        true => BESIDE_COMPLAINT.ln(),
        false => chances(shows)[index(strength)].ln(),
    }
}
