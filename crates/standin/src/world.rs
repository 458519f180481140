//! The state of the simulated vehicle and what follows from it.

use crate::codes::Memory;
use crate::manners::Manners;
use crate::scope::{Probed, Scene};
use crate::self_test::SelfTest;
use crate::sessions::{Sessions, Tester};
use crate::settings::Lesson;
use circuit::hearing::{self, Unheard};
use circuit::marks::{Mark, found_at};
use circuit::software::{self, Verdict};
use circuit::{
    Change, Circuit, CircuitError, Fault, Probe, Shown, Solution, fault, place, tolerance,
};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Duration;
use vehicle::{
    Amount, FailureType, FaultId, Item, MonitorIx, OperatingState, OutputId, PartId, PartIx,
    Profile, TiVec, TroubleCode, Vehicle,
};

/// A code left over from before.
#[derive(Debug, Clone)]
pub struct Past {
    /// Module part.
    pub module: PartId,
    /// Code.
    pub code: TroubleCode,
    /// Failure type.
    pub failure_type: FailureType,
    /// Odometer when it was set, kilometres.
    pub odometer_km: u32,
    /// Supply when it was set, volts.
    pub volts: f64,
}

/// What a stand-in starts from.
#[derive(Debug, Clone)]
pub struct Setup {
    /// The vehicle file.
    pub vehicle: Vehicle,
    /// The hidden faults; none for a healthy vehicle.
    pub faults: Vec<FaultId>,
    /// Seed for part values and meter noise.
    pub seed: u64,
    /// Vehicle identification number.
    pub vin: String,
    /// What the odometer shows, kilometres.
    pub odometer_km: u32,
    /// Codes left over from before.
    pub past: Vec<Past>,
    /// The faults show only while the harness is moved where they lie.
    pub flexes: bool,
}

/// A driven output.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Driven {
    /// Until it is given back by itself.
    pub(crate) left: Duration,
    /// How much of the time it is on, where the tester set it.
    pub(crate) percent: Option<Amount>,
}

/// A course of time that the hands go through.
#[derive(Debug)]
pub(crate) struct Course {
    pub(crate) profile: Profile,
    pub(crate) since: Duration,
}

/// The simulated vehicle.
#[derive(Debug)]
pub(crate) struct World {
    pub(crate) circuit: Arc<Circuit>,
    pub(crate) hidden: Vec<Fault>,
    /// The hidden faults show now; one that comes and goes may not.
    pub(crate) shows: bool,
    pub(crate) hand: OperatingState,
    /// What the hands are going through.
    pub(crate) course: Option<Course>,
    pub(crate) driven: BTreeMap<OutputId, Driven>,
    pub(crate) leads: Option<Probe>,
    /// Where the scope's probes sit.
    pub(crate) probes: Vec<Probed>,
    pub(crate) memory: TiVec<MonitorIx, Memory>,
    pub(crate) vin: String,
    odometer_km: u32,
    pub(crate) rng: ChaCha8Rng,
    /// Points solved, the latest last.
    solved: Vec<Solved>,
    /// Modules that start anew, with the time that takes.
    resetting: BTreeMap<PartIx, Duration>,
    pub(crate) manners: Manners,
    pub(crate) testers: BTreeMap<u64, Tester>,
    pub(crate) connections: u64,
    pub(crate) sessions: Sessions,
    flexes: bool,
    /// Time for which a harness that was moved still swings.
    swings: Duration,
    time: Duration,
    /// The last self-test of each module that ran one, by part.
    pub(crate) tested: BTreeMap<PartIx, SelfTest>,
    /// Configuration written over the link, by part and identifier.
    pub(crate) configured: BTreeMap<(PartIx, u16), Vec<u8>>,
    /// Identities written over the link, by part.
    pub(crate) written: BTreeMap<PartIx, String>,
    /// What was written or taught over the link, by setting.
    pub(crate) held: BTreeMap<String, f64>,
    /// What is or was taught last, by part and routine.
    pub(crate) lessons: BTreeMap<(PartIx, u16), Lesson>,
}

/// A solved operating point and what follows from it.
#[derive(Debug)]
struct Solved {
    state: OperatingState,
    /// Whether the hidden faults showed.
    shows: bool,
    solution: Solution,
    /// Verdict of each monitor, and the supply of its module, volts.
    judged: Option<(TiVec<MonitorIx, Verdict>, TiVec<MonitorIx, f64>)>,
    /// Parts that work and still do not answer.
    unheard: Option<Unheard>,
}

/// Points kept: a fault that comes and goes is met again and again.
const KEPT: usize = 6;

/// Time a module takes to start anew.
const RESET: Duration = Duration::from_millis(800);

/// Time for which a harness that was moved still swings, and share of it in which the fault shows.
const SWINGS: Duration = Duration::from_millis(2500);
const TOUCHES: f64 = 0.65;

/// Chance that moving the harness where a fault lies that comes and goes changes something, and
/// elsewhere.
const CHANGES: f64 = 0.6;
const CHANGES_BY_CHANCE: f64 = 0.02;
/// Chance to see a mark that means nothing.
const FALSE_MARK: f64 = 0.03;

fn gauss(rng: &mut ChaCha8Rng) -> f64 {
    (0..12).map(|_| rng.random::<f64>()).sum::<f64>() - 6.0
}

/// Address of a gateway that the file has none for; ISO 13400-2 gives it to nobody.
const NOBODY: u16 = 0x0000;

impl World {
    pub(crate) fn new(setup: Setup) -> Result<Self, CircuitError> {
        let mut rng = ChaCha8Rng::seed_from_u64(setup.seed);
        let mut vehicle = setup.vehicle;
        tolerance::draw(&mut vehicle, &mut || gauss(&mut rng));
        let circuit = Arc::new(Circuit::new(vehicle)?);
        let find = |id: &FaultId| {
            fault::named(&circuit, id).ok_or_else(|| CircuitError::NoSuchFault(id.to_string()))
        };
        let hidden = setup.faults.iter().map(find).collect::<Result<_, _>>()?;
        let memory = circuit
            .vehicle
            .monitors
            .iter()
            .map(|m| {
                let past = setup.past.iter().find(|p| {
                    p.module == m.module && p.code == m.code && p.failure_type == m.failure_type
                });
                past.map_or_else(Memory::fresh, |p| Memory::left_over(p.odometer_km, p.volts))
            })
            .collect();
        Ok(Self {
            circuit,
            hidden,
            shows: !setup.flexes,
            hand: OperatingState::default(),
            course: None,
            driven: BTreeMap::new(),
            leads: None,
            probes: Vec::new(),
            memory,
            vin: setup.vin,
            odometer_km: setup.odometer_km,
            rng,
            solved: Vec::new(),
            resetting: BTreeMap::new(),
            manners: Manners::default(),
            testers: BTreeMap::new(),
            connections: 0,
            sessions: Sessions::new(),
            written: BTreeMap::new(),
            held: BTreeMap::new(),
            lessons: BTreeMap::new(),
            flexes: setup.flexes,
            swings: Duration::ZERO,
            time: Duration::ZERO,
            tested: BTreeMap::new(),
            configured: BTreeMap::new(),
        })
    }

    fn changes(&self) -> Vec<Change> {
        let there = self.hidden.iter().filter(|_| self.shows);
        self.as_set(there.flat_map(|f| f.changes.clone()).collect())
    }

    /// The vehicle as the scope finds it now.
    pub(crate) fn scene(&mut self) -> Scene {
        Scene {
            circuit: Arc::clone(&self.circuit),
            state: self.state(),
            changes: self.changes(),
            probes: self.probes.clone(),
            seed: self.rng.random(),
        }
    }

    /// The state by hand together with the outputs driven over the link.
    pub(crate) fn state(&self) -> OperatingState {
        let mut state = self.hand.clone();
        state.outputs.extend(self.driven.keys().cloned());
        let set = self.driven.iter().filter_map(|(id, d)| Some((id.clone(), d.percent?)));
        state.percent.extend(set);
        state
    }

    /// The operating point now, solved when it is new.
    fn now(&mut self) -> &mut Solved {
        self.at(self.state())
    }

    /// The operating point of a state, solved when it is new.
    fn at(&mut self, state: OperatingState) -> &mut Solved {
        let shows = self.shows;
        match self.solved.iter().position(|s| s.shows == shows && s.state == state) {
            Some(at) => self.solved[at..].rotate_left(1),
            None => {
                let solution = hearing::solve(&self.circuit, &state, &self.changes());
                if self.solved.len() >= KEPT {
                    self.solved.remove(0);
                }
                self.solved.push(Solved { state, shows, solution, judged: None, unheard: None });
            }
        }
        match self.solved.last_mut() {
            Some(now) => now,
            None => unreachable!("just put there"),
        }
    }

    /// Who works and is not heard in the middle of a bus, and what does not arrive for it.
    fn unheard(&mut self) -> Unheard {
        if let Some(unheard) = &self.now().unheard {
            return unheard.clone();
        }
        let (state, changes) = (self.state(), self.changes());
        let unheard = hearing::unheard(&self.circuit, &state, &changes);
        self.now().unheard = Some(unheard.clone());
        unheard
    }

    /// Whether a module works now.
    pub(crate) fn alive(&mut self, part: PartIx) -> bool {
        let circuit = Arc::clone(&self.circuit);
        self.now().solution.alive(&circuit, part)
    }

    /// The module at a diagnostic address.
    pub(crate) fn module_at(&self, address: u16) -> Option<PartIx> {
        let has = |p: &vehicle::Part| p.module.as_ref().is_some_and(|m| m.address == address);
        self.circuit.vehicle.parts.position(has)
    }

    /// Whether a module answers a tester now: it works, and the gateway and it hear each other.
    pub(crate) fn answers(&mut self, part: PartIx) -> bool {
        if self.resetting.contains_key(&part) || !self.alive(part) {
            return false;
        }
        !self.unheard().has(part)
    }

    /// A module starts anew.
    pub(crate) fn reset(&mut self, part: PartIx) {
        self.default_session(part);
        self.resetting.insert(part, RESET);
        let module = self.circuit.vehicle.parts[part].id.clone();
        let own = self.circuit.vehicle.monitors.iter().zip(&mut self.memory);
        own.filter(|(m, _)| m.module == module).for_each(|(_, memory)| memory.pause());
    }

    /// A signal's value now: with a gap or a tooth before a sensor past which something turns, as it happens
    /// to stand.
    pub(crate) fn signal(&mut self, id: &str) -> f64 {
        let (circuit, unheard) = (Arc::clone(&self.circuit), self.unheard());
        if self.rng.random::<bool>()
            && let Some(on) = circuit.teeth_on(&self.state())
        {
            let solution = self.at(on);
            return software::signal(&circuit, &solution.solution, &unheard.lost, id);
        }
        software::signal(&circuit, &self.now().solution, &unheard.lost, id)
    }

    /// A configuration record of a module as it is set now.
    pub(crate) fn setting(&self, part: PartIx, did: u16) -> Option<Vec<u8>> {
        let module = self.circuit.vehicle.parts[part].module.as_ref()?;
        let factory = module.configuration.get(&format!("{did:04X}"))?;
        self.configured.get(&(part, did)).cloned().or_else(|| factory.bytes())
    }

    /// The effect of a part now, 0 to about 1.
    pub(crate) fn effect(&mut self, part: &str) -> Option<f64> {
        let at = self.circuit.part(part)?;
        let circuit = Arc::clone(&self.circuit);
        self.now().solution.effect(&circuit, at)
    }

    /// Lets the hidden faults come or go.
    pub(crate) fn show(&mut self, shows: bool) {
        self.shows = shows;
    }

    /// What was solved holds no longer.
    pub(crate) fn forget_solved(&mut self) {
        self.solved.clear();
    }

    /// What the meter shows with the leads where they are, with its noise.
    pub(crate) fn meter(&mut self, instrument: circuit::Instrument) -> Shown {
        let Some(mut probe) = self.leads.clone() else {
            // Leads that touch nothing: millivolts they pick up, and no way for the ohmmeter's current.
            return match instrument {
                circuit::Instrument::Ohms => Shown::OverLimit,
                _ => Shown::Value(0.003 * gauss(&mut self.rng)),
            };
        };
        // The dial stands where the hands set it, unless the question needs another quantity.
        if probe.instrument.unit() != instrument.unit() {
            probe.instrument = instrument;
        }
        let changes = self.changes();
        match self.circuit.measure(&self.state(), &changes, &probe) {
            Ok(Shown::Value(v)) => {
                Shown::Value(v + 0.4 * instrument.sigma(v) * gauss(&mut self.rng).clamp(-2.5, 2.5))
            }
            Ok(over) => over,
            // Leads on something this instrument cannot take: nothing is shown.
            Err(_) => Shown::Value(0.0),
        }
    }

    /// The effect of a part with a jumper on or a part swapped with a known-good one.
    pub(crate) fn effect_with(
        &mut self,
        part: &str,
        jumper: Option<&Probe>,
        swapped: Option<&str>,
    ) -> Option<f64> {
        let at = self.circuit.part(part)?;
        let item = swapped.map(Item::part);
        let there =
            self.hidden.iter().filter(|f| self.shows && Some(&f.repair_item) != item.as_ref());
        let mut changes: Vec<Change> = there.flat_map(|f| f.changes.clone()).collect();
        let extra = jumper.and_then(|p| p.leads(&self.circuit).ok()).and_then(|l| l.extra());
        changes.extend(extra.map(Change::Meter));
        hearing::solve(&self.circuit, &self.state(), &changes).effect(&self.circuit, at)
    }

    /// Whether something changes when the harness is moved at a place or thing; `wavers` when the
    /// hidden faults come and go.
    pub(crate) fn moved(&mut self, at: &str, wavers: bool) -> bool {
        let lies =
            |f: &Fault| place::lies_at(&self.circuit, &f.repair_item, at) && place::can_move(f);
        let lies_here = self.hidden.iter().any(lies);
        if self.flexes && lies_here {
            self.swings = SWINGS;
        }
        let there = (wavers || self.flexes) && lies_here;
        self.rng.random::<f64>() < if there { CHANGES } else { CHANGES_BY_CHANCE }
    }

    /// What one sees at a place or thing; none is nothing.
    pub(crate) fn see(&mut self, at: &str) -> Option<Mark> {
        for fault in &self.hidden {
            // One throw for all marks of a fault: their chances add up.
            let mut thrown = self.rng.random::<f64>();
            for (mark, chance) in found_at(&self.circuit, fault, at) {
                thrown -= chance;
                if thrown < 0.0 {
                    return Some(mark);
                }
            }
        }
        (self.rng.random::<f64>() < FALSE_MARK).then_some(Mark::Corrosion)
    }

    /// Lets time pass: monitors run, driven outputs end.
    pub(crate) fn tick(&mut self, by: Duration) {
        self.time += by;
        if self.flexes {
            let touches = !self.swings.is_zero() && self.rng.random::<f64>() < TOUCHES;
            self.swings = self.swings.saturating_sub(by);
            // It stays for a moment: contacts hardly chatter faster than this clock.
            if touches != self.shows && self.rng.random::<f64>() < 0.5 {
                self.show(touches);
            }
        }
        self.sessions_tick(by);
        self.go_on(by);
        self.test_on(by);
        self.learn_on(by);
        self.resetting.retain(|_, left| {
            *left = left.saturating_sub(by);
            !left.is_zero()
        });
        self.driven.retain(|_, d| {
            d.left = d.left.saturating_sub(by);
            !d.left.is_zero()
        });
        if self.now().judged.is_none() {
            let judged = self.judge();
            self.now().judged = Some(judged);
        }
        let Some((verdicts, supply)) = self.solved.last().and_then(|s| s.judged.as_ref()) else {
            return;
        };
        let mut set = Vec::new();
        for (k, m) in self.circuit.vehicle.monitors.iter_enumerated() {
            let memory = &mut self.memory[k];
            match verdicts[k] {
                Verdict::NotRun => memory.pause(),
                Verdict::Passed => memory.passed(by, m.debounce_ms),
                Verdict::Failed if memory.failed(by, m.debounce_ms, supply[k]) => set.push(k),
                Verdict::Failed => {}
            }
        }
        set.into_iter().for_each(|k| self.record(k));
    }

    /// What a monitor finds now, and the supply it finds it at, volts.
    pub(crate) fn judged(&mut self, monitor: MonitorIx) -> (Verdict, f64) {
        if self.now().judged.is_none() {
            let judged = self.judge();
            self.now().judged = Some(judged);
        }
        let judged = self.now().judged.as_ref();
        judged.map_or((Verdict::NotRun, 0.0), |(found, supply)| (found[monitor], supply[monitor]))
    }

    /// Takes down what belongs to a code that was set just now.
    pub(crate) fn record(&mut self, monitor: MonitorIx) {
        let circuit = Arc::clone(&self.circuit);
        let values: Vec<(u16, Vec<u8>)> =
            (circuit.vehicle.frame(&circuit.vehicle.monitors[monitor]))
                .into_iter()
                .map(|(did, s)| (did, s.coded().encode(self.signal(&s.id))))
                .collect();
        let seconds = self.time.as_secs() as u32;
        if let Some(snapshot) = &mut self.memory[monitor].snapshot {
            (snapshot.seconds, snapshot.values) = (seconds, values);
            snapshot.odometer_km = self.odometer_km;
        }
    }

    /// Works out what the monitors find, once for each solution.
    fn judge(&mut self) -> (TiVec<MonitorIx, Verdict>, TiVec<MonitorIx, f64>) {
        let (circuit, unheard) = (Arc::clone(&self.circuit), self.unheard());
        let verdicts = software::monitors(&circuit, &self.now().solution, &unheard.lost);
        let modules: Vec<PartId> =
            self.circuit.vehicle.monitors.iter().map(|m| m.module.clone()).collect();
        let mut known: BTreeMap<&str, f64> = BTreeMap::new();
        let mut supply: TiVec<MonitorIx, f64> = TiVec::with_capacity(modules.len());
        for module in &modules {
            let volts = match known.get(module.as_str()) {
                Some(volts) => *volts,
                None => self.supply_of(module),
            };
            known.insert(module, volts);
            supply.push(volts);
        }
        (verdicts, supply)
    }

    /// Logical address of the module a tester talks through, as a DoIP entity.
    pub(crate) fn entity(&self) -> u16 {
        let v = &self.circuit.vehicle;
        let module = circuit::hearing::gateway(v).and_then(|p| v.parts[p].module.as_ref());
        module.map_or(NOBODY, |m| m.address)
    }

    /// What a module is fed with now, volts; where it does not say, more than enough.
    pub(crate) fn own_supply(&mut self, part: PartIx) -> f64 {
        let v = &self.circuit.vehicle;
        let module = v.parts[part].id.clone();
        let did = v.identifiers.supply.did;
        match v.signals.iter().any(|s| s.module == module && s.did == Some(did)) {
            true => self.supply_of(&module),
            false => f64::INFINITY,
        }
    }

    fn supply_of(&mut self, module: &str) -> f64 {
        let v = &self.circuit.vehicle;
        let is_supply =
            |s: &&vehicle::Signal| s.module == module && s.did == Some(v.identifiers.supply.did);
        let signal = v.signals.iter().find(is_supply).map(|s| s.id.clone());
        signal.map_or(0.0, |id| self.signal(&id))
    }

    /// Sends the hands through a course of time; whether there is such one.
    pub(crate) fn go_through(&mut self, id: &str) -> bool {
        let Some(profile) = self.circuit.vehicle.profiles.iter().find(|p| p.id == id).cloned()
        else {
            return false;
        };
        self.bring(profile.state_at(0.0));
        self.course = Some(Course { profile, since: Duration::ZERO });
        true
    }

    /// Lets the course of time go on; at its end everything stays as it is then.
    fn go_on(&mut self, by: Duration) {
        let Some(mut course) = self.course.take() else { return };
        course.since += by;
        let since = course.since.as_secs_f64();
        self.bring(course.profile.state_at(since));
        if since < course.profile.seconds() {
            self.course = Some(course);
        }
    }

    /// Sets what the hands set, and ends what they were going through.
    pub(crate) fn set(&mut self, state: OperatingState) {
        self.course = None;
        self.bring(state);
    }

    /// Brings the vehicle into a state; a new key-on starts an operation cycle.
    fn bring(&mut self, state: OperatingState) {
        let started = self.hand.key == vehicle::KeyPosition::Off && state.key != self.hand.key;
        if state.key == vehicle::KeyPosition::Off {
            self.driven.clear();
            self.sessions.clear();
        }
        self.hand = state;
        if started {
            for memory in &mut self.memory {
                memory.new_cycle();
            }
        }
    }

    /// Repairs a place; only if the fault is there does anything change.
    pub(crate) fn repair(&mut self, item: &Item) {
        self.hidden.retain(|f| !place::mends(item, f));
        self.solved.clear();
    }
}
