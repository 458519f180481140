//! A live value: what a module makes of the voltage at its own pins, as the model solves it.

use super::Scorer;
use crate::counted::alternates;
use crate::live;
use crate::model::{Model, ModelError};
use vehicle::OperatingState;

/// Chance that a module's own value is anything: no lead can slip there.
pub(crate) const WRONG: f64 = 5e-4;
/// Range of a value outside of what the file predicts, volts.
pub(super) const SPAN: f64 = 15.0;
/// How likely a value is that follows nothing, per volt.
pub(super) const OUT_OF_PLACE: f64 = WRONG / SPAN;
/// Resolution of a module's own converter, volts, and its share of the value.
const FLOOR: f64 = 0.03;
const SHARE: f64 = 0.01;
/// Share of a deviation that the step of a grid leaves open.
pub(crate) const STEP: f64 = 0.1;

/// Standard deviation of a value about what is predicted, volts: that of sound vehicles, what else is open,
/// and the module's own converter.
pub(crate) fn sigma(predicted: f64, tolerance: f64, open: f64) -> f64 {
    FLOOR.hypot(SHARE * predicted).hypot(tolerance).hypot(open)
}

/// How likely a value is where another is predicted, per unit, where one that follows nothing is as likely as
/// `out_of_place`.
pub(super) fn density(value: f64, predicted: f64, sigma: f64, out_of_place: f64) -> f64 {
    let z = (value - predicted) / sigma;
    let close = (-0.5 * z * z).exp() / (sigma * (2.0 * std::f64::consts::PI).sqrt());
    (1.0 - WRONG) * close + out_of_place
}

/// Whether what a value should be hangs on something that a state says nothing of: how warm it is, how far a
/// pedal is pressed.
pub(super) fn depends(model: &Model, state: &OperatingState, id: &str) -> bool {
    let signals = &model.circuit.vehicle.signals;
    signals.iter().find(|s| s.id == id).is_some_and(|s| live::depends(&signals.raw, s, state))
}

pub(super) fn scorer<'a>(
    model: &'a Model,
    state: &OperatingState,
    id: &str,
    value: f64,
) -> Result<Scorer<'a>, ModelError> {
    let signals = &model.circuit.vehicle.signals;
    let unknown = |what| ModelError::Unknown { what, id: id.to_owned() };
    let number = signals.position(|s| s.id == id).ok_or_else(|| unknown("signal"))?;
    let (a, b, per) = model
        .circuit
        .software
        .follows(number)
        .ok_or_else(|| unknown("live value that follows a voltage"))?;
    let module = super::part(model, &signals[number].module)?;
    if alternates(model, state, a, b) {
        return Err(ModelError::Alternates(signals[number].name.clone()));
    }
    let p = model.predict(state);
    let healthy = p.healthy.between(a, b) / per;
    let tolerance = model.scatter(&p, state, |s| s.between(a, b)) / per;
    Ok(Box::new(move |s| {
        // A module that does not work tells nothing: such a value came from elsewhere.
        if !s.alive(module) {
            return OUT_OF_PLACE.ln();
        }
        let predicted = s.between(a, b) / per;
        let sigma = sigma(predicted, tolerance, STEP * (predicted - healthy));
        density(value, predicted, sigma, OUT_OF_PLACE).ln()
    }))
}
