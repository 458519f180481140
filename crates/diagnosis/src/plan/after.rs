//! What comes after everything is set: the ignition off and on, codes cleared, all modules asked again.

use super::{On, PlanStep, StepPress, StepStands, waits_for};

pub(super) fn steps(on: &On<'_>, before: &[PlanStep]) -> Vec<PlanStep> {
    // The last thing that was done to the unit.
    let writes = on.case.writes.iter().map(|w| w.number);
    let taught = on.case.taught.iter().map(|(n, _)| *n);
    let last = writes.chain(taught).chain(on.replaced()).filter(|n| *n > on.since).max();
    let since = match on.replaced() {
        Some(_) => last.unwrap_or(u64::MAX),
        None => u64::MAX,
    };
    let cycled = on.case.key_off.filter(|n| *n > since);
    let cleared = on.case.cleared().filter(|n| cycled.is_some_and(|c| *n > c));
    let scanned = on.case.scans.last().map(|s| s.number);
    let scanned = scanned.filter(|n| cleared.is_some_and(|c| *n > c));
    let stands = |done: Option<u64>, earlier: StepStands| match done {
        Some(_) => StepStands::Done,
        None => earlier,
    };
    let step = |id: &str, text: &str, why: &str, stands: StepStands, press: StepPress| PlanStep {
        id: id.into(),
        text: text.into(),
        why: why.into(),
        stands,
        press,
        needs: Vec::new(),
    };
    let cycle = step(
        "key_cycle",
        "Ignition off and on",
        "modules take over what they were set to when they start",
        stands(cycled, waits_for(before)),
        StepPress::KeyCycle,
    );
    let clear = step(
        "clear",
        "Clear the codes",
        "what comes back after it is there now",
        stands(cleared, waits_for(std::slice::from_ref(&cycle))),
        StepPress::Clear,
    );
    let scan = step(
        "rescan",
        "Scan again",
        "compared with the first scan it shows what is gone, what stayed and what is new",
        stands(scanned, waits_for(std::slice::from_ref(&clear))),
        StepPress::Rescan,
    );
    vec![cycle, clear, scan]
}
