//! The shared prediction cache: every hypothesis in every state asked for.

mod attic;
mod derived;
mod lines;
mod saved;
mod slots;
mod unheard;
pub(crate) mod works;

use crate::cache::{Cache, Keep, ModelId, Wanted};
use crate::grids::Grids;
use crate::live::Charts;
pub use crate::snapshot::{Healthy, Snapshot};
use attic::Attic;
use circuit::hearing::{Hearing, Sound, Unheard};
use circuit::{
    Change, Circuit, CircuitError, Fault, Law, NodeId, Point, Solution, Sweep, fault,
    meter::Leads,
    phase::{Phase, TOOTH_SHARE},
    place,
};
use derived::Derived;
use rayon::prelude::*;
use saved::Part;
use slots::Slots;
use std::any::Any;
use std::collections::HashMap;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, OnceLock};
use thiserror::Error;
use vehicle::{FailureType, Item, MonitorIx, OperatingState, TiVec, TroubleCode, Vehicle};

/// Why something could not be reasoned about.
#[derive(Debug, Error)]
pub enum ModelError {
    /// The circuit refuses.
    #[error(transparent)]
    Circuit(#[from] CircuitError),
    /// A part, module or code that the vehicle does not have.
    #[error("there is no {what} “{id}” in this vehicle")]
    Unknown {
        /// What was looked for.
        what: &'static str,
        /// The name given.
        id: String,
    },
    /// A voltage that has no one value.
    #[error(
        "“{0}” goes to and fro while something turns; read how often it does, or stop what turns"
    )]
    Alternates(String),
    /// Extremes of something that no meter holds.
    #[error("{0} of this kind cannot be recorded; record finite volts or amps")]
    NotRecorded(&'static str),
}

/// Everything predicted for one state.
#[derive(Debug)]
pub struct Predictions {
    /// With nothing wrong.
    pub healthy: Snapshot,
    base: Arc<Healthy>,
    /// What the sound vehicle's buses do.
    sound: Sound,
    /// The full healthy solution.
    pub solution: Solution,
    /// The state ready for further hypotheses; cloned by whoever solves some.
    pub sweep: Sweep,
    /// The phases of the state with their shares of time, made when first asked for.
    phases: OnceLock<Vec<(Phase, OnceLock<Sweep>)>>,
    /// The state half a tooth on, where something turns.
    teeth_on: OnceLock<Option<Box<Sweep>>>,
    /// The healthy vehicle with part values drawn within tolerance, solved when first asked for.
    drawn: OnceLock<Vec<Snapshot>>,
    /// Per hypothesis, in the order of [`Model::faults`], as far as it was asked for; every module that
    /// works is taken to be heard.
    faults: Slots<Snapshot>,
    /// The same where who hears whom makes a difference, as far as that was asked for.
    heard: Slots<Option<Box<Snapshot>>>,
    /// Bytes that all of it takes.
    bytes: AtomicUsize,
}

/// What a state takes before any hypothesis is solved, bytes a node: elimination, phases, drawn
/// vehicles.
const BYTES_A_NODE: usize = 500;
/// What the system adds to a piece of memory, bytes.
const BYTES_A_PIECE: usize = 16;

impl Predictions {
    /// What a hypothesis predicts; the healthy vehicle where it was not asked for, and `None` for
    /// "not in this vehicle file".
    pub fn fault(&self, h: HypIx) -> Option<&Snapshot> {
        (h.at() < self.faults.len()).then(|| self.faults.get(h).unwrap_or(&self.healthy))
    }

    /// Takes in what a hypothesis predicts.
    fn take_in(&self, h: HypIx, made: Snapshot) {
        let held = if made.differs() { made.bytes() + BYTES_A_PIECE } else { 0 };
        let bytes = held + self.faults.set(h, made);
        self.bytes.fetch_add(bytes, Ordering::Relaxed);
    }

    /// Takes in what it predicts with who is heard, where that differs.
    fn take_in_heard(&self, h: HypIx, made: Option<Box<Snapshot>>) {
        let held =
            made.as_ref().map_or(0, |m| size_of::<Snapshot>() + m.bytes() + 2 * BYTES_A_PIECE);
        let bytes = held + self.heard.set(h, made);
        self.bytes.fetch_add(bytes, Ordering::Relaxed);
    }

    /// Whether a hypothesis was asked for.
    pub fn is_solved(&self, h: HypIx) -> bool {
        self.faults.get(h).is_some()
    }

    /// What every hypothesis predicts, after [`Model::predict_all`].
    pub fn all(&self) -> impl Iterator<Item = &Snapshot> {
        (0..self.faults.len()).map(|h| self.faults.get(h).unwrap_or(&self.healthy))
    }

    /// What a hypothesis predicts, with who is heard over the buses as they are: as far as it was asked
    /// for with [`Model::predict_heard`].
    pub fn heard(&self, h: HypIx) -> Option<&Snapshot> {
        let heard = self.heard.get(h).and_then(Option::as_deref);
        heard.or_else(|| self.fault(h))
    }

    /// Whether it was worked out who is heard under a hypothesis.
    pub fn is_heard_known(&self, h: HypIx) -> bool {
        self.heard.get(h).is_some()
    }

    /// What every hypothesis predicts so.
    pub fn all_heard(&self) -> impl Iterator<Item = &Snapshot> {
        (0..self.faults.len()).map(|h| self.heard(h.into()).unwrap_or(&self.healthy))
    }

    /// Phases in which the voltage between two nodes of the healthy vehicle differs.
    pub fn phases(
        &self,
        circuit: &Arc<Circuit>,
        state: &OperatingState,
        (a, b): (NodeId, NodeId),
    ) -> impl Iterator<Item = (f64, &Sweep)> {
        let phases = self.phases.get_or_init(|| {
            let all = circuit.phases(state, &self.solution).into_iter();
            all.map(|phase| (phase, OnceLock::new())).collect()
        });
        let rest = self.solution.volts[a] - self.solution.volts[b];
        // Asked of the resting sweep first: only a phase that matters to some reading is prepared.
        let mut quick = (!phases.is_empty()).then(|| self.sweep.clone());
        let matter: Vec<bool> = phases
            .iter()
            .map(|(phase, _)| {
                quick.as_mut().is_some_and(|sweep| {
                    let held = sweep.solve_at(&phase.holds, &[a, b]);
                    (held.volts[a] - held.volts[b] - rest).abs() > STEADY_VOLTS
                })
            })
            .collect();
        let held = phases.iter().zip(matter).filter(|(_, matters)| *matters);
        let held = held.map(|((phase, sweep), _)| {
            (phase.share, sweep.get_or_init(|| Sweep::new(circuit, state, &phase.holds)))
        });
        let on = self.teeth_on.get_or_init(|| {
            circuit.teeth_on(state).map(|on| Box::new(Sweep::new(circuit, &on, &[])))
        });
        let differs = |on: &&Sweep| {
            let volts = &on.healthy().volts;
            (volts[a] - volts[b] - rest).abs() > STEADY_VOLTS
        };
        held.chain(on.as_deref().filter(differs).map(|on| (TOOTH_SHARE, on)))
    }
}

impl Keep for Predictions {
    fn bytes(&self) -> usize {
        self.bytes.load(Ordering::Relaxed)
    }
}

impl Keep for Snapshot {
    fn bytes(&self) -> usize {
        Self::bytes(self)
    }
}

/// A phase that moves a reading by less than this does not matter to it, volts.
const STEADY_VOLTS: f64 = 0.001;

/// A vehicle with everything that can be wrong with it.
#[derive(Debug)]
pub struct Model {
    /// The compiled vehicle.
    pub circuit: Arc<Circuit>,
    /// All hypotheses.
    pub faults: TiVec<HypIx, Fault>,
    /// Repair items, in order of first appearance; the last is "not in this file".
    pub items: TiVec<ItemIx, Item>,
    /// Item of each hypothesis.
    pub item_of: TiVec<HypIx, ItemIx>,
    /// Which hypotheses are the same fault with another number.
    pub grids: Grids,
    /// Hypotheses that lie on them.
    on_bus: TiVec<HypIx, bool>,
    /// Hypotheses in the order that lets neighbours share the most work.
    order: Vec<HypIx>,
    drawn: Vec<Circuit>,
    id: ModelId,
    cache: Cache,
    attic: Attic,
    /// Share of each hypothesis that comes and goes, before anything is known.
    pub wavering: TiVec<HypIx, f64>,
    variants: TiVec<ItemIx, Vec<HypIx>>,
    derived: Derived,
}

impl Drop for Model {
    fn drop(&mut self) {
        self.cache.forget(self.id);
    }
}

vehicle::index! {
    /// A hypothesis, in the order of [`Model::faults`]; one behind the last is "not in this file".
    HypIx,
    /// A repair item, in the order of [`Model::items`].
    ItemIx,
}

const PIECE: usize = 2048;
/// Vehicles drawn within tolerance to learn how far sound readings scatter.
const DRAWN: u64 = 8;

/// A small, repeatable source of normal numbers (sum of twelve uniforms).
fn gauss(seed: u64) -> impl FnMut() -> f64 {
    let mut x = seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1;
    move || {
        (0..12)
            .map(|_| {
                x ^= x << 13;
                x ^= x >> 7;
                x ^= x << 17;
                (x >> 11) as f64 / (1u64 << 53) as f64
            })
            .sum::<f64>()
            - 6.0
    }
}

impl Model {
    /// Compiles a vehicle and generates its hypotheses.
    ///
    /// # Errors
    /// [`ModelError::Circuit`].
    pub fn new(vehicle: Vehicle) -> Result<Self, ModelError> {
        Self::sharing(vehicle, &Cache::default())
    }

    /// The same with a cache that other models use, too.
    ///
    /// # Errors
    /// [`ModelError::Circuit`].
    pub fn sharing(vehicle: Vehicle, cache: &Cache) -> Result<Self, ModelError> {
        let mut drawn = Vec::new();
        for seed in 1..=DRAWN {
            let mut copy = vehicle.clone();
            circuit::tolerance::draw(&mut copy, &mut gauss(seed));
            drawn.push(Circuit::new(copy)?);
        }
        let circuit = Arc::new(Circuit::new(vehicle)?);
        let faults: TiVec<HypIx, Fault> = fault::all(&circuit).into();
        let mut items: TiVec<ItemIx, Item> = TiVec::new();
        let mut number: HashMap<&Item, ItemIx> = HashMap::new();
        let mut item_of: TiVec<HypIx, ItemIx> = TiVec::new();
        for f in &faults {
            let next = || items.push_and_get_key(f.repair_item.clone());
            item_of.push(*number.entry(&f.repair_item).or_insert_with(next));
        }
        drop(number);
        items.push(Item::Elsewhere);
        let mut variants: TiVec<ItemIx, Vec<HypIx>> = vec![Vec::new(); items.len()].into();
        for (h, item) in item_of.iter_enumerated() {
            variants[*item].push(h);
        }
        let order = circuit::sweep::order(&circuit, &faults.raw).into_iter().map(HypIx).collect();
        let touches =
            |h: &Hearing| faults.iter().map(|f| h.touches(&circuit, &f.changes)).collect();
        let on_bus = circuit.hearing().map_or_else(|| vec![false; faults.len()].into(), touches);
        let wavering = faults.iter().map(|f| place::wavering_share(&circuit, f)).collect();
        Ok(Self {
            circuit,
            grids: Grids::of(&faults),
            faults,
            items,
            item_of,
            on_bus,
            order,
            drawn,
            id: ModelId::next(),
            cache: cache.clone(),
            attic: Attic::default(),
            wavering,
            variants,
            derived: Derived::default(),
        })
    }

    /// Looks in some other place for what [`Model::saved`] made of a state, before it is solved anew:
    /// `fetch` shows the bytes to the reader it is given, if there are any. What is damaged counts as
    /// missing.
    pub fn with_attic(
        mut self,
        fetch: impl Fn(&OperatingState, &mut dyn FnMut(&[u8])) + Send + Sync + 'static,
    ) -> Self {
        self.attic = Attic::new(Box::new(fetch));
        self
    }

    /// Number of the monitor behind a code of a module.
    pub fn monitor_of(
        &self,
        module: &str,
        code: TroubleCode,
        failure_type: FailureType,
    ) -> Option<MonitorIx> {
        let same = |m: &vehicle::Monitor| {
            m.module == module && m.code == code && m.failure_type == failure_type
        };
        self.circuit.vehicle.monitors.position(same)
    }

    /// Predictions for a state, from the cache when they are there.
    pub fn predict(&self, state: &OperatingState) -> Arc<Predictions> {
        let wanted = Wanted::State(self.id, state);
        if let Some(hit) = self.cache.get(wanted) {
            return hit;
        }
        let c = &self.circuit;
        let sweep = Sweep::new(c, state, &[]);
        let solution = sweep.healthy().clone();
        let sound = self.circuit.hearing().map(|h| h.sound(&mut sweep.clone())).unwrap_or_default();
        let healthy = Arc::new(Healthy::of(c, &solution, &sound.unheard));
        let count = self.faults.len();
        let healthy_snapshot = Snapshot::healthy(&healthy);
        let made = Arc::new(Predictions {
            healthy: healthy_snapshot,
            base: healthy,
            sound,
            solution,
            sweep,
            phases: OnceLock::new(),
            teeth_on: OnceLock::new(),
            drawn: OnceLock::new(),
            faults: Slots::new(count),
            heard: Slots::new(count),
            bytes: AtomicUsize::new(
                BYTES_A_NODE * c.nodes
                    + Slots::<Snapshot>::bytes_empty(count)
                    + Slots::<Option<Box<Snapshot>>>::bytes_empty(count),
            ),
        });
        self.cache.put(wanted, &made);
        made
    }

    /// Predictions for a state with every hypothesis solved.
    pub fn predict_all(&self, state: &OperatingState) -> Arc<Predictions> {
        let p = self.predict(state);
        self.grown(state, &p, |p| self.solve_missing(state, p, |_| true));
        p
    }

    /// Does something that may make a state's predictions take more room, and says so to the cache.
    fn grown(&self, state: &OperatingState, p: &Arc<Predictions>, work: impl FnOnce(&Predictions)) {
        let before = p.bytes();
        work(p);
        if p.bytes() != before {
            self.cache.put(Wanted::State(self.id, state), p);
        }
    }

    /// Predictions for a state with every hypothesis solved, and who is heard under each. Much slower
    /// the first time: whoever asks for voltages alone does without.
    pub fn predict_heard(&self, state: &OperatingState) -> Arc<Predictions> {
        let p = self.predict_all(state);
        self.grown(state, &p, |p| self.listen(state, p, |_| true));
        p
    }

    /// The same with some hypotheses.
    pub fn predict_heard_some(&self, state: &OperatingState, some: &[HypIx]) -> Arc<Predictions> {
        let p = self.predict_some(state, some);
        if some.iter().all(|h| p.heard.get(*h).is_some()) {
            return p;
        }
        let wanted = self.marked(some);
        self.grown(state, &p, |p| self.listen(state, p, |h| wanted[h]));
        p
    }

    /// Everything about a state that a check taken or chosen in it asks for.
    pub fn prepare(&self, state: &OperatingState) {
        self.prepare_while(state, false, || true);
    }

    /// Forgets what was solved of a state: nobody is going to ask for it soon.
    pub fn forget(&self, state: &OperatingState) {
        self.cache.remove(Wanted::State(self.id, state));
    }

    /// Whether every hypothesis was solved in a state, and who is heard worked out if that is wanted.
    pub fn is_prepared(&self, state: &OperatingState, heard: bool) -> bool {
        let p = self.predict(state);
        p.faults.is_full() && (!heard || self.circuit.hearing().is_none() || p.heard.is_full())
    }

    /// The same piece by piece, with who is heard if that is wanted, as long as there is time; whether
    /// all of it was done.
    pub fn prepare_while(
        &self,
        state: &OperatingState,
        heard: bool,
        time: impl Fn() -> bool,
    ) -> bool {
        let done = self.solve_while(state, heard, time);
        if done {
            self.drawn(&self.predict(state), state);
        }
        done
    }

    /// Every hypothesis solved in a state, in the same way.
    pub fn solve_while(
        &self,
        state: &OperatingState,
        heard: bool,
        time: impl Fn() -> bool,
    ) -> bool {
        let p = self.predict(state);
        // At once what is kept: each piece would read all of it.
        self.grown(state, &p, |p| {
            self.recall(state, p, Part::Plain, |h| p.faults.get(h).is_none());
            if heard {
                self.recall(state, p, Part::Heard, |h| p.heard.get(h).is_none());
            }
        });
        for piece in self.order.chunks(PIECE) {
            if !time() {
                return false;
            }
            match heard {
                true => self.predict_heard_some(state, piece),
                false => self.predict_some(state, piece),
            };
        }
        true
    }

    /// Predictions for a state with some hypotheses solved.
    pub fn predict_some(&self, state: &OperatingState, some: &[HypIx]) -> Arc<Predictions> {
        let p = self.predict(state);
        if some.iter().all(|h| p.faults.get(*h).is_some()) {
            return p;
        }
        let wanted = self.marked(some);
        self.grown(state, &p, |p| self.solve_missing(state, p, |h| wanted[h]));
        p
    }

    fn marked(&self, some: &[HypIx]) -> TiVec<HypIx, bool> {
        let mut wanted: TiVec<HypIx, bool> = vec![false; self.faults.len()].into();
        for h in some {
            if let Some(w) = wanted.get_mut(*h) {
                *w = true;
            }
        }
        wanted
    }

    fn solve_missing(
        &self,
        state: &OperatingState,
        p: &Predictions,
        wanted: impl Fn(HypIx) -> bool + Sync,
    ) {
        let missing = |h: HypIx| wanted(h) && p.faults.get(h).is_none();
        // Asked again and again of what is there long since.
        if p.faults.is_full() || !self.faults.keys().any(missing) {
            return;
        }
        self.recall(state, p, Part::Plain, missing);
        if !self.faults.keys().any(missing) {
            return;
        }
        let snapshot = |point: Point<'_>| {
            Some(match point.is_healthy() {
                true => p.healthy.clone(),
                false => Snapshot::of(&self.circuit, &p.base, &point),
            })
        };
        let all = self.sweep_all(&p.sweep, None, None, missing, None, snapshot);
        for (h, made) in all.into_iter_enumerated() {
            if let Some(made) = made {
                // Another thread may have been as quick: both made the same.
                p.take_in(h, made);
            }
        }
    }

    /// Solves the hypotheses that are wanted in a state, with a meter attached or none, and keeps
    /// what `keep` makes of each; with `at`, of the voltages of two nodes only. The others get `else_this`. The order lets neighbours share
    /// work; the cores take stretches of it.
    pub fn sweep_all<T: Send + Clone + Sync>(
        &self,
        sweep: &Sweep,
        meter: Option<Change>,
        at: Option<&[NodeId]>,
        wanted: impl Fn(HypIx) -> bool + Sync,
        else_this: T,
        keep: impl Fn(Point<'_>) -> T + Sync,
    ) -> TiVec<HypIx, T> {
        let stretch = self.faults.len().div_ceil(4 * rayon::current_num_threads()).max(64);
        let parts: Vec<Vec<T>> = self
            .order
            .par_chunks(stretch)
            .map(|part| {
                let mut sweep = sweep.clone();
                let mut changes = Vec::new();
                part.iter()
                    .map(|h| {
                        if !wanted(*h) {
                            return else_this.clone();
                        }
                        changes.clear();
                        changes.extend_from_slice(&self.faults[*h].changes);
                        changes.extend(meter);
                        keep(match at {
                            Some(nodes) => sweep.solve_at(&changes, nodes),
                            None => sweep.solve(&changes),
                        })
                    })
                    .collect()
            })
            .collect();
        let mut out: TiVec<HypIx, T> = vec![else_this; self.faults.len()].into();
        for (h, made) in self.order.iter().zip(parts.into_iter().flatten()) {
            out[*h] = made;
        }
        out
    }

    /// Something that follows from the model alone, made when it is first asked for: one of each type.
    pub(crate) fn derived<T: Any + Send + Sync>(&self, make: impl FnOnce(&Self) -> T) -> &T {
        self.derived.get(|| make(self))
    }

    /// What is kept for this model, by what is wanted of it.
    pub(crate) fn kept<'w, T: Keep>(
        &self,
        wanted: impl FnOnce(ModelId) -> Wanted<'w>,
    ) -> Option<Arc<T>> {
        self.cache.get(wanted(self.id))
    }

    /// Keeps something for this model.
    pub(crate) fn keep<'w, T: Keep>(
        &self,
        wanted: impl FnOnce(ModelId) -> Wanted<'w>,
        made: &Arc<T>,
    ) {
        self.cache.put(wanted(self.id), made);
    }

    /// The repair item that stands for what is not in the file, the last.
    pub fn elsewhere(&self) -> ItemIx {
        ItemIx::from(self.items.len() - 1)
    }

    /// Hypotheses of a repair item, by its number.
    pub fn variants(&self, item: ItemIx) -> &[HypIx] {
        self.variants.get(item).map_or(&[], Vec::as_slice)
    }

    /// Number of a repair item.
    pub fn item(&self, item: &Item) -> Option<ItemIx> {
        self.items.position(|x| x == item)
    }

    /// What two hypotheses at once predict for a state, for one pair after the other, from the cache
    /// where it is there. Who is heard, which takes much longer, is worked out only if wanted.
    pub fn pairs(
        &self,
        state: &OperatingState,
        pairs: &[[HypIx; 2]],
        heard: bool,
    ) -> Vec<Arc<Snapshot>> {
        let wanted = |pair: &[HypIx; 2]| Wanted::Pair(self.id, state, *pair, heard);
        let known: Vec<Option<Arc<Snapshot>>> =
            pairs.iter().map(|pair| self.cache.get(wanted(pair))).collect();
        let missing: Vec<[HypIx; 2]> =
            pairs.iter().zip(&known).filter(|(_, k)| k.is_none()).map(|(pair, _)| *pair).collect();
        if missing.is_empty() {
            return known.into_iter().flatten().collect();
        }
        let p = self.predict(state);
        let stretch = missing.len().div_ceil(2 * rayon::current_num_threads()).max(1);
        let parts: Vec<Vec<Arc<Snapshot>>> = missing
            .par_chunks(stretch)
            .map(|part| {
                let mut sweep = p.sweep.clone();
                let mut solved = |pair: &[HypIx; 2]| {
                    let of = |h: &HypIx| self.faults[*h].changes.iter().copied();
                    let changes: Vec<Change> = pair.iter().flat_map(of).collect();
                    let made = Arc::new(match heard {
                        true => self.take(&p, &mut sweep, &changes),
                        false => Snapshot::of(&self.circuit, &p.base, &sweep.solve(&changes)),
                    });
                    self.cache.put(wanted(pair), &made);
                    made
                };
                part.iter().map(&mut solved).collect()
            })
            .collect();
        let mut solved = parts.into_iter().flatten();
        known.into_iter().map_while(|k| k.or_else(|| solved.next())).collect()
    }

    /// The same of one pair.
    pub fn pair(&self, state: &OperatingState, pair: [HypIx; 2], heard: bool) -> Arc<Snapshot> {
        self.pairs(state, &[pair], heard).remove(0)
    }

    /// What any changes of the circuit predict for a state.
    pub fn snapshot(&self, state: &OperatingState, changes: &[Change]) -> Snapshot {
        let p = self.predict(state);
        let mut sweep = p.sweep.clone();
        self.take(&p, &mut sweep, changes)
    }

    fn drawn<'p>(&self, p: &'p Predictions, state: &OperatingState) -> &'p [Snapshot] {
        if let Some(drawn) = p.drawn.get() {
            return drawn;
        }
        // Solved before the cell is taken: a core that waits in `par_iter` takes up other work, and
        // if that wanted the same cell both would wait for ever. Two may solve the same.
        let of = |d: &Circuit| {
            Snapshot::healthy(&Arc::new(Healthy::of(
                d,
                &d.solve_lacking(state, &[], None, &p.solution.lost),
                &Unheard::default(),
            )))
        };
        let drawn = self.drawn.par_iter().map(of).collect();
        p.drawn.get_or_init(|| drawn)
    }

    /// How far volts between pairs of nodes scatter over sound vehicles about a solution of a state that is
    /// not kept, one standard deviation each.
    pub(crate) fn scatter_at(
        &self,
        nominal: &Solution,
        state: &OperatingState,
        pairs: &[(NodeId, NodeId)],
    ) -> Vec<f64> {
        let mut squares = vec![0.0; pairs.len()];
        for d in &self.drawn {
            let s = d.solve_lacking(state, &[], None, &nominal.lost);
            for (sum, (a, b)) in squares.iter_mut().zip(pairs) {
                let by = s.volts[*a] - s.volts[*b] - nominal.volts[*a] + nominal.volts[*b];
                *sum += by * by;
            }
        }
        squares.iter().map(|sum| (sum / self.drawn.len().max(1) as f64).sqrt()).collect()
    }

    /// How far the reading of a sound vehicle scatters, one standard deviation.
    pub fn scatter(
        &self,
        p: &Predictions,
        state: &OperatingState,
        shown: impl Fn(&Snapshot) -> f64,
    ) -> f64 {
        let drawn = self.drawn(p, state);
        let nominal = shown(&p.healthy);
        let sum: f64 = drawn.iter().map(|d| (shown(d) - nominal).powi(2)).sum();
        (sum / drawn.len().max(1) as f64).sqrt()
    }

    /// The same, well enough to choose a check by: with connectors unplugged it is taken to scatter
    /// as with everything plugged, which has been solved long since.
    pub fn rough_scatter(
        &self,
        p: &Predictions,
        state: &OperatingState,
        shown: impl Fn(&Snapshot) -> f64,
    ) -> f64 {
        if state.is_plugged() {
            return self.scatter(p, state, shown);
        }
        let plugged = state.plugged();
        self.scatter(&self.predict(&plugged), &plugged, shown)
    }

    /// Scatter of a reading that loads the circuit, from the drawn vehicles themselves.
    pub fn tool_scatter(&self, state: &OperatingState, leads: Leads, nominal: f64) -> f64 {
        let sum: f64 = self
            .drawn
            .iter()
            .map(|d| leads.shown(d, &d.solve(state, &[], leads.extra())).value())
            .filter(|v| v.is_finite())
            .map(|v| (v - nominal).powi(2))
            .sum();
        (sum / self.drawn.len().max(1) as f64).sqrt()
    }

    /// Service charts of its sensors.
    pub fn charts(&self) -> &Charts {
        self.derived(|_| Charts::default())
    }

    /// Text of an item.
    pub fn item_text(&self, item: &Item) -> String {
        fault::item_text(&self.circuit, item)
    }
}

/// Whether a meter's 10 MOhm could matter under a fault: something is open or nearly so.
pub fn high_ohmic(changes: &[Change]) -> bool {
    changes.iter().any(|c| match c {
        Change::Branch(_, Law::Ohms(r)) | Change::Series(_, r) => *r > 5e3,
        _ => false,
    })
}

/// What a voltmeter or a clamp shows of a snapshot, without the meter's own load.
pub fn shown(leads: Leads, circuit: &Circuit, s: &Snapshot) -> f64 {
    match leads {
        Leads::Between(_, a, b) => s.between(a, b),
        Leads::Around(branch) => match circuit.branches[branch].of {
            circuit::Of::Wire(w) => s.amps(w),
            _ => 0.0,
        },
    }
}
