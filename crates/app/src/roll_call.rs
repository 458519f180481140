//! Roll calls that run: every module asked again and again, with what the hand does marked.

use crate::bench::{Bench, modules};
use diagnosis::roll_call::RollCall;
use serde::Serialize;
use std::collections::{BTreeMap, VecDeque};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use utoipa::ToSchema;
use vehicle::{PartId, Vehicle};

/// Time between two rounds, if they take no longer.
const PERIOD: Duration = Duration::from_millis(400);
/// Rounds kept: eight minutes.
const KEPT: usize = 1200;
/// Rounds on the screen.
const SHOWN: usize = 150;

/// A round: whether each module answered; nothing where it could not be asked.
type Round = Vec<Option<bool>>;

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
    /// It was kept in the ledger as it is.
    pub kept: bool,
}

#[derive(Debug, Default)]
struct Record {
    modules: Vec<(PartId, String)>,
    rounds: VecDeque<Round>,
    /// Rounds that are kept no longer.
    forgotten: usize,
    longest: Vec<u32>,
    silent_for: Vec<Option<u32>>,
    marks: Vec<Mark>,
    ran: Duration,
    trouble: String,
    kept: bool,
    /// Rounds that were kept in the ledger already.
    kept_rounds: usize,
    /// Number of the run; an older one ends.
    run: u64,
    running: bool,
}

impl Record {
    fn add(&mut self, round: Round) {
        for (k, said) in round.iter().enumerate() {
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

    fn total(&self) -> usize {
        self.forgotten + self.rounds.len()
    }

    /// What the rounds from one on add up to.
    fn call(&self, from: usize) -> RollCall {
        let ids: Vec<PartId> = self.modules.iter().map(|m| m.0.clone()).collect();
        let marks = self.marks.iter().filter(|m| m.round >= from);
        let marks = marks.map(|m| format!("round {}: {}", m.round, m.text)).collect();
        let rounds = self.rounds.iter().skip(from.saturating_sub(self.forgotten));
        let share = (self.total() - from.min(self.total())) as f64 / self.total().max(1) as f64;
        let seconds = self.ran.mul_f64(share).as_secs() as u32;
        RollCall::of(&ids, rounds.map(Vec::as_slice), seconds, marks)
    }

    fn view(&self) -> RollView {
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
            rounds: self.rounds.iter().skip(from).map(|r| letter(&r[k])).collect(),
            asked: call.modules[k].asked,
            answered: call.modules[k].answered,
            dropouts: call.modules[k].dropouts,
            longest: self.longest[k],
        };
        RollView {
            running: self.running,
            rounds: self.total(),
            first: self.forgotten + from,
            seconds: self.ran.as_secs() as u32,
            trouble: self.trouble.clone(),
            modules: self.modules.iter().enumerate().map(strip).collect(),
            marks: self.marks.clone(),
            kept: self.kept,
        }
    }
}

/// Roll calls by job.
#[derive(Debug, Default)]
pub struct RollCalls(Mutex<BTreeMap<i64, Arc<Mutex<Record>>>>);

fn lock<T>(m: &Mutex<T>) -> MutexGuard<'_, T> {
    m.lock().unwrap_or_else(PoisonError::into_inner)
}

impl RollCalls {
    fn of(&self, job: i64) -> Arc<Mutex<Record>> {
        Arc::clone(lock(&self.0).entry(job).or_default())
    }

    /// Starts one, or goes on with the one that was paused; `anew` forgets what there was.
    pub fn start(&self, job: i64, bench: Arc<Bench>, vehicle: &Vehicle, anew: bool) {
        let record = self.of(job);
        let run = {
            let mut r = lock(&record);
            if r.running && !anew {
                return;
            }
            let all: Vec<(PartId, String)> =
                modules(vehicle).map(|(p, _)| (p.id.clone(), p.name.clone())).collect();
            if anew || r.modules != all {
                let n = all.len();
                let (longest, silent_for) = (vec![0; n], vec![None; n]);
                *r = Record { modules: all, longest, silent_for, run: r.run, ..Record::default() };
            }
            r.running = true;
            r.run += 1;
            r.run
        };
        tokio::spawn(call(record, run, bench, vehicle.clone()));
    }

    /// Pauses it; what it found stays.
    pub fn pause(&self, job: i64) {
        lock(&self.of(job)).running = false;
    }

    /// Number of the round that comes next.
    pub fn round(&self, job: i64) -> usize {
        lock(&self.of(job)).total()
    }

    /// Notes what the hand does now, where a roll call runs.
    pub fn mark(&self, job: i64, text: &str) {
        let record = self.of(job);
        let mut r = lock(&record);
        if r.running {
            let round = r.total();
            r.marks.push(Mark { round, text: text.to_owned() });
        }
    }

    /// Whether one runs.
    pub fn runs(&self, job: i64) -> bool {
        lock(&self.of(job)).running
    }

    /// As it is now.
    pub fn view(&self, job: i64) -> RollView {
        lock(&self.of(job)).view()
    }

    /// All rounds that are kept, with a head: round, marks, modules.
    pub fn table(&self, job: i64) -> Vec<Vec<String>> {
        let record = self.of(job);
        let r = lock(&record);
        let head = ["round", "marks"].into_iter().map(str::to_owned);
        let mut rows =
            vec![head.chain(r.modules.iter().map(|m| m.0.to_string())).collect::<Vec<_>>()];
        for (k, round) in r.rounds.iter().enumerate() {
            let number = r.forgotten + k;
            let marks: Vec<&str> =
                r.marks.iter().filter(|m| m.round == number).map(|m| m.text.as_str()).collect();
            let said = round.iter().map(|said| match said {
                Some(true) => "1".to_owned(),
                Some(false) => "0".to_owned(),
                None => String::new(),
            });
            rows.push([number.to_string(), marks.join("; ")].into_iter().chain(said).collect());
        }
        rows
    }

    /// What is to be kept of it, with the number of rounds it reaches to; none when there is nothing
    /// new.
    pub fn to_keep(&self, job: i64) -> Option<(RollCall, usize)> {
        let record = self.of(job);
        let r = lock(&record);
        // What was kept once is no evidence a second time.
        (!r.rounds.is_empty() && !r.kept).then(|| (r.call(r.kept_rounds), r.total()))
    }

    /// Its rounds up to a number are in the ledger now.
    pub fn was_kept(&self, job: i64, upto: usize) {
        let record = self.of(job);
        let mut r = lock(&record);
        r.kept = r.total() == upto;
        r.kept_rounds = upto;
    }

    /// Whether any module fell silent in the rounds since one, that had answered before.
    pub fn dropped_since(&self, job: i64, round: usize) -> bool {
        let record = self.of(job);
        let r = lock(&record);
        let since = round.saturating_sub(r.forgotten);
        let before = r.rounds.iter().take(since).next_back();
        let Some(before) = before else { return false };
        r.rounds
            .iter()
            .skip(since)
            .any(|now| now.iter().zip(before).any(|(n, b)| *b == Some(true) && *n == Some(false)))
    }
}

/// Asks round after round until it is paused or started anew.
async fn call(record: Arc<Mutex<Record>>, run: u64, bench: Arc<Bench>, vehicle: Vehicle) {
    let mut clock = tokio::time::interval(PERIOD);
    clock.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    loop {
        clock.tick().await;
        let started = Instant::now();
        let said = bench.who_answers(&vehicle).await;
        let mut r = lock(&record);
        if !r.running || r.run != run {
            return;
        }
        match said {
            Ok(said) => {
                let round = r.modules.iter().map(|(id, _)| said.get(id).copied().flatten());
                let round: Round = round.collect();
                r.trouble.clear();
                r.add(round);
            }
            Err(why) => {
                let n = r.modules.len();
                r.trouble = why.to_string();
                r.add(vec![None; n]);
            }
        }
        r.ran += started.elapsed().max(PERIOD);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn record(n: usize) -> Record {
        Record {
            modules: (0..n).map(|k| (format!("A{k}").into(), format!("module {k}"))).collect(),
            longest: vec![0; n],
            silent_for: vec![None; n],
            ..Record::default()
        }
    }

    #[test]
    fn the_strip_shows_the_latest_rounds_and_the_longest_silence() {
        let mut r = record(2);
        let silent = Some(false);
        for said in [Some(false), Some(true), silent, silent, Some(true), silent, None] {
            r.add(vec![said, Some(true)]);
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
            r.add(vec![Some(k % 2 == 0)]);
        }
        let v = r.view();
        assert_eq!((v.rounds, v.first), (KEPT + 30, KEPT + 30 - SHOWN));
        assert_eq!(v.modules[0].rounds.len(), SHOWN);
        assert_eq!(v.modules[0].asked as usize, KEPT);
    }

    #[test]
    fn what_could_not_be_kept_is_offered_again() {
        let calls = RollCalls::default();
        let at = calls.of(1);
        *lock(&at) = record(1);
        lock(&at).add(vec![Some(true)]);
        let (_, upto) = calls.to_keep(1).unwrap();
        // The disk was full: nothing was said to be kept.
        let (again, _) = calls.to_keep(1).unwrap();
        assert_eq!(again.modules[0].asked, 1);
        // A round that came meanwhile is still to be kept.
        lock(&at).add(vec![Some(true)]);
        calls.was_kept(1, upto);
        let (rest, upto) = calls.to_keep(1).unwrap();
        assert_eq!(rest.modules[0].asked, 1);
        calls.was_kept(1, upto);
        assert!(calls.to_keep(1).is_none());
    }

    #[test]
    fn a_dropout_after_a_mark_is_told_from_one_before() {
        let calls = RollCalls::default();
        let at = calls.of(1);
        *lock(&at) = record(1);
        for said in [true, false, true] {
            lock(&at).add(vec![Some(said)]);
        }
        let mark = lock(&at).total();
        lock(&at).add(vec![Some(true)]);
        assert!(!calls.dropped_since(1, mark));
        lock(&at).add(vec![Some(false)]);
        assert!(calls.dropped_since(1, mark));
    }
}
