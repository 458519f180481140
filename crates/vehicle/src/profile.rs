//! How an operating state changes as time passes: a road test, a warm-up.

use crate::{Amount, OperatingState, at_table};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// A course of time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Profile {
    /// Unique name.
    pub id: String,
    /// What a technician calls it.
    pub name: String,
    /// The state it begins in.
    #[serde(default)]
    pub begins: OperatingState,
    /// What each stimulus does: points of seconds and amount, the seconds rising; straight lines between, held
    /// at the ends.
    pub courses: BTreeMap<String, Vec<(f64, f64)>>,
}

/// Time in which nothing is taken to change, seconds.
pub const STEP_S: f64 = 0.5;
/// Longest one, seconds.
pub(crate) const LONGEST_S: f64 = 3600.0;
/// Digits of an amount behind the point.
const DIGITS: f64 = 100.0;

impl Profile {
    /// How long it takes, seconds.
    pub fn seconds(&self) -> f64 {
        self.courses.values().flatten().map(|p| p.0).fold(0.0, f64::max)
    }

    /// The state so many seconds after it began, in steps.
    pub fn state_at(&self, seconds: f64) -> OperatingState {
        let seconds = (seconds / STEP_S).floor() * STEP_S;
        let mut state = self.begins.clone();
        for (stimulus, course) in &self.courses {
            let amount = (at_table(course, seconds) * DIGITS).round() / DIGITS;
            state.stimuli.insert(stimulus.clone(), Amount(amount));
        }
        state
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn start_and_stop() -> Profile {
        let course = vec![(2.0, 0.0), (12.0, 30.0), (20.0, 30.0), (24.0, 0.0)];
        Profile {
            id: "road".into(),
            name: "Road".into(),
            begins: OperatingState::default(),
            courses: BTreeMap::from([("speed".to_owned(), course)]),
        }
    }

    #[test]
    fn it_follows_its_points() {
        let p = start_and_stop();
        assert_eq!(p.seconds(), 24.0);
        let speed = |s: f64| p.state_at(s).stimuli["speed"].0;
        // 3 km/h gained each second from the second one on; half a second is a step.
        let at = [0.0, 2.0, 7.0, 7.4, 7.5, 15.0, 22.0, 99.0].map(speed);
        assert_eq!(at, [0.0, 0.0, 15.0, 15.0, 16.5, 30.0, 15.0, 0.0]);
    }

    proptest! {
        #[test]
        fn at_no_time_is_it_beyond_its_points(seconds in -1e3..1e6f64) {
            let speed = start_and_stop().state_at(seconds).stimuli["speed"].0;
            prop_assert!((0.0..=30.0).contains(&speed));
        }
    }
}
