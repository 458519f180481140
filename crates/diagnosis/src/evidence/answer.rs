//! A module answers or is silent: it answers when the model says it works.

use super::part;
use crate::model::{Model, ModelError};
use vehicle::OperatingState;

/// Chance that a working module is missed, or a dead one seems to answer.
const MISSED: f64 = 0.02;

pub(super) fn log_likelihoods(
    model: &Model,
    state: &OperatingState,
    module: &str,
    answers: bool,
) -> Result<Vec<f64>, ModelError> {
    let p = part(model, module)?;
    let predictions = model.predict_all(state);
    let mut out: Vec<f64> = predictions
        .all()
        .map(|s| if s.alive(p) == answers { 1.0 - MISSED } else { MISSED }.ln())
        .collect();
    out.push(0.5f64.ln());
    Ok(out)
}
