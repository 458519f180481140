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

/// A line of a bus counts as moved against the ground, or on LIN against the supply it rests at, from here,
/// volts; what moves with all of the vehicle's supply does no harm to talking.
const LINE_VOLTS: f64 = 0.5;

/// A voltage that a monitor looks at.
struct Looked {
    from: NodeId,
    to: NodeId,
    /// Volts between them on a sound vehicle.
    was: f64,
    /// From here on it counts as moved, volts.
    moved: f64,
}

/// What a monitor looks at, on a sound vehicle: voltages, and the lines over which its messages come.
pub(crate) struct Watched(Vec<Looked>);

impl Watched {
    pub(crate) fn of(model: &Model, monitor: MonitorIx, sound: &Snapshot) -> Self {
        let c = &model.circuit;
        let looks = c.software.looks_at(monitor);
        let looked = |from, to, moved| Looked { from, to, was: sound.between(from, to), moved };
        let lines = looks.talking.iter().flat_map(|part| c.ears(*part)).flat_map(|ear| {
            // See `Ear`: the lines and the ground of CAN; line, ground and supply of LIN.
            let [a, b, rest] = ear.nodes;
            match ear.is_lin() {
                true => vec![looked(rest, a, LINE_VOLTS)],
                false => vec![looked(a, b, MOVED_VOLTS), looked(a, rest, LINE_VOLTS)],
            }
        });
        // What lets it run matters where it does not run anyway: it does not make it fail.
        let rests = sound.monitor(monitor) == Verdict::NotRun;
        let enables = looks.enables.iter().filter(|_| rests);
        let own = looks.fails.iter().chain(enables).map(|(a, b)| looked(*a, *b, MOVED_VOLTS));
        Self(own.chain(lines).collect())
    }

    /// Whether a hypothesis moves any of it.
    pub(crate) fn is_moved(&self, s: &Snapshot) -> bool {
        self.0.iter().any(|l| (s.between(l.from, l.to) - l.was).abs() > l.moved)
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
