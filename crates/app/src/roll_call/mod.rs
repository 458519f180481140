//! Roll calls that run: every module asked again and again, with what the hand does marked.

mod record;
pub mod scope;

pub use record::{Mark, RollView};
pub use scope::{BusWatch, Look};

use crate::bench::{Bench, modules, scope::Sweep};
use crate::captures::{Content, Opened};
use diagnosis::roll_call::RollCall;
use record::{Record, Round};
use scope::Swept;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use vehicle::{PartId, Vehicle};

/// Time between two rounds, if they take no longer.
const PERIOD: Duration = Duration::from_millis(400);
/// A sweep takes work: none is taken once nobody has looked for so long.
const UNSEEN: Duration = Duration::from_secs(60);
/// Rounds without a change after which what was done before is over.
const QUIET_ROUNDS: usize = 3;

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
                let watched = r.watched.take();
                let run = r.run;
                *r = Record::new(all, run);
                r.watched = watched;
            }
            r.running = true;
            r.held_at = None;
            r.run += 1;
            r.run
        };
        tokio::spawn(call(record, run, bench, vehicle.clone()));
    }

    /// Lets the scope watch beside it, or no more; what it has shown so far stays.
    pub fn watch(&self, job: i64, watched: Option<BusWatch>) {
        let record = self.of(job);
        let mut r = lock(&record);
        (r.watched, r.swept, r.held_at) = (watched, None, None);
    }

    /// The latest sweep.
    pub fn swept(&self, job: i64) -> Option<Swept> {
        lock(&self.of(job)).swept.clone()
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
        let record = self.of(job);
        let mut r = lock(&record);
        r.seen = Some(Instant::now());
        r.view()
    }

    /// All rounds that are kept, with a head: round, marks, modules.
    pub fn table(&self, job: i64) -> Vec<Vec<String>> {
        let record = self.of(job);
        let r = lock(&record);
        let head = ["round", "marks", "frames", "wrong", "weakest V"].map(str::to_owned);
        let head = head.into_iter();
        let mut rows =
            vec![head.chain(r.modules.iter().map(|m| m.0.to_string())).collect::<Vec<_>>()];
        for (k, round) in r.rounds.iter().enumerate() {
            let number = r.forgotten + k;
            let marks: Vec<&str> =
                r.marks.iter().filter(|m| m.round == number).map(|m| m.text.as_str()).collect();
            let look = round.look;
            let number_of = |n: Option<u32>| n.map_or(String::new(), |n| n.to_string());
            let looks = [
                number_of(look.map(|l| l.frames)),
                number_of(look.map(|l| l.wrong)),
                look.and_then(|l| l.weakest).map_or(String::new(), |v| format!("{v:.3}")),
            ];
            let said = round.said.iter().map(|said| match said {
                Some(true) => "1".to_owned(),
                Some(false) => "0".to_owned(),
                None => String::new(),
            });
            let first = [number.to_string(), marks.join("; ")].into_iter();
            rows.push(first.chain(looks).chain(said).collect());
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

    /// Whether nothing changed in the latest rounds, or none runs.
    pub fn is_quiet(&self, job: i64) -> bool {
        let record = self.of(job);
        let r = lock(&record);
        let n = r.rounds.len();
        !r.running || !(n.saturating_sub(QUIET_ROUNDS)..n).any(|k| r.changed(k))
    }

    /// Whether a module fell silent in the rounds since one, or the scope showed something bad, that had
    /// not before.
    pub fn dropped_since(&self, job: i64, round: usize) -> bool {
        let record = self.of(job);
        let r = lock(&record);
        let since = round.saturating_sub(r.forgotten);
        (since..r.rounds.len()).any(|k| r.changed(k))
    }
}

/// A sweep of what is watched, decoded away from the threads that serve requests.
async fn sweep(bench: &Bench, vehicle: &Vehicle, watched: &BusWatch) -> Result<Swept, String> {
    let b = vehicle.buses.iter().find(|b| b.id == watched.bus);
    let sweep = Sweep::short(b.ok_or("there is no such bus")?);
    let of = sweep.of;
    let trace = bench.capture(&watched.points, sweep).await.map_err(|e| e.to_string())?;
    let work = tokio::task::spawn_blocking(move || Opened::of(Content::Volts(trace), of));
    let opened = work.await.map_err(|e| e.to_string())??;
    Ok(Swept { watched: watched.clone(), of, opened: Arc::new(opened), round: 0 })
}

/// Asks round after round, with a sweep beside each where one is watched, until it is paused or started anew.
async fn call(record: Arc<Mutex<Record>>, run: u64, bench: Arc<Bench>, vehicle: Vehicle) {
    let mut clock = tokio::time::interval(PERIOD);
    clock.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    loop {
        clock.tick().await;
        let started = Instant::now();
        let watched = {
            let r = lock(&record);
            let looked = r.seen.is_some_and(|at| at.elapsed() < UNSEEN);
            r.watched.clone().filter(|_| looked)
        };
        let swept = async {
            match &watched {
                Some(watched) => Some(sweep(&bench, &vehicle, watched).await),
                None => None,
            }
        };
        let (said, swept) = tokio::join!(bench.who_answers(&vehicle), swept);
        let mut r = lock(&record);
        if !r.running || r.run != run {
            return;
        }
        r.trouble.clear();
        let look = match swept {
            // Another place may be watched by now, or none.
            Some(Ok(swept)) if r.watched.as_ref() != Some(&swept.watched) => None,
            Some(Ok(swept)) => {
                let look = Look::of(&swept.opened);
                let round = r.total();
                if look.ends(swept.watched.until) {
                    (r.running, r.held_at) = (false, Some(round));
                }
                r.swept = Some(Swept { round, ..swept });
                Some(look)
            }
            Some(Err(why)) => {
                r.trouble = why;
                None
            }
            None => None,
        };
        let said = match said {
            Ok(said) => r.modules.iter().map(|(id, _)| said.get(id).copied().flatten()).collect(),
            Err(why) => {
                r.trouble = why.to_string();
                vec![None; r.modules.len()]
            }
        };
        r.add(Round { said, look });
        r.ran += started.elapsed().max(PERIOD);
        if !r.running {
            return;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn record(n: usize) -> Record {
        Record::new((0..n).map(|k| (format!("A{k}").into(), format!("module {k}"))).collect(), 0)
    }

    fn round(said: bool) -> Round {
        Round { said: vec![Some(said)], look: None }
    }

    #[test]
    fn what_could_not_be_kept_is_offered_again() {
        let calls = RollCalls::default();
        let at = calls.of(1);
        *lock(&at) = record(1);
        lock(&at).add(round(true));
        let (_, upto) = calls.to_keep(1).unwrap();
        // The disk was full: nothing was said to be kept.
        let (again, _) = calls.to_keep(1).unwrap();
        assert_eq!(again.modules[0].asked, 1);
        // A round that came meanwhile is still to be kept.
        lock(&at).add(round(true));
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
            lock(&at).add(round(said));
        }
        let mark = lock(&at).total();
        lock(&at).add(round(true));
        assert!(!calls.dropped_since(1, mark));
        lock(&at).add(round(false));
        assert!(calls.dropped_since(1, mark));
    }
}
