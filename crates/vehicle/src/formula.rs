//! A value that a module works out of others.

use crate::SignalId;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a module works out of its own signals, each in its own unit (volts at the pin, hertz), not in what it
/// stands for.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Formula<S = SignalId> {
    /// A signal.
    Signal(S),
    /// A number.
    Number(f64),
    /// All of them added.
    Sum(Vec<Formula<S>>),
    /// The first less the second.
    Difference(Box<[Formula<S>; 2]>),
    /// The first divided by the second; 0 where the second is 0.
    Ratio(Box<[Formula<S>; 2]>),
    /// The least of them; 0 of none.
    Least(Vec<Formula<S>>),
    /// The largest of them; 0 of none.
    Largest(Vec<Formula<S>>),
    /// Their mean; 0 of none.
    Mean(Vec<Formula<S>>),
}

impl<S> Formula<S> {
    /// The value; `of` looks a signal up.
    pub fn value(&self, of: &dyn Fn(&S) -> f64) -> f64 {
        let each = |all: &[Self]| all.iter().map(|f| f.value(of)).collect::<Vec<f64>>();
        let best = |all: &[Self], better: fn(f64, f64) -> f64| {
            each(all).into_iter().reduce(better).unwrap_or(0.0)
        };
        match self {
            Self::Signal(s) => of(s),
            Self::Number(n) => *n,
            Self::Sum(all) => each(all).iter().sum(),
            Self::Difference(two) => two[0].value(of) - two[1].value(of),
            Self::Ratio(two) => match two[1].value(of) {
                0.0 => 0.0,
                by => two[0].value(of) / by,
            },
            Self::Least(all) => best(all, f64::min),
            Self::Largest(all) => best(all, f64::max),
            Self::Mean(all) => each(all).iter().sum::<f64>() / all.len().max(1) as f64,
        }
    }

    /// Tells every signal it looks at.
    pub fn each<'f>(&'f self, tell: &mut dyn FnMut(&'f S)) {
        match self {
            Self::Signal(s) => tell(s),
            Self::Number(_) => {}
            Self::Sum(all) | Self::Least(all) | Self::Largest(all) | Self::Mean(all) => {
                all.iter().for_each(|f| f.each(tell));
            }
            Self::Difference(two) | Self::Ratio(two) => two.iter().for_each(|f| f.each(tell)),
        }
    }

    /// The same over other names of its signals; none where one has no other.
    pub fn over<T>(&self, name: &dyn Fn(&S) -> Option<T>) -> Option<Formula<T>> {
        let all = |of: &[Self]| of.iter().map(|f| f.over(name)).collect::<Option<Vec<_>>>();
        let two = |of: &[Self; 2]| Some(Box::new([of[0].over(name)?, of[1].over(name)?]));
        Some(match self {
            Self::Signal(s) => Formula::Signal(name(s)?),
            Self::Number(n) => Formula::Number(*n),
            Self::Sum(of) => Formula::Sum(all(of)?),
            Self::Difference(of) => Formula::Difference(two(of)?),
            Self::Ratio(of) => Formula::Ratio(two(of)?),
            Self::Least(of) => Formula::Least(all(of)?),
            Self::Largest(of) => Formula::Largest(all(of)?),
            Self::Mean(of) => Formula::Mean(all(of)?),
        })
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// How far apart three values lie, as a share of their mean.
    fn apart() -> Formula<String> {
        serde_json::from_str(
            r#"{"ratio": [
                {"difference": [
                    {"largest": [{"signal": "a"}, {"signal": "b"}, {"signal": "c"}]},
                    {"least": [{"signal": "a"}, {"signal": "b"}, {"signal": "c"}]}]},
                {"mean": [{"signal": "a"}, {"signal": "b"}, {"signal": "c"}]}]}"#,
        )
        .unwrap()
    }

    fn of(values: [f64; 3]) -> f64 {
        apart().value(&|id| values[usize::from(id.as_bytes()[0] - b'a')])
    }

    #[test]
    fn three_speeds_are_compared() {
        // (110 - 90) / 100 = 0.2
        assert_eq!(of([90.0, 100.0, 110.0]), 0.2);
        // At rest nothing is divided by nothing.
        assert_eq!(of([0.0; 3]), 0.0);
        let mut seen = Vec::new();
        apart().each(&mut |id| seen.push(id.clone()));
        assert_eq!(seen.len(), 9);
        assert!(apart().over(&|id| (id != "c").then_some(1)).is_none());
    }

    proptest! {
        #[test]
        fn the_order_of_what_is_compared_does_not_matter(a in 0.0..1e3f64, b in 0.0..1e3f64, c in 0.0..1e3f64) {
            let here = of([a, b, c]);
            prop_assert!((here - of([c, a, b])).abs() < 1e-12 && here >= 0.0);
        }
    }
}
