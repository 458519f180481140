//! Procedures: signals, settings and courses that there are, bands that can hold, times that can pass.

use super::Findings;
use crate::Vehicle;
use crate::profile::LONGEST_S;
use std::collections::BTreeSet;

pub(super) fn check(vehicle: &Vehicle, f: &mut Findings) {
    f.unique("procedures", vehicle.procedures.iter().map(|p| p.id.as_str()));
    let readable: BTreeSet<String> =
        vehicle.signals.iter().filter(|s| s.did.is_some()).map(|s| s.id.to_string()).collect();
    let lessons: BTreeSet<String> = vehicle
        .settings()
        .filter(|s| matches!(s.held, crate::element::Held::Learned { .. }))
        .map(|s| s.id.clone())
        .collect();
    let profiles: BTreeSet<String> = vehicle.profiles.iter().map(|p| p.id.clone()).collect();
    for procedure in &vehicle.procedures {
        let path = format!("procedures[{}]", procedure.id);
        f.known(format!("{path}.teaches"), "lesson", &procedure.teaches, &lessons);
        if let Some(profile) = &procedure.profile {
            f.known(format!("{path}.profile"), "profile", profile, &profiles);
        }
        if procedure.stages.is_empty() {
            f.add(format!("{path}.stages"), "it has no stage", "say what must be done");
        }
        let staged = procedure.stages.iter().flat_map(|s| &s.targets);
        for target in procedure.throughout.iter().chain(staged) {
            f.known(
                path.clone(),
                "signal that a tester can read",
                target.signal.as_str(),
                &readable,
            );
            let ends = [target.least, target.most];
            let finite = ends.iter().flatten().all(|x| x.is_finite());
            let rises = target.least.zip(target.most).is_none_or(|(least, most)| least <= most);
            if !finite || !rises || ends == [None, None] {
                let mend =
                    "give the least value, the largest, or both, the least not above the largest";
                f.add(path.clone(), format!("the band of {} cannot hold", target.signal), mend);
            }
        }
        for (k, stage) in procedure.stages.iter().enumerate() {
            let path = format!("{path}.stages[{k}]");
            let possible = |s: f64| (0.0..=LONGEST_S).contains(&s);
            let within = stage.within_s.unwrap_or(LONGEST_S);
            if stage.targets.is_empty() {
                f.add(path.clone(), "nothing must hold in it", "say what, or leave the stage out");
            }
            if !possible(stage.hold_s) || !possible(within) || within < stage.hold_s {
                let mend =
                    "give seconds up to an hour, the window no shorter than what must be held";
                f.add(path, "its times are not possible", mend);
            }
        }
    }
}
