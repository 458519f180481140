//! How much an output can be driven.

use crate::Output;

impl Output {
    /// Whether a tester may set how much of the time it is on.
    pub fn is_graded(&self) -> bool {
        self.percent.is_some() || !self.steps.is_empty()
    }

    /// Whether it can be set to a share of time, percent.
    pub fn takes(&self, percent: f64) -> bool {
        let within = |[least, most]: [f64; 2]| (least..=most).contains(&percent);
        self.percent.is_some_and(within) || self.step_of(percent).is_some()
    }

    /// The number of the step with a share of time, counted from 1.
    pub fn step_of(&self, percent: f64) -> Option<u8> {
        let at = self.steps.iter().position(|s| (s - percent).abs() < 1e-9)?;
        u8::try_from(at + 1).ok()
    }

    /// What it is driven with where nothing else is wished for, percent: its usual share, as far as it takes that;
    /// none where it is on or off.
    pub fn usual_percent(&self) -> Option<f64> {
        let usual = |most: f64| self.duty.map_or(most, |duty| 100.0 * duty);
        if let Some([least, most]) = self.percent {
            return Some(usual(most).clamp(least, most));
        }
        let usual = usual(*self.steps.last()?);
        self.step_of(usual).map(|_| usual)
    }

    /// In words, what it can be set to.
    pub fn shares(&self) -> String {
        match self.percent {
            Some([least, most]) => format!("{least} to {most} %"),
            None => {
                let all: Vec<String> = self.steps.iter().map(|s| format!("{s} %")).collect();
                all.join(", ")
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::Output;
    use serde_json::json;

    fn output(more: serde_json::Value) -> Output {
        let mut file =
            json!({"id": "o", "name": "o", "module": "A1", "did": 1, "load": "M1", "limit_s": 1});
        file.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        serde_json::from_value(file).unwrap()
    }

    #[test]
    fn a_range_takes_all_between_and_steps_only_themselves() {
        let range = output(json!({"percent": [10, 90], "duty": 0.95}));
        assert!(range.takes(10.0) && range.takes(33.0) && !range.takes(91.0));
        assert_eq!((range.usual_percent(), range.step_of(33.0)), (Some(90.0), None));
        let steps = output(json!({"steps": [30, 60, 100], "duty": 0.6}));
        assert!(steps.takes(60.0) && !steps.takes(61.0) && steps.is_graded());
        assert_eq!((steps.usual_percent(), steps.step_of(100.0)), (Some(60.0), Some(3)));
        assert_eq!(steps.shares(), "30 %, 60 %, 100 %");
        let plain = output(json!({"duty": 0.5}));
        assert!(!plain.is_graded() && !plain.takes(50.0) && plain.usual_percent().is_none());
    }
}
