//! A code failing now, or absent after its monitor ran: predicted by the monitors themselves.

use super::{BESIDE_COMPLAINT, Scorer};
use crate::model::{Model, ModelError, Snapshot};
use circuit::NodeId;
use circuit::software::Verdict;
use vehicle::{FailureType, MonitorIx, OperatingState, TroubleCode};

/// Chance that a monitor passes where the model has it fail (tolerance near its threshold).
const PASSES: f64 = 0.03;
/// Chance that it fails where the model has it pass, or not run, although the fault moves what it looks
/// at: the fault's own number lies between those that were solved.
const FAILS: f64 = 0.02;
/// The same where the fault leaves alone what it looks at: software does not imagine things.
const FAILS_UNTOUCHED: f64 = 2e-4;
/// What a monitor looks at counts as moved from here, volts.
const MOVED_VOLTS: f64 = 0.02;

/// What a monitor looks at, on a sound vehicle.
pub(crate) struct Watched {
    /// Pairs of nodes with the voltage between them; none where it hangs on what comes over a bus.
    volts: Option<Vec<(NodeId, NodeId, f64)>>,
}

impl Watched {
    pub(crate) fn of(model: &Model, monitor: MonitorIx, sound: &Snapshot) -> Self {
        let pairs = model.circuit.software.looks_at(monitor);
        let with = |(a, b)| (a, b, sound.between(a, b));
        Self { volts: pairs.map(|pairs| pairs.into_iter().map(with).collect()) }
    }

    /// Whether it hangs on what comes over a bus.
    pub(super) fn is_by_bus(&self) -> bool {
        self.volts.is_none()
    }

    /// Whether a hypothesis moves any of it.
    pub(crate) fn is_moved(&self, s: &Snapshot) -> bool {
        let moved =
            |(a, b, was): &(NodeId, NodeId, f64)| (s.between(*a, *b) - was).abs() > MOVED_VOLTS;
        self.volts.as_ref().is_none_or(|pairs| pairs.iter().any(moved))
    }
}

pub(super) fn scorer<'a>(
    model: &'a Model,
    state: &OperatingState,
    (module, code, failure_type): (&str, TroubleCode, FailureType),
    failing: bool,
    complaint: bool,
) -> Result<Scorer<'a>, ModelError> {
    let m = model.monitor_of(module, code, failure_type).ok_or_else(|| ModelError::Unknown {
        what: "monitor",
        id: format!("{module} {code}-{failure_type}"),
    })?;
    let watched = Watched::of(model, m, &model.predict(state).healthy);
    Ok(Box::new(move |s| match (s.monitor(m), complaint && failing) {
        (Verdict::Failed, _) | (_, false) => log(s.monitor(m), failing, watched.is_moved(s)),
        _ => BESIDE_COMPLAINT.ln(),
    }))
}

/// Log-likelihood of a code that fails, or of a monitor that ran and passed; `moved` says whether what it
/// looks at is other than on a sound vehicle.
pub(crate) fn log(verdict: Verdict, failing: bool, moved: bool) -> f64 {
    match (verdict, failing) {
        (Verdict::Failed, true) => 1.0 - PASSES,
        (Verdict::Failed, false) => PASSES,
        (Verdict::Passed, false) => 1.0 - FAILS,
        // Not run here: it may have run earlier, in a state that was not noted.
        (Verdict::NotRun, false) => 0.5,
        (Verdict::Passed | Verdict::NotRun, true) if moved => FAILS,
        (Verdict::Passed | Verdict::NotRun, true) => FAILS_UNTOUCHED,
    }
    .ln()
}

/// The same outside of the file.
pub(super) fn elsewhere(failing: bool) -> f64 {
    if failing { 0.1f64 } else { 0.5 }.ln()
}
