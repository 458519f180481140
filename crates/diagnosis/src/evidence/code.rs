//! A code failing now, or absent after its monitor ran: predicted by the monitors themselves.

use crate::model::{Model, ModelError};
use circuit::software::Verdict;
use vehicle::OperatingState;

/// Chance that a monitor says otherwise than the model (tolerance near its threshold).
const WRONG: f64 = 0.03;

pub(super) fn log_likelihoods(
    model: &Model,
    state: &OperatingState,
    module: &str,
    code: &str,
    failure_type: &str,
    failing: bool,
) -> Result<Vec<f64>, ModelError> {
    let m = model
        .circuit
        .vehicle
        .monitors
        .iter()
        .position(|m| m.module == module && m.code == code && m.failure_type == failure_type)
        .ok_or_else(|| ModelError::Unknown {
            what: "monitor",
            id: format!("{module} {code}-{failure_type}"),
        })?;
    let predictions = model.predict_all(state);
    let mut out: Vec<f64> = predictions
        .all()
        .map(|s| match (s.monitor(m), failing) {
            (Verdict::Failed, true) | (Verdict::Passed, false) => 1.0 - WRONG,
            // Not run here: it may have run earlier, in a state that was not noted.
            (Verdict::NotRun, false) => 0.5,
            _ => WRONG,
        })
        .map(f64::ln)
        .collect();
    out.push(if failing { 0.1f64 } else { 0.5 }.ln());
    Ok(out)
}
