//! Courses of time: stimuli that there are, seconds that rise.

use super::Findings;
use crate::Vehicle;
use crate::profile::LONGEST_S;
use std::collections::BTreeSet;

pub(super) fn check(vehicle: &Vehicle, f: &mut Findings) {
    f.unique("profiles", vehicle.profiles.iter().map(|p| p.id.as_str()));
    let stimuli: BTreeSet<String> = vehicle.stimuli.iter().map(|s| s.id.clone()).collect();
    for profile in &vehicle.profiles {
        let path = format!("profiles[{}]", profile.id);
        for problem in vehicle.unknown_in_state(&profile.begins) {
            f.add(format!("{path}.begins"), problem, "mend or remove it");
        }
        for (stimulus, points) in &profile.courses {
            let path = format!("{path}.courses.{stimulus}");
            f.known(path.clone(), "stimulus", stimulus, &stimuli);
            let possible = |(s, x): &(f64, f64)| (0.0..=LONGEST_S).contains(s) && x.is_finite();
            let rise = points.windows(2).all(|w| w[0].0 < w[1].0);
            if points.is_empty() || !rise || !points.iter().all(possible) {
                let mend = "let the seconds rise from point to point, from 0 to an hour at most";
                f.add(path, "it is no course of time", mend);
            }
        }
    }
}
