//! Codes that must be gone before a module lets itself be taught.

use super::{On, PlanStep, StepPress, StepStands};
use std::collections::BTreeSet;
use vehicle::element::Held;
use vehicle::{PartId, TroubleCode};

/// The step in which they are cleared; none where no lesson asks for it. Of a code that fails now the cause has to
/// be found first: it would come back.
pub(super) fn gone(on: &On<'_>, ready: &StepStands) -> Option<PlanStep> {
    let wanted: Vec<(PartId, TroubleCode)> = on
        .lessons()
        .flat_map(|s| match &s.held {
            Held::Learned { codes_gone, .. } => {
                codes_gone.iter().map(|c| (s.module.clone(), *c)).collect()
            }
            _ => Vec::new(),
        })
        .collect();
    let module = wanted.first()?.0.clone();
    // What a unit had in its memory before it was replaced says nothing of the one that is in.
    let scan = on.case.scans.iter().rev().find(|s| on.replaced().is_some_and(|n| s.number > n));
    let is_cleared = scan.is_some_and(|s| on.case.cleared().is_some_and(|n| n > s.number));
    let stored = |failing: bool| -> BTreeSet<TroubleCode> {
        let modules = scan.iter().flat_map(|s| &s.modules);
        let codes = modules.flat_map(|m| m.codes.iter().map(move |c| (&m.module, c)));
        let is_wanted = |m: &PartId, c: TroubleCode| wanted.iter().any(|w| w.0 == *m && w.1 == c);
        codes
            .filter(|(m, c)| is_wanted(m, c.code))
            .filter(|(_, c)| if failing { c.failing() } else { c.failing() || c.stored() })
            .map(|(_, c)| c.code)
            .collect()
    };
    let list = |codes: &BTreeSet<TroubleCode>| {
        codes.iter().map(TroubleCode::to_string).collect::<Vec<_>>().join(", ")
    };
    let all: BTreeSet<TroubleCode> = wanted.iter().map(|(_, c)| *c).collect();
    let (failing, left) = (stored(true), stored(false));
    let stands = match (ready, scan.is_some(), is_cleared) {
        (StepStands::Open, true, true) => StepStands::Done,
        (StepStands::Open, true, false) if left.is_empty() => StepStands::Done,
        (StepStands::Open, true, false) if !failing.is_empty() => StepStands::Blocked {
            by: format!("{} fails now: its cause is found first", list(&failing)),
        },
        (StepStands::Open, ..) => StepStands::Open,
        (waits, ..) => waits.clone(),
    };
    // Whether they stand there, or fail still, is seen by a scan; what stands there is cleared.
    let press = match ready {
        StepStands::Open if left.is_empty() || !failing.is_empty() => StepPress::Scan,
        _ => StepPress::Clear,
    };
    Some(PlanStep {
        id: "codes".into(),
        text: format!("{} gone from the memory of {module}", list(&all)),
        why: "while one stands there, the module refuses to be taught".into(),
        stands,
        press,
        needs: vec!["ignition on".into()],
    })
}
