//! What must be shown after a repair, and how each proof stands.

use super::{Weighed, probe};
use diagnosis::evidence::{Finding, Strength};
use diagnosis::ledger::Case;
use diagnosis::verdict::Verdict;
use diagnosis::{Model, words};
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::OperatingState;

/// Something to be shown after the repair.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Proof {
    /// `reading`, `effect` or `scan`.
    pub kind: String,
    /// What.
    pub text: String,
    /// How it stands.
    pub result: String,
    /// Shown.
    pub done: bool,
    /// Shown to be still wrong.
    pub failed: bool,
    /// State to do it in.
    pub state: OperatingState,
    /// Quantity for a reading.
    pub quantity: String,
    /// Red lead, conductor or part.
    pub red: String,
    /// Black lead.
    pub black: String,
}

/// Every reading that was bad, every effect that was missing, and a scan: to be shown good now.
pub(super) fn proofs(model: &Model, case: &Case, weighed: &Weighed) -> Vec<Proof> {
    if case.repair.is_none() {
        return Vec::new();
    }
    let mut out: Vec<Proof> = Vec::new();
    for (number, e) in &case.evidence {
        match &e.finding {
            Finding::Reading { .. } => {
                let bad = weighed.judged.get(number).is_some_and(|j| j.verdict == Verdict::Bad);
                let Some((p, value)) = probe(&e.finding).filter(|_| bad) else {
                    continue;
                };
                let again = case.after.iter().rev().find(|(_, a)| {
                    a.state == e.state && probe(&a.finding).is_some_and(|(q, _)| q == p)
                });
                let shown = |v: Option<f64>| words::value(p.instrument, v.unwrap_or(f64::INFINITY));
                let was = shown(value);
                let (result, done, failed) = match again {
                    None => (format!("was {was}, not repeated"), false, false),
                    Some((n, a)) => {
                        let is = probe(&a.finding).map(|(_, v)| shown(v)).unwrap_or_default();
                        let bad = weighed.judged.get(n).is_none_or(|j| j.verdict == Verdict::Bad);
                        (format!("was {was}, is {is}"), !bad, bad)
                    }
                };
                out.push(Proof {
                    kind: "reading".into(),
                    text: format!(
                        "{}, {}",
                        words::leads(&p.red, &p.black, p.instrument),
                        words::state(model, &e.state)
                    ),
                    result,
                    done,
                    failed,
                    state: e.state.clone(),
                    quantity: p.instrument.name().into(),
                    red: p.red,
                    black: p.black,
                });
            }
            Finding::Effect { part, strength } if *strength != Strength::Normal => {
                if out.iter().any(|p| p.kind == "effect" && p.red == *part) {
                    continue;
                }
                let again = case.after.iter().rev().find_map(|(_, a)| match &a.finding {
                    Finding::Effect { part: p, strength } if p == part => Some(*strength),
                    _ => None,
                });
                let was = words::strength(*strength);
                out.push(Proof {
                    kind: "effect".into(),
                    text: format!("Try the function: {}", words::effect(model, part)),
                    result: match again {
                        None => format!("was {was}, not tried"),
                        Some(s) => format!("was {was}, is {}", words::strength(s)),
                    },
                    done: again == Some(Strength::Normal),
                    failed: again.is_some_and(|s| s != Strength::Normal),
                    state: e.state.clone(),
                    quantity: "effect".into(),
                    red: part.clone(),
                    black: String::new(),
                });
            }
            _ => {}
        }
    }
    let repaired = case.repair.as_ref().map_or(0, |r| r.number);
    let scan = case.scans.iter().rev().find(|(n, _)| *n > repaired);
    let failing = scan.map(|(_, m)| {
        let silent = m.iter().filter(|m| !m.answered).count();
        silent + m.iter().flat_map(|m| &m.codes).filter(|c| c.failing()).count()
    });
    out.push(Proof {
        kind: "scan".into(),
        text: "Scan again and compare".into(),
        result: match failing {
            None => "not scanned since the repair".into(),
            Some(0) => "every module answers, nothing is failing".into(),
            Some(n) => format!("{n} modules silent or codes failing"),
        },
        done: failing == Some(0),
        failed: failing.is_some_and(|n| n > 0),
        state: OperatingState::default(),
        quantity: String::new(),
        red: String::new(),
        black: String::new(),
    });
    out
}
