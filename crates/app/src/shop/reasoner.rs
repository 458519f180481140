//! Reasoning, one job after the other: one fair queue, in which a job stands at most once and is
//! then taken as it is by that time. Where no job waits, what is asked for next is solved ahead.

use super::session::{Assessed, Session};
use super::{Shop, Told, lock};
use circuit::{Instrument, Probe};
use diagnosis::next::Check;
use diagnosis::{Assessment, Known, Model};
use std::collections::VecDeque;
use std::panic::AssertUnwindSafe;
use std::sync::{Arc, Condvar, Mutex, PoisonError, Weak};
use vehicle::OperatingState;

/// Proposed checks whose states are solved before they are taken.
const CHECKS: usize = 3;
/// Things to solve ahead that are remembered; older ones are dropped.
const AHEAD: usize = 64;

/// Something solved before it is asked for.
#[derive(Debug)]
struct Ahead {
    model: Weak<Model>,
    /// Names the vehicle with its equipment; empty where the state is not kept on the disk.
    vehicle: String,
    /// The job whose check it is; none for a named state of the vehicle.
    job: Option<i64>,
    what: Work,
}

#[derive(Debug)]
enum Work {
    /// A state; with who is heard over the buses, if that is wanted, and a reading taken in it.
    State { state: Box<OperatingState>, heard: bool, probe: Option<Probe> },
    /// The state in which everything is driven: what else a fault would take is looked up in it.
    Everything,
    /// The complaints that no named state is about.
    Complaints,
}

#[derive(Debug, Default)]
struct Queue {
    jobs: VecDeque<Arc<Session>>,
    ahead: VecDeque<Ahead>,
    ended: bool,
}

/// The queue; the work is done by one thread, which uses all cores.
#[derive(Debug, Default)]
pub(super) struct Reasoner {
    queue: Mutex<Queue>,
    more: Condvar,
}

impl Reasoner {
    /// Asks for a job to be assessed as it is by then.
    pub(super) fn ask(&self, session: &Arc<Session>) {
        let mut queue = lock(&self.queue);
        if queue.jobs.iter().all(|s| s.job.id != session.job.id) {
            queue.jobs.push_back(Arc::clone(session));
        }
        self.more.notify_one();
    }

    /// Solves the named states of a vehicle when there is time.
    pub(super) fn named_states(&self, model: &Arc<Model>, vehicle: &str) {
        let states = || model.circuit.vehicle.states.iter().map(|named| named.state.clone());
        let work = |what: Work| Ahead {
            model: Arc::downgrade(model),
            vehicle: vehicle.to_owned(),
            job: None,
            what,
        };
        let of = |heard: bool| {
            states().map(move |state| Work::State { state: Box::new(state), heard, probe: None })
        };
        // Voltages of all states first: who is heard takes longer, and is asked for with the codes.
        let all = of(false).chain([Work::Everything]).chain(of(true)).chain([Work::Complaints]);
        self.ahead(all.map(work).collect());
    }

    fn ahead(&self, wanted: Vec<Ahead>) {
        let mut queue = lock(&self.queue);
        queue.ahead.extend(wanted);
        while queue.ahead.len() > AHEAD {
            queue.ahead.pop_front();
        }
        self.more.notify_one();
    }

    /// Solves the states of the checks proposed, while the first of them is being taken.
    fn checks(&self, job: i64, model: &Arc<Model>, proposed: &[Check]) {
        lock(&self.queue).ahead.retain(|a| a.job != Some(job));
        let wanted = proposed.iter().take(CHECKS).map(|c| Ahead {
            model: Arc::downgrade(model),
            vehicle: String::new(),
            job: Some(job),
            what: Work::State { state: Box::new(c.state.clone()), heard: false, probe: probe(c) },
        });
        self.ahead(wanted.collect());
    }

    /// Whether no job waits.
    fn has_time(&self) -> bool {
        let queue = lock(&self.queue);
        queue.jobs.is_empty() && !queue.ended
    }

    /// Ends the thread after what it does now.
    pub(super) fn end(&self) {
        lock(&self.queue).ended = true;
        self.more.notify_all();
    }

    /// Works until the end.
    pub(super) fn run(&self, shop: &Shop) {
        loop {
            let mut queue = lock(&self.queue);
            let (job, ahead) = loop {
                if queue.ended {
                    return;
                }
                if let Some(job) = queue.jobs.pop_front() {
                    break (Some(job), None);
                }
                if let Some(ahead) = queue.ahead.pop_front() {
                    break (None, Some(ahead));
                }
                queue = self.more.wait(queue).unwrap_or_else(PoisonError::into_inner);
            };
            drop(queue);
            // A mistake of ours in one job must not end the reasoning of all.
            let done = std::panic::catch_unwind(AssertUnwindSafe(|| {
                if let Some(session) = &job {
                    self.assess(shop, session);
                }
                if let Some(ahead) = ahead
                    && !ahead.solve(shop, || self.has_time())
                {
                    // Somebody waits; the rest follows later.
                    lock(&self.queue).ahead.push_front(ahead);
                }
            }));
            if let (Err(_), Some(session)) = (done, job) {
                let why = "the program made a mistake here; a note to its makers would help";
                let made = failed(session.last(), Known::default(), why.to_owned());
                session.set_assessed(Arc::new(made));
                shop.tell(Told::Assessed { job: session.job.id, upto: session.last() });
            }
        }
    }

    fn assess(&self, shop: &Shop, session: &Arc<Session>) {
        let before = session.assessed();
        let known_now = shop.standing_known(session);
        if let (Some(before), Ok((standing, known))) = (&before, &known_now)
            && before.upto == standing.last()
            && before.known == *known
        {
            // Asked for again while it was being worked out.
            return;
        }
        let made = known_now.map(|(standing, known)| {
            let earlier = before.as_ref().filter(|b| b.trouble.is_empty());
            let made = diagnosis::assess(
                &standing.model,
                &standing.case,
                &known,
                earlier.map(|b| &b.assessment),
            );
            let upto = standing.last();
            match made {
                Ok(assessment) => {
                    self.checks(session.job.id, &standing.model, &assessment.next);
                    Assessed { upto, known, assessment, trouble: String::new() }
                }
                Err(e) => failed(upto, known, e.to_string()),
            }
        });
        let made =
            made.unwrap_or_else(|e| failed(session.last(), Default::default(), e.to_string()));
        let upto = made.upto;
        session.set_assessed(Arc::new(made));
        shop.tell(Told::Assessed { job: session.job.id, upto });
    }
}

fn failed(upto: u64, known: Known, trouble: String) -> Assessed {
    Assessed { upto, known, assessment: Assessment::default(), trouble }
}

impl Ahead {
    /// Solves it as long as there is time; whether all of it was done.
    fn solve(&self, shop: &Shop, time: impl Fn() -> bool) -> bool {
        // A vehicle that nobody works with any more is not solved.
        let Some(model) = self.model.upgrade() else { return true };
        if self.job.is_none() {
            model.reachable();
            model.loads();
        }
        let solved = &shop.vehicles.solved;
        let (state, heard, probe) = match &self.what {
            Work::Complaints => return solved.weigh(&self.vehicle, &model, time),
            Work::Everything => (model.everything_driven(), false, &None),
            Work::State { state, heard, probe } => (state.as_ref(), *heard, probe),
        };
        // What loads the circuit is solved by itself.
        let is_by_itself = probe.as_ref().is_some_and(|p| !p.instrument.leaves_alone());
        if !is_by_itself {
            let before = model.is_prepared(state, heard);
            if !model.prepare_while(state, heard, time) {
                return false;
            }
            if !before && !self.vehicle.is_empty() {
                solved.keep(&self.vehicle, &model, state);
            }
        }
        if let Some(probe) = probe {
            // Kept for when it is read; a probe that does not fit is refused then, too.
            let _ = model.expect(state, probe);
        }
        true
    }
}

/// The reading that a check is, if it is one.
fn probe(c: &Check) -> Option<Probe> {
    let instrument = Instrument::from_name(&c.quantity)?;
    Some(Probe { instrument, red: c.red.clone(), black: c.black.clone() })
}
