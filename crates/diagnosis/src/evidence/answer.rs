//! A module answers or is silent: it answers when the model says it works and the gateway and it
//! hear each other.

use super::{Scorer, part};
use crate::model::{Model, ModelError};

/// Chance that a working module is missed, or a dead one seems to answer.
const MISSED: f64 = 0.02;

/// Log-likelihood of an answer, or of silence, of a module that works or does not.
pub(super) fn log(alive: bool, answers: bool) -> f64 {
    if alive == answers { 1.0 - MISSED } else { MISSED }.ln()
}

/// The same outside of the file.
pub(super) fn elsewhere() -> f64 {
    0.5f64.ln()
}

pub(super) fn scorer<'a>(
    model: &'a Model,
    module: &str,
    answers: bool,
) -> Result<Scorer<'a>, ModelError> {
    let p = part(model, module)?;
    Ok(Box::new(move |s| log(s.answers(p), answers)))
}
