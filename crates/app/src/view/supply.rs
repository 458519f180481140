//! The supply: what was read of the battery, and which codes came while it was low.

use super::Weighed;
use super::rows::taken;
use diagnosis::ledger::Case;
use diagnosis::verdict::Judged;
use diagnosis::{Model, ModelError, supply};
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
    /// Its verdict.
    pub judged: Option<Judged>,
}

pub(super) fn supply(
    model: &Model,
    case: &Case,
    weighed: &Weighed,
) -> Result<Vec<SupplyRow>, ModelError> {
    let row = |check: supply::SupplyCheck| {
        let latest = taken(case, &check.probe, &check.state.state).last();
        SupplyRow {
            kind: check.kind.to_owned(),
            state_name: check.state.name,
            state: check.state.state,
            red: check.probe.red,
            black: check.probe.black,
            expected: check.expected,
            number: latest.as_ref().map_or(0, |l| l.0),
            judged: latest.as_ref().and_then(|l| weighed.judged.get(&l.0).cloned()),
            text: latest.map(|l| l.1).unwrap_or_default(),
        }
    };
    Ok(supply::checks(model)?.into_iter().map(row).collect())
}
