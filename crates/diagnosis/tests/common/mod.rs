//! The shipped van with everything that can be wrong with it.
#![allow(dead_code, missing_docs, clippy::unwrap_used)]

use diagnosis::Cache;
use diagnosis::costs::Prices;
use diagnosis::evidence::Sight;
use diagnosis::next::{self, Ask, CannotDo, Ranked};
use diagnosis::trial::{self, Bench};
use diagnosis::{Evidence, Finding, Model, Posterior, Present, Priors, Strength};
use rand::SeedableRng;
use std::sync::LazyLock;
use vehicle::{OperatingState, SignalId, Vehicle};

/// Room for what all tests solve together, bytes: far more states than one job comes to.
const ROOM: usize = 1 << 30;

pub static MODEL: LazyLock<Model> = LazyLock::new(|| {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
    let vehicle = Vehicle::from_json(&std::fs::read_to_string(path).unwrap()).unwrap();
    Model::sharing(vehicle, &Cache::of(ROOM)).unwrap()
});

pub fn state(name: &str) -> OperatingState {
    MODEL.circuit.vehicle.states.iter().find(|s| s.id == name).unwrap().state.clone()
}

/// A vehicle exactly as the file has it, with something hidden, read without noise.
pub struct Exact {
    hidden: Vec<circuit::Fault>,
    state: OperatingState,
}

impl Exact {
    pub fn with(hidden: &[&str]) -> Self {
        let find = |id: &&str| circuit::fault::by_id(&MODEL.circuit, id).unwrap();
        Self { hidden: hidden.iter().map(find).collect(), state: OperatingState::default() }
    }

    fn changes(&self) -> Vec<circuit::Change> {
        self.hidden.iter().flat_map(|f| f.changes.clone()).collect()
    }
}

impl Bench for Exact {
    fn set(&mut self, state: &OperatingState) {
        self.state = state.clone();
    }
    fn present(&mut self) -> Present {
        Present::Yes
    }
    fn read(&mut self, probe: &circuit::Probe) -> Option<f64> {
        let shown = MODEL.circuit.measure(&self.state, &self.changes(), probe).unwrap().value();
        shown.is_finite().then_some(shown)
    }
    fn record(&mut self, probe: &circuit::Probe) -> [f64; 2] {
        [self.read(probe).unwrap_or(0.0); 2]
    }
    fn effect(
        &mut self,
        part: &str,
        jumper: Option<&circuit::Probe>,
        swapped: Option<&str>,
    ) -> Option<Strength> {
        let c = &MODEL.circuit;
        let item = swapped.map(vehicle::Item::part);
        let left = self.hidden.iter().filter(|f| Some(&f.repair_item) != item.as_ref());
        let changes: Vec<_> = left.flat_map(|f| f.changes.clone()).collect();
        let extra = jumper.and_then(|p| p.leads(c).unwrap().extra());
        Some(match c.solve(&self.state, &changes, extra).effect(c, c.part(part)?)? {
            f if f > 0.83 => Strength::Normal,
            f if f > 0.08 => Strength::Weak,
            _ => Strength::None,
        })
    }
    fn scan(&mut self) -> Vec<Finding> {
        scan(&self.state, &self.changes())
    }
    fn values(&mut self, signals: &[SignalId]) -> Vec<Finding> {
        values(&self.state, &self.changes(), signals)
    }
    fn moved(&mut self, _: &str) -> bool {
        false
    }
    fn look(&mut self, _: &str) -> Sight {
        Sight::Nothing
    }
    fn repair(&mut self, item: &vehicle::Item) -> bool {
        let before = self.hidden.len();
        self.hidden.retain(|f| f.repair_item != *item);
        self.hidden.len() < before
    }
    fn is_sound(&self) -> bool {
        self.hidden.is_empty()
    }
}

/// What all modules say, exactly as the file has it.
pub fn scan(state: &OperatingState, changes: &[circuit::Change]) -> Vec<Finding> {
    use circuit::software::{self, Verdict};
    let c = &MODEL.circuit;
    let s = c.solve(state, changes, None);
    let unheard = circuit::hearing::unheard(c, state, changes);
    let answers = |k: vehicle::PartIx| s.alive(c, k) && !unheard.has(k);
    let parts = c.vehicle.parts.iter_enumerated().filter(|(_, p)| p.module.is_some());
    let answers = parts.map(|(k, p)| Finding::Answer { module: p.id.clone(), answers: answers(k) });
    let run = c.vehicle.monitors.iter().zip(software::monitors(c, &s, &unheard.lost));
    let codes = run.filter(|(_, v)| *v != Verdict::NotRun).map(|(m, v)| Finding::Code {
        module: m.module.clone(),
        code: m.code,
        failure_type: m.failure_type,
        failing: v == Verdict::Failed,
    });
    answers.chain(codes).collect()
}

/// Asks for checks with the symptom there, and nothing known of this shop.
pub fn asked<T>(
    evidence: &[Evidence],
    now: &OperatingState,
    refused: &[CannotDo],
    then: impl Fn(&Ask<'_>) -> T,
) -> T {
    let posterior = Posterior::new(&MODEL, evidence).unwrap();
    then(&Ask {
        model: &MODEL,
        priors: MODEL.plain(),
        evidence,
        posterior: &posterior,
        present: Present::Yes,
        now,
        refused,
        prices: &Prices::default(),
    })
}

/// The checks so asked for, the best one first.
pub fn ranked(evidence: &[Evidence], now: &OperatingState, refused: &[CannotDo]) -> Vec<Ranked> {
    asked(evidence, now, refused, |ask| next::ranked(ask).unwrap())
}

/// What modules say of signals, exactly as the file has it.
pub fn values(
    state: &OperatingState,
    changes: &[circuit::Change],
    signals: &[SignalId],
) -> Vec<Finding> {
    let c = &MODEL.circuit;
    let s = circuit::hearing::solve(c, state, changes);
    let unheard = circuit::hearing::unheard(c, state, changes);
    let of = |id: &SignalId| {
        let signal = c.vehicle.signals.iter().find(|s| s.id == *id)?;
        let module = c.part(&signal.module)?;
        let answers = s.alive(c, module) && !unheard.has(module);
        answers.then(|| circuit::software::signal(c, &s, &unheard.lost, id))
    };
    let read: Vec<Option<f64>> = signals.iter().map(of).collect();
    trial::values_read(&c.vehicle, signals, &read)
}

/// Follows the proposed checks to the end.
pub fn follow(hidden: &[&str], first: Vec<Evidence>) -> trial::Worked {
    let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(1);
    let rules = trial::Rules { most_checks: 15, fits: false, ..trial::Rules::default() };
    let engine = trial::Strategy::Engine;
    let priors = Priors::told(&MODEL, &first);
    trial::work(&MODEL, &priors, &mut Exact::with(hidden), first, engine, rules, &mut rng).unwrap()
}
