//! Everything one scan found, weighed at once: who answers, which codes fail, which monitors passed.

use super::{Finding, Likelihood, answer, code};
use crate::model::{Model, ModelError};
use circuit::software::Verdict;
use std::collections::HashMap;
use std::sync::Arc;
use vehicle::OperatingState;

/// Likelihood of all findings of a scan together, from the cache when it is there.
///
/// # Errors
/// [`ModelError`] for modules and codes that do not exist.
pub(super) fn likelihood(
    model: &Model,
    state: &OperatingState,
    findings: &[&Finding],
) -> Result<Arc<Likelihood>, ModelError> {
    let key = serde_json::to_string(&(state, findings)).unwrap_or_default();
    model.weighed(&key, || weigh(model, state, findings))
}

fn weigh(
    model: &Model,
    state: &OperatingState,
    findings: &[&Finding],
) -> Result<Likelihood, ModelError> {
    model.circuit.check_state(state)?;
    let mut codes: HashMap<u32, Vec<bool>> = HashMap::new();
    let mut answers: HashMap<u32, Vec<bool>> = HashMap::new();
    let mut elsewhere = 0.0;
    for finding in findings {
        match finding {
            Finding::Code { module, code, failure_type, failing } => {
                let m = model.monitor_of(module, code, failure_type).ok_or_else(|| {
                    let id = format!("{module} {code}-{failure_type}");
                    ModelError::Unknown { what: "monitor", id }
                })?;
                codes.entry(m as u32).or_default().push(*failing);
                elsewhere += code::elsewhere(*failing);
            }
            Finding::Answer { module, answers: yes } => {
                answers.entry(super::part(model, module)? as u32).or_default().push(*yes);
                elsewhere += answer::elsewhere();
            }
            _ => {}
        }
    }
    let p = model.predict_heard(state);
    let code = |m: u32, verdict: Verdict| -> f64 {
        codes.get(&m).map_or(0.0, |all| all.iter().map(|f| code::log(verdict, *f)).sum())
    };
    let answer = |part: u32, alive: bool| -> f64 {
        answers.get(&part).map_or(0.0, |all| all.iter().map(|a| answer::log(alive, *a)).sum())
    };
    let sound = &p.healthy;
    // Summed in the order of the numbers, whatever the order of the findings.
    let sorted = |keys: Vec<u32>| {
        let mut keys = keys;
        keys.sort_unstable();
        keys
    };
    let away = sorted(codes.keys().copied().collect())
        .into_iter()
        .map(|m| code(m, sound.monitor(m as usize)))
        .chain(
            sorted(answers.keys().copied().collect())
                .into_iter()
                .map(|a| answer(a, sound.answers(a as usize))),
        )
        .sum::<f64>();
    // Only what a hypothesis changes is looked at again.
    let there = p
        .all_heard()
        .map(|s| {
            let (monitors, flipped) = s.software();
            let by_code =
                monitors.iter().map(|(m, v)| code(*m, *v) - code(*m, sound.monitor(*m as usize)));
            let by_answer = flipped.iter().map(|f| {
                let was = sound.answers(*f as usize);
                answer(*f, !was) - answer(*f, was)
            });
            away + by_code.chain(by_answer).sum::<f64>()
        })
        .collect();
    Ok(Likelihood { there, away, elsewhere, wavering: None })
}
