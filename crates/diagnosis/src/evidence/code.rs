//! A code failing now, or absent after its monitor ran: predicted by the monitors themselves.

use super::Scorer;
use crate::model::{Model, ModelError};
use circuit::software::Verdict;

/// Chance that a monitor says otherwise than the model (tolerance near its threshold).
const WRONG: f64 = 0.03;

pub(super) fn scorer<'a>(
    model: &'a Model,
    module: &str,
    code: &str,
    failure_type: &str,
    failing: bool,
) -> Result<Scorer<'a>, ModelError> {
    let m = model.monitor_of(module, code, failure_type).ok_or_else(|| ModelError::Unknown {
        what: "monitor",
        id: format!("{module} {code}-{failure_type}"),
    })?;
    Ok(Box::new(move |s| log(s.monitor(m), failing)))
}

/// Log-likelihood of a code that fails, or of a monitor that ran and passed.
pub(super) fn log(verdict: Verdict, failing: bool) -> f64 {
    match (verdict, failing) {
        (Verdict::Failed, true) | (Verdict::Passed, false) => 1.0 - WRONG,
        // Not run here: it may have run earlier, in a state that was not noted.
        (Verdict::NotRun, false) => 0.5,
        _ => WRONG,
    }
    .ln()
}

/// The same outside of the file.
pub(super) fn elsewhere(failing: bool) -> f64 {
    if failing { 0.1f64 } else { 0.5 }.ln()
}
