//! The rounds of a roll call, and how they are shown.

use super::scope::{BusWatch, Look, Swept};
use diagnosis::coincidence::{Coincidence, coincidences};
use diagnosis::roll_call::RollCall;
use serde::Serialize;
use std::collections::VecDeque;
use std::time::{Duration, Instant};
use utoipa::ToSchema;
use vehicle::PartId;

/// Rounds kept: eight minutes.
pub(super) const KEPT: usize = 1200;
/// Rounds on the screen.
pub(super) const SHOWN: usize = 150;

/// A round.
#[derive(Debug, Clone, Default)]
pub(super) struct Round {
    /// Whether each module answered; nothing where it could not be asked.
    pub said: Vec<Option<bool>>,
    /// What the scope showed meanwhile.
    pub look: Option<Look>,
}

/// What the hand did, at a round.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Mark {
    /// Number of the round, from 0.
    pub round: usize,
    /// What was done.
    pub text: String,
}

/// A module on the strip.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Strip {
    /// Part id.
    pub id: String,
    /// Name.
    pub name: String,
    /// A letter for each round shown: `1` answered, `0` silent, `-` not asked.
    pub rounds: String,
    /// How often it was asked.
    pub asked: u32,
    /// How often it answered.
    pub answered: u32,
    /// How often it fell silent.
    pub dropouts: u32,
    /// Rounds of its longest silence after it had answered.
    pub longest: u32,
}

/// What the scope showed beside the rounds.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct ScopeStrip {
    /// What it watches.
    pub watched: BusWatch,
    /// Its look in each round shown; none where none was taken.
    pub looks: Vec<Option<Look>>,
    /// The round that ended the watch; none while it goes on.
    pub held_at: Option<usize>,
    /// Whether there is a sweep that can be kept.
    pub can_keep: bool,
}

/// A roll call as it is now.
#[derive(Debug, Clone, Default, Serialize, ToSchema)]
pub struct RollView {
    /// It runs.
    pub running: bool,
    /// Rounds so far.
    pub rounds: usize,
    /// Number of the first round shown.
    pub first: usize,
    /// Seconds so far.
    pub seconds: u32,
    /// What is wrong with the link; empty when nothing is.
    pub trouble: String,
    /// Every module.
    pub modules: Vec<Strip>,
    /// What the hand did.
    pub marks: Vec<Mark>,
    /// What changed with what the hand did.
    pub with_hand: Vec<Coincidence>,
    /// The scope beside it.
    pub scope: Option<ScopeStrip>,
    /// It was kept in the ledger as it is.
    pub kept: bool,
}

#[derive(Debug, Default)]
pub(super) struct Record {
    pub modules: Vec<(PartId, String)>,
    pub rounds: VecDeque<Round>,
    /// Rounds that are kept no longer.
    pub forgotten: usize,
    longest: Vec<u32>,
    silent_for: Vec<Option<u32>>,
    pub marks: Vec<Mark>,
    pub ran: Duration,
    pub trouble: String,
    pub kept: bool,
    /// Rounds that were kept in the ledger already.
    pub kept_rounds: usize,
    /// Number of the run; an older one ends.
    pub run: u64,
    pub running: bool,
    /// When somebody looked at it last.
    pub seen: Option<Instant>,
    /// What the scope watches beside it.
    pub watched: Option<BusWatch>,
    /// The latest sweep.
    pub swept: Option<Swept>,
    /// The round that ended the watch.
    pub held_at: Option<usize>,
}

impl Record {
    /// An empty one of some modules, with the number of the run before it.
    pub fn new(modules: Vec<(PartId, String)>, run: u64) -> Self {
        let n = modules.len();
        let (longest, silent_for) = (vec![0; n], vec![None; n]);
        Self { modules, longest, silent_for, run, ..Self::default() }
    }

    pub fn add(&mut self, round: Round) {
        for (k, said) in round.said.iter().enumerate() {
            match said {
                Some(true) => self.silent_for[k] = Some(0),
                // Silence counts from the first answer.
                Some(false) => {
                    if let Some(n) = &mut self.silent_for[k] {
                        *n += 1;
                        self.longest[k] = self.longest[k].max(*n);
                    }
                }
                None => {}
            }
        }
        self.rounds.push_back(round);
        if self.rounds.len() > KEPT {
            self.rounds.pop_front();
            self.forgotten += 1;
        }
        self.kept = false;
    }

    pub fn total(&self) -> usize {
        self.forgotten + self.rounds.len()
    }

    /// What the rounds from one on add up to.
    pub fn call(&self, from: usize) -> RollCall {
        let ids: Vec<PartId> = self.modules.iter().map(|m| m.0.clone()).collect();
        let marks = self.marks.iter().filter(|m| m.round >= from);
        let marks = marks.map(|m| format!("round {}: {}", m.round, m.text)).collect();
        let rounds = self.rounds.iter().skip(from.saturating_sub(self.forgotten));
        let share = (self.total() - from.min(self.total())) as f64 / self.total().max(1) as f64;
        let seconds = self.ran.mul_f64(share).as_secs() as u32;
        RollCall::of(&ids, rounds.map(|r| r.said.as_slice()), seconds, marks)
    }

    /// Whether a kept round brought something that the one before it had not: a module fell silent, or the
    /// scope showed something bad.
    pub fn changed(&self, k: usize) -> bool {
        let Some(before) = k.checked_sub(1).and_then(|b| self.rounds.get(b)) else { return false };
        let Some(now) = self.rounds.get(k) else { return false };
        let fell = |(n, b): (&Option<bool>, &Option<bool>)| *b == Some(true) && *n == Some(false);
        let bad = |r: &Round| r.look.is_some_and(|l| l.is_bad());
        let turned = before.look.is_some() && bad(now) && !bad(before);
        turned || now.said.iter().zip(&before.said).any(fell)
    }

    /// What changed with what the hand did, in the rounds that are kept.
    fn with_hand(&self) -> Vec<Coincidence> {
        let marks = self.marks.iter().filter(|m| m.round >= self.forgotten);
        let marks: Vec<(usize, &str)> =
            marks.map(|m| (m.round - self.forgotten, m.text.as_str())).collect();
        coincidences(self.rounds.len(), &marks, |k| self.changed(k))
    }

    pub fn view(&self) -> RollView {
        let call = self.call(0);
        let shown = self.rounds.len().min(SHOWN);
        let from = self.rounds.len() - shown;
        let letter = |said: &Option<bool>| match said {
            Some(true) => '1',
            Some(false) => '0',
            None => '-',
        };
        let strip = |(k, (id, name)): (usize, &(PartId, String))| Strip {
            id: id.to_string(),
            name: name.clone(),
            rounds: self.rounds.iter().skip(from).map(|r| letter(&r.said[k])).collect(),
            asked: call.modules[k].asked,
            answered: call.modules[k].answered,
            dropouts: call.modules[k].dropouts,
            longest: self.longest[k],
        };
        let scope = self.watched.as_ref().map(|watched| ScopeStrip {
            watched: watched.clone(),
            looks: self.rounds.iter().skip(from).map(|r| r.look).collect(),
            held_at: self.held_at,
            can_keep: self.swept.is_some(),
        });
        RollView {
            running: self.running,
            rounds: self.total(),
            first: self.forgotten + from,
            seconds: self.ran.as_secs() as u32,
            trouble: self.trouble.clone(),
            modules: self.modules.iter().enumerate().map(strip).collect(),
            marks: self.marks.clone(),
            with_hand: self.with_hand(),
            scope,
            kept: self.kept,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn record(n: usize) -> Record {
        let modules = (0..n).map(|k| (format!("A{k}").into(), format!("module {k}")));
        Record::new(modules.collect(), 0)
    }

    fn said(all: &[Option<bool>]) -> Round {
        Round { said: all.to_vec(), look: None }
    }

    #[test]
    fn the_strip_shows_the_latest_rounds_and_the_longest_silence() {
        let mut r = record(2);
        let silent = Some(false);
        for one in [Some(false), Some(true), silent, silent, Some(true), silent, None] {
            r.add(said(&[one, Some(true)]));
        }
        let v = r.view();
        assert_eq!(v.modules[0].rounds, "010010-");
        assert_eq!((v.modules[0].longest, v.modules[0].dropouts), (2, 2));
        assert_eq!((v.modules[1].asked, v.modules[1].answered), (7, 7));
    }

    #[test]
    fn what_is_forgotten_is_counted() {
        let mut r = record(1);
        for k in 0..KEPT + 30 {
            r.add(said(&[Some(k % 2 == 0)]));
        }
        let v = r.view();
        assert_eq!((v.rounds, v.first), (KEPT + 30, KEPT + 30 - SHOWN));
        assert_eq!(v.modules[0].rounds.len(), SHOWN);
        assert_eq!(v.modules[0].asked as usize, KEPT);
    }

    #[test]
    fn what_the_scope_shows_while_the_hand_moves_something_is_laid_to_it() {
        let mut r = record(1);
        let look = |wrong| Look { frames: 30, wrong, ..Look::default() };
        for k in 0..40 {
            if k == 20 || k == 30 {
                r.marks.push(Mark { round: k, text: "moving hinge".into() });
            }
            let wrong = u32::from(matches!(k, 21 | 23 | 32));
            r.add(Round { said: vec![Some(true)], look: Some(look(wrong)) });
        }
        let v = r.view();
        assert_eq!((v.with_hand[0].changes, v.with_hand[0].other_changes), (3, 0));
        assert!(v.with_hand[0].confidence > 0.98, "{:?}", v.with_hand);
    }
}
