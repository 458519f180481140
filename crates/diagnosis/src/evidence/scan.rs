//! Everything one scan found, weighed at once: who answers, which codes fail, which monitors passed.

use super::{Finding, Likelihood, answer, code};
use crate::model::{Model, ModelError};
use circuit::software::Verdict;
use std::collections::HashMap;
use std::sync::Arc;
use vehicle::{MonitorIx, OperatingState, PartIx};

/// Share of the verdicts that what is not in the file makes anything.
const OTHERWISE: f64 = 0.03;

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
    let mut codes: HashMap<MonitorIx, Vec<bool>> = HashMap::new();
    let mut answers: HashMap<PartIx, Vec<bool>> = HashMap::new();
    for finding in findings {
        match finding {
            Finding::Code { module, code, failure_type, failing } => {
                let m = model.monitor_of(module, *code, *failure_type).ok_or_else(|| {
                    let id = format!("{module} {code}-{failure_type}");
                    ModelError::Unknown { what: "monitor", id }
                })?;
                codes.entry(m).or_default().push(*failing);
            }
            Finding::Answer { module, answers: yes } => {
                answers.entry(super::part(model, module)?).or_default().push(*yes);
            }
            _ => {}
        }
    }
    let p = model.predict_heard(state);
    let code = |m: MonitorIx, verdict: Verdict, moved: bool| -> f64 {
        codes.get(&m).map_or(0.0, |all| all.iter().map(|f| code::log(verdict, *f, moved)).sum())
    };
    let answer = |part: PartIx, alive: bool, moved: bool| -> f64 {
        let of = |all: &Vec<bool>| all.iter().map(|a| answer::log(alive, *a, moved)).sum();
        answers.get(&part).map_or(0.0, of)
    };
    let sound = &p.healthy;
    // Summed in the order of the numbers, whatever the order of the findings.
    fn sorted<K: Copy + Ord>(of: &HashMap<K, Vec<bool>>) -> Vec<K> {
        let mut keys: Vec<K> = of.keys().copied().collect();
        keys.sort_unstable();
        keys
    }
    let (monitors, modules) = (sorted(&codes), sorted(&answers));
    let verdict = |m: MonitorIx| sound.monitor(m);
    let away: f64 = (monitors.iter().map(|m| code(*m, verdict(*m), false)))
        .chain(modules.iter().map(|a| answer(*a, sound.answers(*a), false)))
        .sum();
    // What is not in the file leaves each verdict as it is on a sound vehicle, or makes it anything.
    let anything =
        |sound: f64, any: f64| (OTHERWISE * any.exp() + (1.0 - OTHERWISE) * sound.exp()).ln();
    let of_codes = |m: MonitorIx| {
        let of = |failing: &bool| {
            anything(code::log(verdict(m), *failing, false), code::elsewhere(*failing))
        };
        codes[&m].iter().map(of).sum::<f64>()
    };
    let of_answers = |a: PartIx| {
        let of =
            |yes: &bool| anything(answer::log(sound.answers(a), *yes, false), answer::elsewhere());
        answers[&a].iter().map(of).sum::<f64>()
    };
    let any: f64 =
        (monitors.iter().map(|m| of_codes(*m))).chain(modules.iter().map(|a| of_answers(*a))).sum();
    let elsewhere = super::unforeseen(away, any);
    // Codes that fail although nothing on a sound vehicle would make them.
    let failing: Vec<(MonitorIx, code::Watched)> = monitors
        .iter()
        .copied()
        .filter(|m| codes[m].contains(&true) && sound.monitor(*m) != Verdict::Failed)
        .map(|m| (m, code::Watched::of(model, m, sound)))
        .collect();
    let silent: Vec<(PartIx, answer::Pins)> = modules
        .iter()
        .copied()
        .filter(|a| answers[a].contains(&false) && sound.answers(*a))
        .map(|a| (a, answer::Pins::of(model, a, sound)))
        .collect();
    // Only what a hypothesis changes is looked at again.
    let there = p
        .all_heard()
        .map(|s| {
            if !s.differs() {
                return away;
            }
            let (monitors, flipped) = s.software();
            // A verdict that changed goes with something that moved.
            let by_code =
                monitors.iter().map(|(m, v)| code(*m, *v, true) - code(*m, verdict(*m), false));
            let moved = failing
                .iter()
                .filter(|(m, watched)| monitors.iter().all(|(k, _)| k != m) && watched.is_moved(s))
                .map(|(m, _)| code(*m, verdict(*m), true) - code(*m, verdict(*m), false));
            let by_answer = flipped.iter().map(|f| {
                let was = sound.answers(*f);
                answer(*f, !was, true) - answer(*f, was, false)
            });
            // Who is silent and should not be, with something at its pins that might yet do it.
            let doubtful = silent
                .iter()
                .filter(|(part, pins)| flipped.binary_search(part).is_err() && pins.is_moved(s))
                .map(|(part, _)| answer(*part, true, true) - answer(*part, true, false));
            away + by_code.chain(moved).chain(by_answer).chain(doubtful).sum::<f64>()
        })
        .collect();
    Ok(Likelihood { there, away, elsewhere, wavering: None, read: None })
}
