//! The supply: what was read of the battery, and which codes came while it was low.

use super::rows::taken;
use diagnosis::ledger::Case;
use diagnosis::verdict::Verdict;
use diagnosis::{Model, ModelError, supply, words};
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::OperatingState;

/// A reading of the supply, taken or still to take.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct SupplyRow {
    /// `rest`, `load`, `crank` or `charging`.
    pub kind: String,
    /// The state it is taken in.
    pub state: OperatingState,
    /// Its name.
    pub state_name: String,
    /// Point of the red lead.
    pub red: String,
    /// Point of the black lead.
    pub black: String,
    /// What a sound vehicle shows.
    pub expected: String,
    /// Ledger entry of the latest reading; 0 when there is none.
    pub number: u64,
    /// The reading in words.
    pub text: String,
    /// What it says of the supply itself, whatever is suspected.
    pub verdict: Option<Verdict>,
    /// Why.
    pub why: String,
}

/// All readings of the supply. Slow the first time.
///
/// # Errors
/// [`ModelError`] for states that do not fit the vehicle.
pub fn supply(model: &Model, case: &Case) -> Result<Vec<SupplyRow>, ModelError> {
    let row = |check: supply::SupplyCheck| {
        let latest = taken(case, &check.probe, &check.state.state).last();
        let (verdict, why) = match latest {
            Some((_, volts)) => {
                let (verdict, why) = check.judge(volts);
                (Some(verdict), why)
            }
            None => (None, String::new()),
        };
        SupplyRow {
            kind: check.kind.to_owned(),
            state_name: check.state.name,
            state: check.state.state,
            red: check.probe.red.clone(),
            black: check.probe.black.clone(),
            expected: check.expected,
            number: latest.map_or(0, |l| l.0),
            verdict,
            why,
            text: latest.map_or_else(String::new, |l| words::value(check.probe.instrument, l.1)),
        }
    };
    Ok(supply::checks(model)?.into_iter().map(row).collect())
}

/// In how many states it was read.
pub(super) fn read(model: &Model, case: &Case) -> usize {
    let Some(probe) = supply::probe(model) else { return 0 };
    let all = case.evidence.iter().chain(&case.after);
    let across = all.filter(|(_, e)| e.finding.reading().is_some_and(|(p, _)| p == probe));
    across.map(|(_, e)| &e.state).collect::<std::collections::BTreeSet<_>>().len()
}
