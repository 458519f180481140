//! The operating point: Newton iteration inside, discrete fixed point outside.

use crate::compile::{BranchId, Circuit, NodeId, Of};
use crate::elements::Seen;
use crate::fault::Change;
use crate::law::Law;
use crate::linear::{Plan, Work};
use crate::{LEAK_SIEMENS, software};
use std::collections::{BTreeMap, BTreeSet};
use vehicle::OperatingState;

/// A branch that is not in the vehicle: a meter's leads.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Extra {
    /// First node.
    pub from: NodeId,
    /// Second node.
    pub to: NodeId,
    /// Its law.
    pub law: Law,
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
    pub volts: Vec<f64>,
    /// Mode of each device.
    pub modes: Vec<u8>,
    /// Outputs that are asked for.
    pub asked: BTreeSet<String>,
    /// Law of every branch at the end.
    pub laws: Vec<Law>,
    /// Newton converged and all devices settled.
    pub converged: bool,
    /// Parts that keep switching to and fro: a chattering relay is a finding.
    pub chattering: BTreeSet<usize>,
    /// Parts whose effect is lost mechanically.
    pub no_effect: BTreeSet<usize>,
    /// Largest current each branch carried on the way to the result, amperes.
    pub peak_amps: Vec<f64>,
    /// Largest voltage each node had on the way to the result, volts.
    pub peak_volts: Vec<f64>,
}

/// A drop that no workshop meter shows, volts.
const DEAD_VOLTS: f64 = 1e-3;

impl Circuit {
    /// Solves an operating state with changes and at most one meter attached.
    ///
    /// Names in `state` that do not exist are ignored here; [`Circuit::check_state`] reports them.
    pub fn solve(
        &self,
        state: &OperatingState,
        changes: &[Change],
        extra: Option<Extra>,
    ) -> Solution {
        Run::new(self, state, changes, extra).finish()
    }

    /// Whether changes leave a solution as it is, to a millivolt: the current a changed
    /// branch ever carried while it was found would not drop that much in the changed
    /// resistance, and bridged nodes never had that much voltage.
    pub fn untouched(&self, healthy: &Solution, changes: &[Change]) -> bool {
        changes.iter().all(|change| match *change {
            Change::Branch(k, Law::Ohms(r)) | Change::Series(k, r) => {
                healthy.peak_amps[k] * r < DEAD_VOLTS
            }
            Change::Branch(k, Law::Constriction { ohms, knee }) => {
                healthy.peak_amps[k] * ohms < DEAD_VOLTS && healthy.peak_amps[k] < 0.01 * knee
            }
            Change::Bridge(a, b, _) => {
                healthy.peak_volts[a] < DEAD_VOLTS && healthy.peak_volts[b] < DEAD_VOLTS
            }
            _ => false,
        })
    }
}

struct Run<'a> {
    circuit: &'a Circuit,
    state: &'a OperatingState,
    own_plan: Option<Plan>,
    extras: Vec<Extra>,
    fixed: BTreeMap<BranchId, Law>,
    series: BTreeMap<BranchId, f64>,
    held: BTreeMap<usize, u8>,
    work: Work,
    out: Solution,
}

impl<'a> Run<'a> {
    fn new(
        circuit: &'a Circuit,
        state: &'a OperatingState,
        changes: &[Change],
        extra: Option<Extra>,
    ) -> Self {
        let mut fixed = BTreeMap::new();
        let mut series = BTreeMap::new();
        let mut held = BTreeMap::new();
        let mut extras: Vec<Extra> = extra.into_iter().collect();
        let mut no_effect = BTreeSet::new();
        for change in changes {
            match *change {
                Change::Branch(branch, law) => {
                    fixed.insert(branch, law);
                }
                Change::Series(branch, ohms) => {
                    series.insert(branch, ohms);
                }
                Change::Hold(device, mode) => {
                    held.insert(device, mode);
                }
                Change::Bridge(from, to, ohms) => {
                    extras.push(Extra { from, to, law: Law::Ohms(ohms) })
                }
                Change::NoEffect(part) => {
                    no_effect.insert(part);
                }
            }
        }
        for (key, &branch) in &circuit.terminal_branch {
            if state.unplugged.contains(&key.0) {
                fixed.insert(branch, Law::OPEN);
            }
        }
        let own_plan =
            extras.iter().any(|e| e.from != 0 && e.to != 0 && e.from != e.to).then(|| {
                let ends = circuit.branches.iter().map(|b| (b.from, b.to));
                let more = extras.iter().map(|e| (e.from, e.to));
                Plan::new(circuit.nodes, &ends.chain(more).collect::<Vec<_>>())
            });
        let modes = circuit
            .devices
            .iter()
            .enumerate()
            .map(|(d, placed)| held.get(&d).copied().unwrap_or_else(|| placed.device.start(state)))
            .collect();
        Self {
            circuit,
            state,
            own_plan,
            extras,
            fixed,
            series,
            held,
            work: Work::default(),
            out: Solution {
                volts: vec![0.0; circuit.nodes],
                modes,
                asked: BTreeSet::new(),
                laws: Vec::new(),
                converged: false,
                chattering: BTreeSet::new(),
                no_effect,
                peak_amps: vec![0.0; circuit.branches.len()],
                peak_volts: vec![0.0; circuit.nodes],
            },
        }
    }

    fn finish(mut self) -> Solution {
        let mut seen_modes = BTreeSet::new();
        for _ in 0..ROUNDS {
            self.set_laws();
            let newton = self.newton();
            self.note_peaks();
            let (modes, asked) = self.next_modes();
            if modes == self.out.modes && asked == self.out.asked {
                self.out.converged = newton;
                return self.out;
            }
            if !seen_modes.insert((modes.clone(), asked.clone())) {
                for (d, placed) in self.circuit.devices.iter().enumerate() {
                    if modes[d] != self.out.modes[d] {
                        self.out.chattering.insert(placed.part);
                    }
                }
            }
            self.out.modes = modes;
            self.out.asked = asked;
        }
        self.out
    }

    fn note_peaks(&mut self) {
        let out = &mut self.out;
        for (k, b) in self.circuit.branches.iter().enumerate() {
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
        for (k, branch) in self.circuit.branches.iter().enumerate() {
            let law = match (self.fixed.get(&k), &branch.of) {
                (Some(law), _) => *law,
                (None, Of::Device { device, role }) => {
                    self.circuit.devices[*device].device.law(*role, out.modes[*device])
                }
                (None, _) => branch.law,
            };
            out.laws.push(match self.series.get(&k) {
                Some(ohms) => law.in_series(*ohms),
                None => law,
            });
        }
    }

    fn newton(&mut self) -> bool {
        let mut next = Vec::new();
        for step in 0..STEPS {
            {
                let volts = &self.out.volts;
                let laws = &self.out.laws;
                let own = self.circuit.branches.iter().enumerate().map(|(k, b)| {
                    let (g, i) = laws[k].norton(volts[b.from] - volts[b.to]);
                    (b.from, b.to, g, i)
                });
                let more = self.extras.iter().map(|e| {
                    let (g, i) = e.law.norton(volts[e.from] - volts[e.to]);
                    (e.from, e.to, g, i)
                });
                let plan = self.own_plan.as_ref().unwrap_or(&self.circuit.plan);
                plan.solve(LEAK_SIEMENS, own.chain(more), &mut self.work, &mut next);
            }
            let moved =
                next.iter().zip(&self.out.volts).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
            // A piecewise-linear law that stays on its piece is solved exactly.
            let settled = self.circuit.branches.iter().zip(&self.out.laws).all(|(b, law)| {
                law.is_linear() || {
                    let used = law.norton(self.out.volts[b.from] - self.out.volts[b.to]);
                    let now = law.norton(next[b.from] - next[b.to]);
                    (used.0 - now.0).abs() <= 1e-9 * used.0 && (used.1 - now.1).abs() <= 1e-12
                }
            });
            // Half steps break the cycles that kinked laws can fall into.
            if step >= STEPS / 2 && moved > TOLERANCE {
                for (n, old) in next.iter_mut().zip(&self.out.volts) {
                    *n = 0.5 * (*n + old);
                }
            }
            std::mem::swap(&mut self.out.volts, &mut next);
            if settled || moved < TOLERANCE {
                return true;
            }
        }
        false
    }

    fn next_modes(&self) -> (Vec<u8>, BTreeSet<String>) {
        let asked = software::asked(self.circuit, self.state, &self.out);
        let mut modes = self.out.modes.clone();
        let mut alive = vec![true; self.circuit.vehicle.parts.len()];
        for (placed, mode) in self.circuit.devices.iter().zip(&self.out.modes) {
            alive[placed.part] &= placed.device.alive(*mode).unwrap_or(true);
        }
        let (mut volts, mut amps) = (Vec::new(), Vec::new());
        for (d, placed) in self.circuit.devices.iter().enumerate() {
            if self.held.contains_key(&d) {
                continue;
            }
            volts.clear();
            amps.clear();
            for &k in &placed.branches {
                let b = &self.circuit.branches[k];
                let v = self.out.volts[b.from] - self.out.volts[b.to];
                volts.push(v);
                amps.push(self.out.laws[k].amps(v));
            }
            let seen = Seen {
                volts: &volts,
                amps: &amps,
                alive: alive[placed.part],
                asked: placed.device.output().is_some_and(|o| asked.contains(o)),
            };
            modes[d] = placed.device.next(self.out.modes[d], &seen);
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
    pub fn alive(&self, circuit: &Circuit, part: usize) -> bool {
        circuit
            .devices
            .iter()
            .zip(&self.modes)
            .filter(|(d, _)| d.part == part)
            .all(|(d, mode)| d.device.alive(*mode).unwrap_or(true))
    }

    /// How strongly the effect of a part shows: speed of its motor against rated, 0 when it stands.
    /// `None` when the part has no effect anybody notices.
    pub fn effect(&self, circuit: &Circuit, part: usize) -> Option<f64> {
        let (placed, element) = circuit
            .devices
            .iter()
            .filter(|d| d.part == part)
            .map(|d| (d, &circuit.vehicle.parts[part].elements[d.element]))
            .find(|(_, e)| matches!(e, vehicle::Element::Motor { .. }))?;
        let vehicle::Element::Motor { winding_ohms, rated_volts, rated_amps, .. } = element else {
            return None;
        };
        if self.no_effect.contains(&part) {
            return Some(0.0);
        }
        let k = placed.branches[0];
        let b = &circuit.branches[k];
        let emf = self.laws[k].back_emf(self.volts[b.from] - self.volts[b.to]);
        Some(emf / (rated_volts - rated_amps * winding_ohms))
    }
}
