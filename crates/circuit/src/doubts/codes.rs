//! Codes that a healthy vehicle sets in a named state with the key on: a limit that its own voltages
//! cross.

use super::{Tried, problem};
use crate::software::{self, Verdict};
use vehicle::{MonitorIx, Problem, TiVec};

pub(super) fn doubts(tried: &Tried<'_>) -> Vec<Problem> {
    let c = tried.circuit;
    let named: Vec<_> = tried.states.iter().filter(|s| s.is_named && s.is_on).collect();
    let verdicts: Vec<TiVec<MonitorIx, Verdict>> =
        named.iter().map(|s| software::monitors(c, &s.solution, &[])).collect();
    let of = |(k, m): (MonitorIx, &vehicle::Monitor)| {
        let at = verdicts.iter().position(|v| v[k] == Verdict::Failed)?;
        let looked_at = m.fails.signals().join(", ");
        Some(problem(
            format!("monitors[{k}].fails"),
            format!(
                "{}-{} of {} is set {} in a healthy vehicle",
                m.code, m.failure_type, m.module, named[at].name
            ),
            format!("see its limits for {looked_at}, and in which states it may run"),
        ))
    };
    c.vehicle.monitors.iter_enumerated().filter_map(of).collect()
}
