//! The operating point: Newton iteration inside, discrete fixed point outside.

use crate::LEAK_SIEMENS;
use crate::compile::{BranchId, Circuit, DeviceIx, NodeId, Of};
use crate::elements::Seen;
use crate::fault::Change;
use crate::law::Law;
use crate::linear::{Factor, Plan};
use crate::reroute::LEAD_OHMS;
use crate::software::{ArrivalIx, View};
use std::collections::{BTreeMap, BTreeSet};
use vehicle::{OperatingState, OutputIx, PartIx, TiSlice, TiVec};

/// A branch that is not in the vehicle: a meter's leads.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Extra {
    /// First node.
    pub from: NodeId,
    /// Second node.
    pub to: NodeId,
    /// Its law.
    pub law: Law,
    /// Current at which a fuse in it opens, amperes; infinite without one.
    pub blows_at: f64,
}

impl Extra {
    /// A branch without a fuse.
    pub fn new(from: NodeId, to: NodeId, law: Law) -> Self {
        Self { from, to, law, blows_at: f64::INFINITY }
    }
}

/// Rounds of relays, fuses, drivers and modules before a circuit counts as chattering.
const ROUNDS: usize = 40;
/// Newton steps in one round.
const STEPS: usize = 80;
/// Largest change of a node voltage in a converged Newton step, volts.
const TOLERANCE: f64 = 1e-8;

/// An operating point.
#[derive(Debug, Clone)]
pub struct Solution {
    /// Node voltages against the body, volts.
    pub volts: TiVec<NodeId, f64>,
    /// Mode of each device.
    pub modes: TiVec<DeviceIx, u8>,
    /// Numbers of the outputs that are asked for.
    pub asked: BTreeSet<OutputIx>,
    /// How much of the time outputs are on that a tester set so, percent.
    pub percent: BTreeMap<OutputIx, f64>,
    /// Law of every branch at the end.
    pub laws: TiVec<BranchId, Law>,
    /// Newton converged and all devices settled.
    pub converged: bool,
    /// Parts that keep switching to and fro: a chattering relay is a finding.
    pub chattering: BTreeSet<PartIx>,
    /// Parts whose effect is lost mechanically.
    pub no_effect: BTreeSet<PartIx>,
    /// The fuse of a meter or jumper attached to the circuit opened.
    pub tool_blew: bool,
    /// Largest current each branch carried on the way to the result, amperes.
    pub peak_amps: TiVec<BranchId, f64>,
    /// Largest voltage each node had on the way to the result, volts.
    pub peak_volts: TiVec<NodeId, f64>,
    /// Messages that were taken not to arrive although their senders work, in rising order.
    pub lost: Vec<ArrivalIx>,
}

/// A drop that no workshop meter shows, volts.
const DEAD_VOLTS: f64 = 1e-3;

impl Circuit {
    /// Solves an operating state with changes and at most one meter attached.
    ///
    /// Every message that is sent arrives here. Names in `state` that do not exist are ignored; [`Circuit::check_state`] reports them.
    pub fn solve(
        &self,
        state: &OperatingState,
        changes: &[Change],
        extra: Option<Extra>,
    ) -> Solution {
        self.solve_lacking(state, changes, extra, &[])
    }

    /// The same where messages do not arrive although their senders work, in rising order: what they ask
    /// for is not done. [`crate::hearing::solve`] finds out which.
    pub fn solve_lacking(
        &self,
        state: &OperatingState,
        changes: &[Change],
        extra: Option<Extra>,
        lost: &[ArrivalIx],
    ) -> Solution {
        Run::new(self, state, changes, extra, lost).finish()
    }

    /// Whether changes leave a solution as it is, to a millivolt: the current a changed
    /// branch ever carried while it was found would not drop that much in the changed
    /// resistance, and bridged nodes never had that much voltage.
    pub fn untouched(&self, healthy: &Solution, changes: &[Change]) -> bool {
        self.untouched_to(healthy, changes, DEAD_VOLTS)
    }

    /// The same to any voltage.
    pub fn untouched_to(&self, healthy: &Solution, changes: &[Change], volts: f64) -> bool {
        // Only a resistance that grows: one that shrinks lets a current flow that was not there.
        let grows = |k: BranchId, r: f64| matches!(healthy.laws[k], Law::Ohms(old) if r >= old);
        changes.iter().all(|change| match *change {
            Change::Series(k, r) => healthy.peak_amps[k] * r < volts,
            // Less resistance lets no current flow where there was none at all.
            Change::Times(k, n) => {
                let b = &self.branches[k];
                n > 1.0 && matches!(healthy.laws[k], Law::Ohms(r) if healthy.peak_amps[k] * r * (n - 1.0) < volts)
                    || healthy.peak_volts[b.from] < volts && healthy.peak_volts[b.to] < volts
            }
            Change::Branch(k, Law::Ohms(r)) => grows(k, r) && healthy.peak_amps[k] * r < volts,
            Change::Branch(k, Law::Constriction { ohms, knee }) => {
                grows(k, ohms)
                    && healthy.peak_amps[k] * ohms < volts
                    && healthy.peak_amps[k] < 0.01 * knee
            }
            Change::Bridge(a, b, _) => {
                healthy.peak_volts[a] < volts && healthy.peak_volts[b] < volts
            }
            _ => false,
        })
    }
}

/// How the law that a branch has in its state is altered.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Altered {
    /// A resistance in series, ohms.
    Series(f64),
    /// So many times its resistance.
    Times(f64),
}

impl Altered {
    pub(crate) fn of(self, law: Law) -> Law {
        match self {
            Self::Series(ohms) => law.in_series(ohms),
            Self::Times(n) => law.times(n),
        }
    }
}

struct Run<'a> {
    circuit: &'a Circuit,
    state: &'a OperatingState,
    own_plan: Option<Plan>,
    extras: Vec<Extra>,
    fixed: BTreeMap<BranchId, Law>,
    altered: BTreeMap<BranchId, Altered>,
    held: BTreeMap<DeviceIx, u8>,
    lost: &'a [ArrivalIx],
    factor: Factor,
    out: Solution,
}

impl<'a> Run<'a> {
    fn new(
        circuit: &'a Circuit,
        state: &'a OperatingState,
        changes: &[Change],
        extra: Option<Extra>,
        lost: &'a [ArrivalIx],
    ) -> Self {
        let mut fixed = BTreeMap::new();
        let mut altered = BTreeMap::new();
        let mut held = BTreeMap::new();
        let mut extras: Vec<Extra> = extra.into_iter().collect();
        let mut no_effect = BTreeSet::new();
        for change in changes {
            match *change {
                Change::Branch(branch, law) => {
                    fixed.insert(branch, law);
                }
                Change::Series(branch, ohms) => {
                    altered.insert(branch, Altered::Series(ohms));
                }
                Change::Times(branch, n) => {
                    altered.insert(branch, Altered::Times(n));
                }
                Change::Hold(device, mode) => {
                    held.insert(device, mode);
                }
                Change::Bridge(from, to, ohms) => {
                    extras.push(Extra::new(from, to, Law::Ohms(ohms)));
                }
                Change::Meter(extra) => extras.push(extra),
                Change::NoEffect(part) => {
                    no_effect.insert(part);
                }
            }
        }
        for branch in circuit.unplugged(state) {
            fixed.insert(branch, Law::OPEN);
        }
        for branch in circuit.leads(state) {
            fixed.insert(branch, Law::Ohms(LEAD_OHMS));
        }
        let own_plan = (!extras.is_empty()).then(|| {
            let ends = circuit.branches.iter().map(|b| (b.from, b.to));
            let more = extras.iter().map(|e| (e.from, e.to));
            Plan::new(circuit.nodes, &ends.chain(more).collect::<Vec<_>>())
        });
        let modes = circuit
            .devices
            .iter_enumerated()
            .map(|(d, placed)| held.get(&d).copied().unwrap_or_else(|| placed.device.start(state)))
            .collect();
        Self {
            circuit,
            state,
            own_plan,
            extras,
            fixed,
            altered,
            held,
            lost,
            factor: Factor::default(),
            out: Solution {
                volts: vec![0.0; circuit.nodes].into(),
                modes,
                asked: BTreeSet::new(),
                percent: circuit.software.percent(state),
                laws: TiVec::new(),
                converged: false,
                chattering: BTreeSet::new(),
                no_effect,
                tool_blew: false,
                peak_amps: vec![0.0; circuit.branches.len()].into(),
                peak_volts: vec![0.0; circuit.nodes].into(),
                lost: lost.to_vec(),
            },
        }
    }

    fn finish(mut self) -> Solution {
        let mut seen_modes = BTreeSet::new();
        let mut circle_from = None;
        // A module resets long before anything it drives has moved. Where modules wake and sleep by
        // turns for ever, what is slower than they moves all the same: a relay that pulls in ends it.
        let mut supplies_first = true;
        for _ in 0..ROUNDS {
            self.set_laws();
            let newton = self.newton();
            // A tool's fuse is meant to be the weakest in the circuit: it goes before any other.
            if self.blow_tool() {
                continue;
            }
            self.note_peaks();
            let (modes, asked) = self.next_modes(supplies_first);
            if modes == self.out.modes && asked == self.out.asked {
                self.out.converged = newton;
                return self.out;
            }
            // Modes decide the voltages and the voltages the next modes: what came once comes
            // again. Once round the circle shows who takes part.
            let again = !seen_modes.insert((modes.clone(), asked.clone()));
            if again && supplies_first {
                supplies_first = false;
                seen_modes.clear();
                continue;
            }
            if again {
                for (d, placed) in self.circuit.devices.iter_enumerated() {
                    if modes[d] != self.out.modes[d] {
                        self.out.chattering.insert(placed.part);
                    }
                }
            }
            let state = (modes, asked);
            if circle_from.as_ref() == Some(&state) {
                return self.out;
            }
            if again && circle_from.is_none() {
                circle_from = Some(state.clone());
            }
            (self.out.modes, self.out.asked) = state;
        }
        self.out
    }

    fn blow_tool(&mut self) -> bool {
        let volts = &self.out.volts;
        let over = |e: &&mut Extra| e.law.amps(volts[e.from] - volts[e.to]).abs() > e.blows_at;
        let Some(extra) = self.extras.iter_mut().find(over) else {
            return false;
        };
        extra.law = Law::OPEN;
        extra.blows_at = f64::INFINITY;
        self.out.tool_blew = true;
        true
    }

    fn note_peaks(&mut self) {
        let out = &mut self.out;
        for (k, b) in self.circuit.branches.iter_enumerated() {
            let amps = out.laws[k].amps(out.volts[b.from] - out.volts[b.to]).abs();
            out.peak_amps[k] = out.peak_amps[k].max(amps);
        }
        for (peak, v) in out.peak_volts.iter_mut().zip(&out.volts) {
            *peak = peak.max(v.abs());
        }
    }

    fn set_laws(&mut self) {
        let out = &mut self.out;
        out.laws.clear();
        for (k, branch) in self.circuit.branches.iter_enumerated() {
            let law = match (self.fixed.get(&k), &branch.of) {
                (Some(law), _) => *law,
                (None, Of::Device { device, role }) => {
                    self.circuit.devices[*device].device.law(*role, out.modes[*device], self.state)
                }
                (None, _) => branch.law,
            };
            out.laws.push(match self.altered.get(&k) {
                Some(how) => how.of(law),
                None => law,
            });
        }
    }

    /// Newton's method. All laws rise with their voltage, so the solution is the bottom of a
    /// convex valley (the network's co-content) and each step points downward; a step that
    /// would overshoot is shortened by looking at the slope along it.
    fn newton(&mut self) -> bool {
        let circuit = self.circuit;
        let plan = self.own_plan.as_ref().unwrap_or(&circuit.plan);
        let bent: Vec<BranchId> =
            self.out.laws.keys().filter(|k| !self.out.laws[*k].is_linear()).collect();
        for _ in 0..STEPS {
            let volts = &self.out.volts;
            let laws = &self.out.laws;
            let own = circuit
                .branches
                .iter()
                .zip(laws)
                .map(|(b, law)| law.norton(volts[b.from] - volts[b.to]));
            let more = self.extras.iter().map(|e| e.law.norton(volts[e.from] - volts[e.to]));
            plan.solve(LEAK_SIEMENS, own.chain(more), &mut self.factor);
            let next = TiSlice::<NodeId, f64>::from_ref(&self.factor.volts);
            // At each bent branch: voltage, step, and the linearisation that was used.
            let step = |law: Law, from: NodeId, to: NodeId| {
                let v = volts[from] - volts[to];
                (law, v, next[from] - next[to] - v, law.norton(v))
            };
            let own = bent.iter().map(|&k| {
                let b = &circuit.branches[k];
                step(laws[k], b.from, b.to)
            });
            let bent_extras = self.extras.iter().filter(|e| !e.law.is_linear());
            let bent_steps: Vec<(Law, f64, f64, (f64, f64))> =
                own.chain(bent_extras.map(|e| step(e.law, e.from, e.to))).collect();
            let settled = bent_steps.iter().all(|(law, v, d, (g, i0))| {
                let at = v + d;
                let (true_amps, used) = (law.amps(at), g * at + i0);
                (true_amps - used).abs() <= 1e-13 + 1e-9 * true_amps.abs()
            });
            if settled {
                std::mem::swap(&mut self.out.volts.raw, &mut self.factor.volts);
                return true;
            }
            let t = self.step_length(&bent_steps);
            let moved = next.iter().zip(volts).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
            if t >= 1.0 {
                std::mem::swap(&mut self.out.volts.raw, &mut self.factor.volts);
            } else {
                for (v, n) in self.out.volts.iter_mut().zip(&self.factor.volts) {
                    *v += t * (n - *v);
                }
            }
            if moved < TOLERANCE {
                return true;
            }
        }
        false
    }

    /// How much of a Newton step to take: where the slope along it has fallen to a third.
    fn step_length(&self, bent: &[(Law, f64, f64, (f64, f64))]) -> f64 {
        let slope_at = |t: f64| -> f64 {
            bent.iter()
                .map(|(law, v, d, (g, i0))| {
                    let at = v + t * d;
                    (law.amps(at) - (g * at + i0)) * d
                })
                .sum()
        };
        // The linear part of the slope: all of it at the start, nothing at the full step.
        let volts = &self.out.volts;
        let next = TiSlice::<NodeId, f64>::from_ref(&self.factor.volts);
        let mut all: f64 =
            next.iter().zip(volts).map(|(n, v)| LEAK_SIEMENS * (n - v).powi(2)).sum();
        for (k, b) in self.circuit.branches.iter_enumerated() {
            let d = next[b.from] - volts[b.from] - next[b.to] + volts[b.to];
            all += self.factor.branch(k).0 * d * d;
        }
        for (k, e) in self.extras.iter().enumerate() {
            let d = next[e.from] - volts[e.from] - next[e.to] + volts[e.to];
            all += self.factor.branch(self.circuit.branches.len() + k).0 * d * d;
        }
        let slope = |t: f64| slope_at(t) - (1.0 - t) * all;
        if slope(1.0) <= 0.3 * all {
            return 1.0;
        }
        let (mut low, mut high) = (0.0, 1.0);
        for _ in 0..40 {
            let mid = 0.5 * (low + high);
            let s = slope(mid);
            if s.abs() <= 0.3 * all {
                return mid;
            }
            if s > 0.0 { high = mid } else { low = mid }
        }
        low.max(1e-6)
    }

    /// The modes that follow from the voltages; with `supplies_first`, of supplies alone while any of
    /// them changes.
    fn next_modes(&self, supplies_first: bool) -> (TiVec<DeviceIx, u8>, BTreeSet<OutputIx>) {
        let c = self.circuit;
        let alive = self.out.alive_parts(c);
        let asked = c.software.asked(self.state, self.out.view(&alive, self.lost));
        let mut modes = self.out.modes.clone();
        let bus_awake = c.software.bus_awake(&alive, &c.woken_by_bus);
        let (mut volts, mut amps) = (Vec::new(), Vec::new());
        for (d, placed) in c.devices.iter_enumerated() {
            if self.held.contains_key(&d) {
                continue;
            }
            volts.clear();
            amps.clear();
            for &k in &placed.branches {
                let b = &c.branches[k];
                let v = self.out.volts[b.from] - self.out.volts[b.to];
                volts.push(v);
                amps.push(self.out.laws[k].amps(v));
            }
            let seen = Seen {
                volts: &volts,
                amps: &amps,
                alive: alive[placed.part],
                asked: &asked,
                bus_awake: bus_awake[placed.part],
                state: self.state,
            };
            modes[d] = placed.device.next(self.out.modes[d], &seen);
        }
        let is_supply = |d: DeviceIx| c.devices[d].device.alive(0).is_some();
        let moves = |d: DeviceIx| modes[d] != self.out.modes[d];
        if supplies_first && modes.keys().any(|d| moves(d) && is_supply(d)) {
            for (d, mode) in modes.iter_mut_enumerated() {
                if !is_supply(d) {
                    *mode = self.out.modes[d];
                }
            }
            return (modes, self.out.asked.clone());
        }
        (modes, asked)
    }
}

impl Solution {
    /// Current through a branch from its first to its second node, amperes.
    pub fn amps(&self, circuit: &Circuit, branch: BranchId) -> f64 {
        let b = &circuit.branches[branch];
        self.laws[branch].amps(self.volts[b.from] - self.volts[b.to])
    }

    /// Whether a module works: all its supplies are awake. A part without a supply does.
    pub fn alive(&self, circuit: &Circuit, part: PartIx) -> bool {
        circuit.part_devices[part]
            .iter()
            .all(|d| circuit.devices[*d].device.alive(self.modes[*d]).unwrap_or(true))
    }

    /// The same for every part.
    pub fn alive_parts(&self, circuit: &Circuit) -> TiVec<PartIx, bool> {
        circuit.vehicle.parts.keys().map(|p| self.alive(circuit, p)).collect()
    }

    /// What the software looks at; `lost` as in [`View`].
    pub fn view<'a>(&'a self, alive: &'a TiSlice<PartIx, bool>, lost: &'a [ArrivalIx]) -> View<'a> {
        View { volts: &self.volts, alive, asked: &self.asked, percent: &self.percent, lost }
    }

    /// How strongly the effect of a part shows: 1 at its rating, 0 when it does nothing.
    /// `None` when the part has no effect anybody notices.
    pub fn effect(&self, circuit: &Circuit, part: PartIx) -> Option<f64> {
        let effect = circuit.effect(part, &self.volts, &self.laws)?;
        Some(if self.no_effect.contains(&part) { 0.0 } else { effect })
    }
}

impl Circuit {
    /// Terminal pairs pulled apart in a state.
    pub(crate) fn unplugged(&self, state: &OperatingState) -> impl Iterator<Item = BranchId> {
        let moved = state.rerouted.iter().filter_map(|id| self.reroute(id));
        self.terminal_branch
            .iter()
            .filter(|(key, _)| state.unplugged.contains(&key.0))
            .map(|(_, branch)| *branch)
            .chain(moved.flat_map(|r| r.opens.iter().copied()))
    }

    /// How strongly a part's effect shows, from voltages and laws; mechanical losses aside.
    pub fn effect(
        &self,
        part: PartIx,
        volts: &TiSlice<NodeId, f64>,
        laws: &TiSlice<BranchId, Law>,
    ) -> Option<f64> {
        self.part_devices[part].iter().find_map(|d| {
            let placed = &self.devices[*d];
            let k = *placed.branches.first()?;
            let b = &self.branches[k];
            placed.device.effect(laws[k], volts[b.from] - volts[b.to])
        })
    }
}
