//! A roll call: every module asked again and again. What it shows becomes evidence: who is always
//! silent, and who falls silent together with whom when something comes and goes.

use crate::evidence::{Evidence, Finding, Present};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::ToSchema;
use vehicle::{OperatingState, PartId};

/// What one module did in a roll call.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct Called {
    /// Module part.
    pub module: PartId,
    /// How often it was asked, and answered.
    pub asked: u32,
    /// How often it answered.
    pub answered: u32,
    /// How often it fell silent after it had answered.
    pub dropouts: u32,
}

/// Modules that were silent at the same time, with how often just these were.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct Together {
    /// Module parts.
    pub silent: Vec<PartId>,
    /// Rounds in which just these were silent.
    pub rounds: u32,
}

/// A roll call, kept.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct RollCall {
    /// How long it ran, seconds.
    pub seconds: u32,
    /// Every module that was asked.
    pub modules: Vec<Called>,
    /// Who was silent together, most often first.
    pub together: Vec<Together>,
    /// What the hand did meanwhile.
    pub marks: Vec<String>,
}

/// Groups of modules that fell silent together which are kept.
const KEPT: usize = 12;

impl RollCall {
    /// Adds up rounds; in each, whether each module answered, and nothing where it was not asked.
    pub fn of<'a>(
        modules: &[PartId],
        rounds: impl IntoIterator<Item = &'a [Option<bool>]>,
        seconds: u32,
        marks: Vec<String>,
    ) -> Self {
        let mut called: Vec<Called> = modules
            .iter()
            .map(|m| Called { module: m.clone(), asked: 0, answered: 0, dropouts: 0 })
            .collect();
        let mut before: Vec<Option<bool>> = vec![None; modules.len()];
        let mut silences: Vec<Vec<PartId>> = Vec::new();
        for round in rounds {
            let mut silent = Vec::new();
            for ((c, said), before) in called.iter_mut().zip(round).zip(&mut before) {
                let Some(answered) = *said else { continue };
                c.asked += 1;
                c.answered += u32::from(answered);
                c.dropouts += u32::from(!answered && *before == Some(true));
                *before = Some(answered);
                if !answered {
                    silent.push(c.module.clone());
                }
            }
            if round.iter().any(Option::is_some) {
                silences.push(silent);
            }
        }
        let always = |m: &PartId| called.iter().any(|c| c.module == *m && c.answered == 0);
        let part_of = |few: &[PartId], many: &[PartId]| {
            few.len() < many.len() && few.iter().all(|m| many.contains(m))
        };
        // A dropout that begins or ends in the middle of a round: only some were asked while it lasted,
        // and the round beside it tells of all.
        let is_half = |k: usize| {
            let beside = [k.checked_sub(1), Some(k + 1)].into_iter().flatten();
            !silences[k].iter().all(always)
                && beside.filter_map(|j| silences.get(j)).any(|s| part_of(&silences[k], s))
        };
        let mut together: BTreeMap<Vec<PartId>, u32> = BTreeMap::new();
        for k in (0..silences.len()).filter(|k| !is_half(*k)) {
            *together.entry(silences[k].clone()).or_default() += 1;
        }
        let mut together: Vec<Together> =
            together.into_iter().map(|(silent, rounds)| Together { silent, rounds }).collect();
        // Of groups seen as often the largest: fewer are silent in a dropout shorter than a round, too.
        together.sort_by(|a, b| {
            let larger = b.silent.len().cmp(&a.silent.len());
            b.rounds.cmp(&a.rounds).then(larger).then_with(|| a.silent.cmp(&b.silent))
        });
        together.truncate(KEPT);
        Self { seconds, modules: called, together, marks }
    }

    /// Modules that came and went.
    pub fn flapping(&self) -> impl Iterator<Item = &Called> {
        self.modules.iter().filter(|c| c.answered > 0 && c.answered < c.asked)
    }

    /// What it says, as of an entry: a moment in which everything answered that ever did, and, where
    /// modules came and went, one in which those were silent that mostly were so together.
    pub fn evidence(&self, state: &OperatingState, present: Present, entry: u64) -> Vec<Evidence> {
        let asked = || self.modules.iter().filter(|c| c.asked > 0);
        let never = |c: &Called| c.answered == 0;
        let gone = self.gone_together();
        let mut out = Vec::new();
        let mut moment = |number: u64, present: Present, answers: &dyn Fn(&Called) -> bool| {
            for c in asked() {
                let finding = Finding::Answer { module: c.module.clone(), answers: answers(c) };
                let mut e = Evidence::new(state.clone(), finding);
                e.present = present;
                e.moment = number;
                out.push(e);
            }
        };
        match gone {
            None => moment(entry, present, &|c| !never(c)),
            Some(gone) => {
                // What comes and goes was away while all answered, and there when they did not.
                moment(entry, Present::No, &|c| !never(c));
                moment(entry | FLAPPING, Present::Yes, &|c| {
                    !never(c) && !gone.silent.contains(&c.module)
                });
            }
        }
        out
    }

    /// The commonest group that was silent together beside those that always are.
    fn gone_together(&self) -> Option<&Together> {
        let always = |m: &PartId| self.modules.iter().any(|c| &c.module == m && c.answered == 0);
        self.together.iter().find(|t| t.silent.iter().any(|m| !always(m)))
    }
}

/// Sets the moment in which modules were gone apart from the one in which they were there.
const FLAPPING: u64 = 1 << 40;

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const Y: Option<bool> = Some(true);
    const N: Option<bool> = Some(false);

    fn names(n: usize) -> Vec<PartId> {
        (0..n).map(|k| PartId::from(format!("A{k}"))).collect()
    }

    #[test]
    fn dropouts_are_counted_and_who_falls_silent_together_is_kept() {
        let rounds: [[Option<bool>; 3]; 6] =
            [[Y, Y, N], [N, N, N], [N, N, N], [Y, Y, N], [N, Y, N], [Y, None, N]];
        let r = RollCall::of(&names(3), rounds.iter().map(|x| &x[..]), 6, vec![]);
        let of = |k: usize| (r.modules[k].asked, r.modules[k].answered, r.modules[k].dropouts);
        assert_eq!([of(0), of(1), of(2)], [(6, 3, 2), (5, 3, 1), (6, 0, 0)]);
        assert_eq!(r.together[0], Together { silent: vec!["A2".into()], rounds: 3 });
        assert_eq!(r.together[1].rounds, 2);
        assert_eq!(r.flapping().count(), 2);
        let e = r.evidence(&OperatingState::default(), Present::Unknown, 7);
        // Three modules, once there and once gone.
        assert_eq!(e.len(), 6);
        let silent = |e: &&Evidence| matches!(e.finding, Finding::Answer { answers: false, .. });
        assert_eq!(e.iter().filter(|e| e.present == Present::No).filter(silent).count(), 1);
        assert_eq!(e.iter().filter(|e| e.present == Present::Yes).filter(silent).count(), 3);
    }

    #[test]
    fn a_round_in_which_a_dropout_begins_or_ends_names_no_group_of_its_own() {
        // Asked one after the other; it begins after the first was asked and ends before the last is.
        let rounds: [[Option<bool>; 4]; 7] = [
            [Y, Y, Y, N],
            [Y, N, N, N],
            [N, N, N, N],
            [N, Y, Y, N],
            [Y, Y, Y, N],
            [Y, N, N, N],
            [N, N, N, N],
        ];
        let r = RollCall::of(&names(4), rounds.iter().map(|x| &x[..]), 7, vec![]);
        let groups: Vec<(usize, u32)> =
            r.together.iter().map(|t| (t.silent.len(), t.rounds)).collect();
        assert_eq!(groups, [(4, 2), (1, 2)]);
        // Seen only by halves the larger half is believed.
        let short = [[Y, Y, Y, N], [N, Y, Y, N], [Y, Y, Y, N], [Y, N, N, N], [Y, Y, Y, N]];
        let r = RollCall::of(&names(4), short.iter().map(|x| &x[..]), 5, vec![]);
        assert_eq!(r.together[1].silent, ["A1", "A2", "A3"]);
    }

    #[test]
    fn without_dropouts_it_is_one_moment_of_what_is_there_now() {
        let rounds = [[Y, N]; 4];
        let r = RollCall::of(&names(2), rounds.iter().map(|x| &x[..]), 2, vec![]);
        let e = r.evidence(&OperatingState::default(), Present::Unknown, 3);
        assert_eq!(e.len(), 2);
        assert!(e.iter().all(|e| e.present == Present::Unknown && e.moment == 3));
    }

    proptest! {
        #[test]
        fn it_adds_up(rounds in proptest::collection::vec(proptest::collection::vec(
            proptest::option::of(any::<bool>()), 5), 0..40))
        {
            let r = RollCall::of(&names(5), rounds.iter().map(Vec::as_slice), 1, vec![]);
            for c in &r.modules {
                prop_assert!(c.answered <= c.asked && c.asked as usize <= rounds.len());
                prop_assert!(c.dropouts <= c.asked - c.answered);
            }
            let held: u32 = r.together.iter().map(|t| t.rounds).sum();
            prop_assert!(held as usize <= rounds.len());
            let asked = r.modules.iter().filter(|c| c.asked > 0).count();
            let n = r.evidence(&OperatingState::default(), Present::Yes, 1).len();
            prop_assert!(n == asked || n == 2 * asked);
        }
    }
}
