//! Self-tests of modules: what each found, and what is otherwise than the time before.

use crate::ledger::Case;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use vehicle::{OperatingState, PartId};

/// What a module found when it tested itself.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct SelfTested {
    /// Module part.
    pub module: PartId,
    /// Codes that failed.
    #[serde(default)]
    pub failing: Vec<String>,
    /// Why it did not test itself, or not to the end; empty when it did.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub trouble: String,
}

/// A self-test that was kept.
#[derive(Debug, Clone, PartialEq)]
pub struct Kept {
    /// Number of its entry.
    pub number: u64,
    /// State it ran in.
    pub state: OperatingState,
    /// What was found.
    pub found: SelfTested,
}

/// The last self-test of a module beside the one before.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct TestCompared {
    /// Number of its entry.
    pub number: u64,
    /// Codes that failed in it and not in the one before; all, where it is the first.
    pub new: Vec<String>,
    /// Codes that failed in both.
    pub stayed: Vec<String>,
    /// Codes that failed in the one before and no longer.
    pub gone: Vec<String>,
    /// Number of the entry of the one before.
    pub before: Option<u64>,
    /// Both ran in the same state; what cannot run in one is not gone.
    pub same_state: bool,
}

/// The last self-test of a module, compared with the one before. Of tests that were not run nothing is said.
pub fn compared(case: &Case, module: &str) -> Option<TestCompared> {
    let own = |k: &&Kept| k.found.module == module && k.found.trouble.is_empty();
    let mut last = case.self_tests.iter().rev().filter(own);
    let (now, before) = (last.next()?, last.next());
    let was = |code: &&String| before.is_some_and(|b| b.found.failing.contains(code));
    let (stayed, new): (Vec<_>, Vec<_>) = now.found.failing.iter().partition(|code| was(code));
    let gone = before.iter().flat_map(|b| &b.found.failing);
    Some(TestCompared {
        number: now.number,
        new: new.into_iter().cloned().collect(),
        stayed: stayed.into_iter().cloned().collect(),
        gone: gone.filter(|code| !now.found.failing.contains(code)).cloned().collect(),
        before: before.map(|b| b.number),
        same_state: before.is_none_or(|b| b.state == now.state),
    })
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    fn kept(number: u64, module: &str, failing: &[&str], trouble: &str) -> Kept {
        let failing = failing.iter().map(|c| (*c).to_owned()).collect();
        let found = SelfTested { module: module.into(), failing, trouble: trouble.to_owned() };
        Kept { number, state: OperatingState::default(), found }
    }

    #[test]
    fn what_is_gone_is_told_from_what_stayed_and_what_is_new() {
        let self_tests = vec![
            kept(3, "A2", &["B1001-11", "B1002-11"], ""),
            kept(5, "A3", &["B1009-11"], ""),
            kept(7, "A2", &["B1002-11", "B1003-11"], ""),
            // One that broke off says nothing.
            kept(9, "A2", &[], "no answer"),
        ];
        let case = Case { self_tests, ..Case::default() };
        let c = compared(&case, "A2").unwrap();
        assert_eq!((c.number, c.before), (7, Some(3)));
        assert_eq!(
            (&c.new[..], &c.stayed[..]),
            (&["B1003-11".into()][..], &["B1002-11".into()][..])
        );
        assert_eq!(c.gone, ["B1001-11"]);
        assert_eq!(compared(&case, "A3").unwrap().new, ["B1009-11"]);
        assert!(compared(&case, "A4").is_none());
    }
}
