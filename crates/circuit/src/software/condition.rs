//! Conditions over signals by number.

use std::collections::HashMap;
use vehicle::{SignalId, SignalIx};

/// A condition over signals by number.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Condition {
    Above(SignalIx, f64),
    Below(SignalIx, f64),
    All(Vec<Condition>),
    Any(Vec<Condition>),
    Not(Box<Condition>),
}

impl Condition {
    pub(super) fn compile(c: &vehicle::Condition, number: &HashMap<&str, SignalIx>) -> Self {
        let signal = |id: &SignalId| number.get(id.as_str()).copied();
        let all = |of: &[vehicle::Condition]| of.iter().map(|c| Self::compile(c, number)).collect();
        // Of a signal that nobody has nothing holds.
        let never = || Self::Any(Vec::new());
        match c {
            vehicle::Condition::Above(id, limit) => {
                signal(id).map_or_else(never, |s| Self::Above(s, *limit))
            }
            vehicle::Condition::Below(id, limit) => {
                signal(id).map_or_else(never, |s| Self::Below(s, *limit))
            }
            vehicle::Condition::All(of) => Self::All(all(of)),
            vehicle::Condition::Any(of) => Self::Any(all(of)),
            vehicle::Condition::Not(of) => Self::Not(Box::new(Self::compile(of, number))),
        }
    }

    /// Every signal it looks at, with its limit.
    pub(super) fn each(&self, tell: &mut dyn FnMut(SignalIx, f64)) {
        match self {
            Self::Above(signal, limit) | Self::Below(signal, limit) => tell(*signal, *limit),
            Self::All(of) | Self::Any(of) => of.iter().for_each(|c| c.each(tell)),
            Self::Not(c) => c.each(tell),
        }
    }

    /// Whether it can hold and whether it can fail, where each signal has one of two values.
    pub(super) fn can(&self, either: &dyn Fn(SignalIx) -> [f64; 2]) -> (bool, bool) {
        let of = |signal: SignalIx, holds: &dyn Fn(f64) -> bool| {
            let [a, b] = either(signal).map(holds);
            (a || b, !a || !b)
        };
        match self {
            Self::Above(signal, limit) => of(*signal, &|v| v > *limit),
            Self::Below(signal, limit) => of(*signal, &|v| v < *limit),
            Self::All(all) => all.iter().fold((true, false), |(holds, fails), c| {
                let (h, f) = c.can(either);
                (holds && h, fails || f)
            }),
            Self::Any(any) => any.iter().fold((false, true), |(holds, fails), c| {
                let (h, f) = c.can(either);
                (holds || h, fails && f)
            }),
            Self::Not(c) => {
                let (holds, fails) = c.can(either);
                (fails, holds)
            }
        }
    }

    pub(super) fn holds(&self, value: &dyn Fn(SignalIx) -> f64) -> bool {
        match self {
            Self::Above(signal, limit) => value(*signal) > *limit,
            Self::Below(signal, limit) => value(*signal) < *limit,
            Self::All(of) => of.iter().all(|c| c.holds(value)),
            Self::Any(of) => of.iter().any(|c| c.holds(value)),
            Self::Not(c) => !c.holds(value),
        }
    }
}
