//! Procedures that are followed: their values read round after round, whoever looks, until they are passed, end by
//! themselves or are stopped. What was read is kept as a recording with what came of it.

mod trace;

use crate::bench::setup::Lesson;
use crate::shop::{Session, Shop};
use circuit::software::procedure::{Run, Sample, Stands};
use diagnosis::Model;
use diagnosis::ledger::{Entry, Recording};
use link::services::routine::Control;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use vehicle::element::Setting;
use vehicle::{Procedure, SignalIx};

/// Time between two rounds, if they take no longer.
const PERIOD: Duration = Duration::from_millis(300);
/// How much longer than the last stage a module may take to say that it has learned it.
const LEARNS: Duration = Duration::from_secs(10);

/// A procedure that is or was followed last.
#[derive(Debug)]
pub struct Following {
    /// How it stands, by what was read.
    pub run: Run,
    /// Everything read, the oldest first.
    pub trace: Vec<Sample>,
    /// How far its module is.
    pub lesson: Lesson,
    /// Why nothing is read just now; empty when something is.
    pub trouble: String,
    /// What came of it: why it was not passed, empty when it was; none while it goes on.
    pub outcome: Option<String>,
    began: Instant,
    /// Somebody wants it to end.
    stopped: bool,
}

impl Following {
    /// Seconds since it began.
    pub fn since_s(&self) -> f64 {
        match (&self.outcome, self.trace.last()) {
            (Some(_), Some(last)) => last.at_s,
            _ => self.began.elapsed().as_secs_f64(),
        }
    }
}

/// What is followed, by job.
#[derive(Debug, Default)]
pub struct Followings(Mutex<BTreeMap<i64, Arc<Mutex<Following>>>>);

/// Locks what is followed.
pub fn lock<T>(m: &Mutex<T>) -> MutexGuard<'_, T> {
    m.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Followings {
    /// What is or was followed last at a job.
    pub fn of(&self, job: i64) -> Option<Arc<Mutex<Following>>> {
        lock(&self.0).get(&job).cloned()
    }

    /// Whether something is followed just now.
    pub fn runs(&self, job: i64) -> bool {
        self.of(job).is_some_and(|f| lock(&f).outcome.is_none())
    }

    /// Stops what is followed.
    pub fn stop(&self, job: i64) {
        if let Some(f) = self.of(job) {
            lock(&f).stopped = true;
        }
    }

    /// What is over is shown no more.
    pub fn put_away(&self, job: i64) {
        if !self.runs(job) {
            lock(&self.0).remove(&job);
        }
    }
}

/// Follows a procedure whose module was told to begin; false where another one is followed.
pub fn begin(
    shop: &Arc<Shop>,
    session: &Arc<Session>,
    model: &Arc<Model>,
    of: (&Procedure, &Setting),
) -> bool {
    let (procedure, setting) = of;
    let following = Following {
        run: Run::new(procedure.clone()),
        trace: Vec::new(),
        lesson: Lesson { running: true, percent: 0 },
        trouble: String::new(),
        outcome: None,
        began: Instant::now(),
        stopped: false,
    };
    let following = Arc::new(Mutex::new(following));
    {
        let mut all = lock(&shop.followings.0);
        if all.get(&session.job.id).is_some_and(|f| lock(f).outcome.is_none()) {
            return false;
        }
        all.insert(session.job.id, Arc::clone(&following));
    }
    let task = Task {
        shop: Arc::clone(shop),
        session: Arc::clone(session),
        model: Arc::clone(model),
        setting: setting.clone(),
        following,
    };
    tokio::spawn(task.follow());
    true
}

struct Task {
    shop: Arc<Shop>,
    session: Arc<Session>,
    model: Arc<Model>,
    setting: Setting,
    following: Arc<Mutex<Following>>,
}

impl Task {
    async fn follow(self) {
        let (signals, began) = {
            let f = lock(&self.following);
            (f.run.of().signals(), f.began)
        };
        let known = &self.model.circuit.vehicle.signals;
        let signals: Vec<SignalIx> =
            signals.iter().filter_map(|id| known.position(|s| s.id == *id)).collect();
        let (model, all) = (Arc::clone(&self.model), signals.clone());
        let charts = tokio::task::spawn_blocking(move || model.charts().prepare(&model, &all));
        let _ = charts.await;
        let mut clock = tokio::time::interval(PERIOD);
        clock.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
        let (mut passed, mut ended): (Option<Instant>, bool) = (None, false);
        let outcome = loop {
            clock.tick().await;
            if lock(&self.following).stopped {
                break Some("stopped by hand".to_owned());
            }
            let (values, trouble) = self.read(&signals).await;
            let vehicle = &self.model.circuit.vehicle;
            let bench = self.shop.bench(self.session.job.id);
            let lesson = bench.lesson(vehicle, &self.setting, Control::Results).await;
            let sample = Sample { at_s: began.elapsed().as_secs_f64(), values };
            let mut f = lock(&self.following);
            f.run.take(&sample);
            f.trace.push(sample);
            f.trouble = trouble;
            f.lesson = lesson.unwrap_or(f.lesson);
            match f.run.stands() {
                _ if f.lesson.is_learned() => break None,
                Stands::Failed { why } => break Some(why.words(vehicle)),
                // What it ended for may be read a moment later.
                _ if !f.lesson.running && !ended => ended = true,
                _ if !f.lesson.running => {
                    break Some(format!("its module ended it at {} %", f.lesson.percent));
                }
                Stands::Running => {}
                Stands::Passed => {
                    let since = *passed.get_or_insert_with(Instant::now);
                    if since.elapsed() > LEARNS {
                        let percent = f.lesson.percent;
                        break Some(format!("its module says it has learned only {percent} %"));
                    }
                }
            }
        };
        let outcome = match outcome {
            Some(why) => why,
            None => self.not_taken().await.unwrap_or_default(),
        };
        self.end(outcome).await;
    }

    /// What its module holds all the same, where it says that it has learned.
    async fn not_taken(&self) -> Option<String> {
        let vehicle = &self.model.circuit.vehicle;
        let held = self.shop.bench(self.session.job.id).held(vehicle, &self.setting).await?;
        let should = diagnosis::setup::in_word(vehicle, &self.setting, self.setting.sound);
        (held != should)
            .then(|| format!("its module says it has learned, and still holds “{held}”"))
    }

    /// Physical values that are real, and why there are none where there is no link.
    async fn read(&self, signals: &[SignalIx]) -> (BTreeMap<vehicle::SignalId, f64>, String) {
        let vehicle = &self.model.circuit.vehicle;
        let read = match self.shop.bench(self.session.job.id).values(vehicle, signals).await {
            Ok(read) => read,
            Err(e) => return (BTreeMap::new(), e.to_string()),
        };
        let trouble = read.values.values().find_map(|v| v.as_ref().err()).cloned();
        let of = |(k, value): (SignalIx, Result<f64, String>)| {
            let raw = value.ok()?;
            let meaning = self.model.charts().meaning(&self.model, k, raw);
            let physical = match meaning.name {
                Some(_) => Some(raw),
                None => meaning.value,
            };
            Some((vehicle.signals[k].id.clone(), physical.filter(|_| meaning.real)?))
        };
        (read.values.into_iter().filter_map(of).collect(), trouble.unwrap_or_default())
    }

    /// Ends it at the module, where it was not passed, and keeps what was read with what came of it.
    async fn end(self, trouble: String) {
        let vehicle = &self.model.circuit.vehicle;
        let id = self.session.job.id;
        if !trouble.is_empty() {
            // It may have ended it by itself, or be gone: its session ends then.
            let _ = self.shop.bench(id).lesson(vehicle, &self.setting, Control::Stop).await;
        }
        let (of, trace) = {
            let f = lock(&self.following);
            (f.run.of().clone(), f.trace.clone())
        };
        let seconds = trace.last().map_or(0.0, |s| s.at_s);
        let table = trace::csv(vehicle, &of, &trace);
        let (shop, session, kept) =
            (Arc::clone(&self.shop), Arc::clone(&self.session), trouble.clone());
        let done = tokio::task::spawn_blocking(move || {
            let mut incoming = shop.captures.kept.begin(id)?;
            incoming.write(&table)?;
            let values = of.signals().len();
            let recording =
                Recording { number: incoming.keep()?, name: of.name.clone(), values, seconds };
            let entry = Entry::Followed { procedure: of.id, trouble: kept, recording };
            shop.append(&session, &[entry], None).map(|_| ())
        });
        let not_kept = match done.await {
            Ok(Ok(())) => None,
            Ok(Err(e)) => Some(e.to_string()),
            Err(e) => Some(e.to_string()),
        };
        let mut f = lock(&self.following);
        let trouble = match not_kept {
            Some(why) => format!("{trouble} It could not be kept: {why}").trim().to_owned(),
            None => trouble,
        };
        f.outcome = Some(trouble);
    }
}
