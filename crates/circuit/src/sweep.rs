//! Every hypothesis of one state, each from the factorised healthy circuit.
//!
//! A hypothesis differs from the healthy circuit in a branch or two. A [`Sweep`]
//! keeps the healthy solution with all its elimination steps; a hypothesis redoes
//! the steps that depend on its change (a low-rank update), follows the devices
//! that it moves to another mode, and is taken back. What leaves the reach of
//! that (a circuit that does not settle) is solved from rest by [`Circuit::solve`], so that both give the same answer.

use crate::LEAK_SIEMENS;
use crate::compile::{BranchId, Circuit, NodeId, Of};
use crate::elements::Seen;
use crate::fault::Change;
use crate::law::Law;
use crate::linear::{Factor, STILL_VOLTS};
use crate::software::View;
use crate::solve::Solution;
use std::collections::BTreeSet;
use vehicle::OperatingState;

/// Rounds of devices and Newton steps before a hypothesis is solved from rest.
const ROUNDS: usize = 60;
/// Resistance at the far end of a line, ohms.
const LINE_OHMS: f64 = 1e6;
/// Current that tries how the circuit answers a bridge, amperes.
const TRIAL_AMPS: f64 = 1e-3;
/// Changes of one device's mode before it counts as going to and fro.
const TURNS: usize = 5;
/// How far a node with a bent law may move before the law is looked at, volts.
const BENT_VOLTS: f64 = 3e-3;
/// How far a bent law may stray from its linearisation, amperes and as a share of its current.
const STRAY_AMPS: f64 = 1e-12;
const STRAY: f64 = 1e-5;

/// A state with everything needed to solve hypotheses quickly.
#[derive(Debug)]
pub struct Sweep<'a> {
    circuit: &'a Circuit,
    state: &'a OperatingState,
    holds: Vec<Change>,
    base: Solution,
    base_alive: Vec<bool>,
    pulled: Vec<bool>,
    factor: Factor,
    now: Now,
    full: Option<(Solution, Vec<bool>)>,
    line: Option<Line>,
    /// How many hypotheses had to be solved from rest.
    pub from_rest: usize,
    /// How many hypotheses change nothing in this state.
    pub untouched: usize,
}

/// The circuit as a hypothesis has it at the moment.
#[derive(Debug, Default)]
struct Now {
    laws: Vec<Law>,
    modes: Vec<u8>,
    alive: Vec<bool>,
    asked: BTreeSet<usize>,
    bus_awake: Vec<bool>,
    no_effect: BTreeSet<usize>,
    old_laws: Vec<(BranchId, Law)>,
    old_modes: Vec<(usize, u8)>,
    fixed: Vec<BranchId>,
    series: Vec<(BranchId, f64)>,
    held: Vec<usize>,
    bridges: Vec<(NodeId, NodeId, f64)>,
    bridge_amps: Vec<f64>,
    /// Devices to look at, with a mark for each.
    pending: Vec<usize>,
    is_pending: Vec<bool>,
    looked_at: usize,
    /// Bent branches to look at, with a mark for each.
    watched: Vec<BranchId>,
    is_watched: Vec<bool>,
    watched_at: usize,
    /// Devices that were put back to rest because their mode depends on how they got there.
    let_go: Vec<usize>,
    /// A device keeps changing its mode.
    to_and_fro: bool,
    /// A module woke or died since the devices were last asked.
    lives_changed: bool,
    volts: Vec<f64>,
    amps: Vec<f64>,
}

/// Where the voltages go as the resistance of one branch grows.
#[derive(Debug)]
struct Line {
    branch: BranchId,
    /// Sound resistance of the branch, ohms, and of the rest of the circuit as the branch sees it.
    sound: f64,
    rest: f64,
    /// Current in the sound branch and with [`LINE_OHMS`] in it, amperes.
    sound_amps: f64,
    end_amps: f64,
    /// Shift of the nodes with [`LINE_OHMS`] in it, and its largest share of a node's margin.
    shift: Vec<(u32, f64)>,
    most: f64,
}

/// A solved hypothesis; borrowed until the next one.
#[derive(Debug, Clone, Copy)]
pub struct Point<'s> {
    circuit: &'s Circuit,
    /// Node voltages against the body, volts.
    pub volts: &'s [f64],
    /// Law of every branch.
    pub laws: &'s [Law],
    /// Mode of each device.
    pub modes: &'s [u8],
    /// Whether each part works.
    pub alive: &'s [bool],
    /// Numbers of the outputs asked for.
    pub asked: &'s BTreeSet<usize>,
    base: &'s Solution,
    /// The updated circuit; none when it was solved from rest.
    factor: Option<&'s Factor>,
    no_effect: &'s BTreeSet<usize>,
    /// All devices settled; a chattering relay does not.
    pub settled: bool,
}

impl Point<'_> {
    /// Nodes that may differ from the healthy circuit by more than [`STILL_VOLTS`]; none: all.
    pub fn moved(&self) -> Option<&[u32]> {
        self.factor.and_then(Factor::visited)
    }

    /// Whether it was solved from rest rather than updated.
    pub fn from_rest(&self) -> bool {
        self.factor.is_none()
    }

    /// Current through a branch from its first to its second node, amperes.
    pub fn amps(&self, branch: BranchId) -> f64 {
        let b = &self.circuit.branches[branch];
        // Over a milliohm a stale node would show amperes that are not there.
        let fresh = |n: NodeId| n == 0 || self.factor.is_none_or(|f| f.is_visited(n));
        if fresh(b.from) && fresh(b.to) {
            self.laws[branch].amps(self.volts[b.from] - self.volts[b.to])
        } else {
            self.base.amps(self.circuit, branch)
        }
    }

    /// How strongly the effect of a part shows, see [`Solution::effect`].
    pub fn effect(&self, part: usize) -> Option<f64> {
        let effect = self.circuit.effect(part, self.volts, self.laws)?;
        Some(if self.no_effect.contains(&part) { 0.0 } else { effect })
    }

    /// What the software looks at.
    pub fn view(&self) -> View<'_> {
        View { volts: self.volts, alive: self.alive, asked: self.asked }
    }
}

impl<'a> Sweep<'a> {
    /// Solves a state with nothing wrong; `holds` are changes that every hypothesis shares, such
    /// as a transceiver held dominant.
    pub fn new(circuit: &'a Circuit, state: &'a OperatingState, holds: &[Change]) -> Self {
        let base = circuit.solve(state, holds, None);
        let mut factor = Factor::default();
        let values = circuit.branches.iter().zip(&base.laws).map(|(b, law)| {
            law.norton(base.volts[b.from] - base.volts[b.to])
        });
        circuit.plan.solve(LEAK_SIEMENS, values, &mut factor);
        let base_alive = base.alive_parts(circuit);
        let mut pulled = vec![false; circuit.branches.len()];
        for branch in circuit.unplugged(state) {
            pulled[branch] = true;
        }
        let mut now = Now {
            laws: base.laws.clone(),
            modes: base.modes.clone(),
            alive: base_alive.clone(),
            asked: base.asked.clone(),
            is_pending: vec![false; circuit.devices.len()],
            is_watched: vec![false; circuit.branches.len()],
            ..Now::default()
        };
        now.bus_awake = circuit.software.bus_awake(&now.alive, &circuit.woken_by_bus);
        factor.begin(margins(circuit, state, &base));
        Self {
            circuit,
            state,
            holds: holds.to_vec(),
            base,
            base_alive,
            pulled,
            factor,
            now,
            full: None,
            line: None,
            from_rest: 0,
            untouched: 0,
        }
    }

    /// The healthy solution.
    pub fn healthy(&self) -> &Solution {
        &self.base
    }

    /// The healthy circuit as a point.
    pub fn healthy_point(&self) -> Point<'_> {
        Point {
            circuit: self.circuit,
            volts: &self.base.volts,
            laws: &self.base.laws,
            modes: &self.base.modes,
            alive: &self.base_alive,
            asked: &self.base.asked,
            base: &self.base,
            factor: Some(&self.factor),
            no_effect: &self.base.no_effect,
            settled: self.base.converged,
        }
    }

    /// Solves a hypothesis.
    pub fn solve(&mut self, changes: &[Change]) -> Point<'_> {
        self.take_back();
        if self.circuit.untouched(&self.base, changes) {
            self.untouched += 1;
            return self.healthy_point();
        }
        if self.base.converged && (self.try_line(changes) || self.try_update(changes)) {
            return Point {
                circuit: self.circuit,
                volts: &self.factor.volts,
                laws: &self.now.laws,
                modes: &self.now.modes,
                alive: &self.now.alive,
                asked: &self.now.asked,
                base: &self.base,
                factor: Some(&self.factor),
                no_effect: &self.now.no_effect,
                settled: true,
            };
        }
        self.from_rest += 1;
        let all: Vec<Change> = self.holds.iter().chain(changes).copied().collect();
        let solution = self.circuit.solve(self.state, &all, None);
        let alive = solution.alive_parts(self.circuit);
        let (solution, alive) = self.full.insert((solution, alive));
        Point {
            circuit: self.circuit,
            volts: &solution.volts,
            laws: &solution.laws,
            modes: &solution.modes,
            alive,
            asked: &solution.asked,
            base: &self.base,
            factor: None,
            no_effect: &solution.no_effect,
            settled: solution.converged,
        }
    }

    fn take_back(&mut self) {
        self.factor.undo();
        let now = &mut self.now;
        while let Some((k, law)) = now.old_laws.pop() {
            now.laws[k] = law;
        }
        let mut lives = false;
        while let Some((d, mode)) = now.old_modes.pop() {
            now.modes[d] = mode;
            let placed = &self.circuit.devices[d];
            if placed.device.alive(mode).is_some() {
                now.alive[placed.part] = self.base_alive[placed.part];
                lives = true;
            }
        }
        if lives {
            now.bus_awake =
                self.circuit.software.bus_awake(&now.alive, &self.circuit.woken_by_bus);
        }
        if now.asked != self.base.asked {
            now.asked.clone_from(&self.base.asked);
        }
        now.no_effect.clear();
        now.fixed.clear();
        now.series.clear();
        now.held.clear();
        now.let_go.clear();
        now.bridges.clear();
        now.bridge_amps.clear();
        for d in now.pending.drain(..) {
            now.is_pending[d] = false;
        }
        for k in now.watched.drain(..) {
            now.is_watched[k] = false;
        }
        now.watched_at = 0;
        now.looked_at = 0;
        now.lives_changed = false;
        now.to_and_fro = false;
        self.full = None;
    }

    /// A resistance in a branch moves every voltage along a straight line, from the healthy circuit
    /// towards the branch opened: as far as no device or bent law is reached, one update serves a
    /// whole grid of resistances. Whether that was so.
    fn try_line(&mut self, changes: &[Change]) -> bool {
        let [Change::Branch(k, Law::Ohms(r))] = *changes else {
            return false;
        };
        let Law::Ohms(sound) = self.base.laws[k] else {
            return false;
        };
        if r <= sound || r > LINE_OHMS || self.pulled[k] {
            return false;
        }
        if self.line.as_ref().is_none_or(|line| line.branch != k) {
            let plan = &self.circuit.plan;
            let b = &self.circuit.branches[k];
            let across = |f: &Factor| f.volts[b.from] - f.volts[b.to];
            let sound_amps = across(&self.factor) / sound;
            self.factor.set_branch(plan, k, 1.0 / LINE_OHMS, 0.0);
            self.factor.update(plan, false);
            let end_amps = across(&self.factor) / LINE_OHMS;
            let (shift, most) = self.factor.shift();
            // Thevenin: i (r + rest) is the same at both ends of the line.
            let rest = (end_amps * LINE_OHMS - sound_amps * sound) / (sound_amps - end_amps);
            self.factor.undo();
            self.line = Some(Line { branch: k, sound_amps, end_amps, sound, rest, shift, most });
        }
        let Some(line) = &self.line else {
            return false;
        };
        let amps = line.sound_amps * (line.sound + line.rest) / (r + line.rest);
        let times = (line.sound_amps - amps) / (line.sound_amps - line.end_amps);
        // Against a rest of gigohms the two ends of the line lie too close to tell a direction.
        let tells = line.rest < LINE_OHMS && (0.0..=1.0).contains(&times);
        if !tells || times * line.most > 1.0 {
            return false;
        }
        self.factor.move_by(&line.shift, times);
        self.now.old_laws.push((k, self.now.laws[k]));
        self.now.laws[k] = Law::Ohms(r);
        true
    }

    /// Follows a hypothesis from the healthy circuit; whether it settled.
    fn try_update(&mut self, changes: &[Change]) -> bool {
        for change in &self.holds {
            if let Change::Hold(d, _) = change {
                self.now.held.push(*d);
            }
        }
        for change in changes {
            self.apply(*change);
        }
        if self.now.lives_changed {
            self.wake_neighbours();
        }
        let mut later = true;
        for _ in 0..ROUNDS {
            self.factor.update(&self.circuit.plan, later);
            if later {
                self.bridge();
            }
            if self.straighten() {
                later = true;
                continue;
            }
            // Modes are chosen only when every node is up to date: over the milliohms of a fuse a
            // stale one would look like a short.
            if self.factor.is_withheld() {
                later = false;
                continue;
            }
            later = true;
            if !self.next_modes() {
                return true;
            }
            if self.now.to_and_fro {
                return false;
            }
        }
        false
    }

    fn apply(&mut self, change: Change) {
        match change {
            Change::Branch(k, law) => {
                if !self.pulled[k] {
                    self.now.fixed.push(k);
                    self.set_law(k, law);
                }
            }
            Change::Series(k, ohms) => {
                if !self.pulled[k] {
                    self.now.series.push((k, ohms));
                    self.set_law(k, self.now.laws[k].in_series(ohms));
                }
            }
            Change::Bridge(a, b, ohms) if a == 0 || b == 0 => {
                if a != b {
                    self.factor.add_to_ground(&self.circuit.plan, a.max(b), 1.0 / ohms);
                }
            }
            Change::Bridge(a, b, ohms) => {
                if a != b {
                    self.now.bridges.push((a, b, ohms));
                    self.now.bridge_amps.push(0.0);
                }
            }
            Change::Hold(d, mode) => {
                self.now.held.push(d);
                self.set_mode(d, mode);
            }
            Change::NoEffect(part) => {
                self.now.no_effect.insert(part);
            }
        }
    }

    fn set_law(&mut self, k: BranchId, law: Law) {
        let b = &self.circuit.branches[k];
        let v = self.factor.volts[b.from] - self.factor.volts[b.to];
        let (g, i) = law.norton(v);
        self.now.old_laws.push((k, self.now.laws[k]));
        self.now.laws[k] = law;
        self.factor.set_branch(&self.circuit.plan, k, g, i);
        self.watch(k);
        if let Of::Device { device, .. } = b.of {
            self.look_at(device);
        }
    }

    fn set_mode(&mut self, d: usize, mode: u8) {
        if self.now.modes[d] == mode {
            return;
        }
        let turns = self.now.old_modes.iter().filter(|(other, _)| *other == d).count();
        self.now.to_and_fro |= turns >= TURNS;
        self.now.old_modes.push((d, self.now.modes[d]));
        self.now.modes[d] = mode;
        let placed = &self.circuit.devices[d];
        if placed.device.alive(mode).is_some() {
            self.note_life(placed.part);
        }
        for (role, &k) in placed.branches.iter().enumerate() {
            if self.now.fixed.contains(&k) || self.pulled[k] {
                continue;
            }
            let mut law = placed.device.law(role, mode, self.state);
            if let Some((_, ohms)) = self.now.series.iter().find(|s| s.0 == k) {
                law = law.in_series(*ohms);
            }
            if law != self.now.laws[k] {
                self.set_law(k, law);
            }
        }
    }

    fn look_at(&mut self, d: usize) {
        if !self.now.is_pending[d] {
            self.now.is_pending[d] = true;
            self.now.pending.push(d);
        }
    }

    /// Lets the bridges carry what they must: each is a current between two nodes, found from
    /// the circuit's answer to a trial current in each.
    fn bridge(&mut self) {
        let m = self.now.bridges.len();
        if m == 0 {
            return;
        }
        let plan = &self.circuit.plan;
        let across = |f: &Factor, (a, b, _): (NodeId, NodeId, f64)| f.volts[a] - f.volts[b];
        let drive = |f: &mut Factor, (a, b, _): (NodeId, NodeId, f64), amps: f64| {
            f.drive(plan, a, -amps);
            f.drive(plan, b, amps);
        };
        let bridges = self.now.bridges.clone();
        // Both ends must be up to date before they are compared with the trial.
        for (a, b, _) in &bridges {
            self.factor.mark_upward(plan, *a);
            self.factor.mark_upward(plan, *b);
        }
        self.factor.try_update(plan);
        let before: Vec<f64> = bridges.iter().map(|b| across(&self.factor, *b)).collect();
        // Row j, column k: fall of the voltage across j per ampere in k.
        let mut z = vec![vec![0.0; m]; m];
        for k in 0..m {
            drive(&mut self.factor, bridges[k], TRIAL_AMPS);
            self.factor.try_update(plan);
            for (j, row) in z.iter_mut().enumerate() {
                row[k] = (before[j] - across(&self.factor, bridges[j])) / TRIAL_AMPS;
            }
            drive(&mut self.factor, bridges[k], -TRIAL_AMPS);
            if m > 1 {
                self.factor.try_update(plan);
            }
        }
        // R i = open voltage - Z i, with the open voltage = before + Z i_now.
        let mut rhs: Vec<f64> = (0..m)
            .map(|j| before[j] + (0..m).map(|k| z[j][k] * self.now.bridge_amps[k]).sum::<f64>())
            .collect();
        for (j, row) in z.iter_mut().enumerate() {
            row[j] += bridges[j].2;
        }
        let amps = solve_dense(&mut z, &mut rhs);
        for k in 0..m {
            drive(&mut self.factor, bridges[k], amps[k] - self.now.bridge_amps[k]);
        }
        self.now.bridge_amps = amps;
        self.factor.update(plan, true);
    }

    /// Linearises bent laws anew where the voltage has strayed; whether any was.
    fn straighten(&mut self) -> bool {
        let c = self.circuit;
        for at in self.now.watched_at..self.factor.alarms().len() {
            for k in &c.bent_at[self.factor.alarms()[at] as usize] {
                self.watch(*k as usize);
            }
        }
        self.now.watched_at = self.factor.alarms().len();
        let mut strayed = false;
        for at in 0..self.now.watched.len() {
            let k = self.now.watched[at];
            let law = self.now.laws[k];
            let b = &c.branches[k];
            let v = self.factor.volts[b.from] - self.factor.volts[b.to];
            let amps = law.amps(v);
            let (g, i) = self.factor.branch(k);
            if (g * v + i - amps).abs() > STRAY_AMPS + STRAY * amps.abs() {
                let (g, i) = law.norton_after(v, (g, i));
                self.factor.set_branch(&c.plan, k, g, i);
                strayed = true;
            }
        }
        strayed
    }

    fn watch(&mut self, k: BranchId) {
        if !self.now.laws[k].is_linear() && !self.now.is_watched[k] {
            self.now.is_watched[k] = true;
            self.now.watched.push(k);
        }
    }

    /// Lets every device in reach of what moved choose its mode; whether any did.
    fn next_modes(&mut self) -> bool {
        let c = self.circuit;
        let first_new = self.now.looked_at;
        for at in first_new..self.factor.alarms().len() {
            for d in &c.devices_at[self.factor.alarms()[at] as usize] {
                self.look_at(*d as usize);
            }
        }
        self.now.looked_at = self.factor.alarms().len();
        let mut asked_changed = false;
        if self.now.lives_changed
            || self.factor.alarms().iter().any(|n| c.software.is_read[*n as usize])
        {
            let view = View {
                volts: &self.factor.volts,
                alive: &self.now.alive,
                asked: &self.now.asked,
            };
            let asked = c.software.asked(self.state, view);
            if asked != self.now.asked {
                asked_changed = true;
                for output in asked.symmetric_difference(&self.now.asked) {
                    for d in &c.drivers[*output] {
                        if !self.now.is_pending[*d] {
                            self.now.is_pending[*d] = true;
                            self.now.pending.push(*d);
                        }
                    }
                }
                self.now.asked = asked;
            }
        }
        self.now.lives_changed = false;
        let (mut changes, mut released) = (Vec::<(usize, u8)>::new(), Vec::new());
        for at in 0..self.now.pending.len() {
            let d = self.now.pending[at];
            if self.now.held.contains(&d) {
                continue;
            }
            let placed = &c.devices[d];
            let now = &mut self.now;
            now.volts.clear();
            now.amps.clear();
            for &k in &placed.branches {
                let b = &c.branches[k];
                let v = self.factor.volts[b.from] - self.factor.volts[b.to];
                now.volts.push(v);
                now.amps.push(now.laws[k].amps(v));
            }
            let seen = Seen {
                volts: &now.volts,
                amps: &now.amps,
                alive: now.alive[placed.part],
                asked: &now.asked,
                bus_awake: now.bus_awake[placed.part],
                state: self.state,
            };
            // A relay between its thresholds holds only if it pulled in from rest: let go and see.
            if placed.device.remembers(now.modes[d], &seen) && !now.let_go.contains(&d) {
                let rest = placed.device.start(self.state);
                if rest != now.modes[d] {
                    changes.push((d, rest));
                    released.push(d);
                }
                continue;
            }
            let mode = placed.device.next(now.modes[d], &seen);
            if mode != now.modes[d] {
                changes.push((d, mode));
            }
        }
        // A module resets long before anything it drives has moved: supplies go first.
        let is_supply = |d: usize| c.devices[d].device.alive(0).is_some();
        if changes.iter().any(|(d, _)| is_supply(*d)) {
            changes.retain(|(d, _)| is_supply(*d));
        }
        released.retain(|d| changes.iter().any(|c| c.0 == *d));
        self.now.let_go.extend(released);
        for (d, mode) in &changes {
            self.set_mode(*d, *mode);
        }
        if self.now.lives_changed {
            self.wake_neighbours();
        }
        asked_changed || self.now.lives_changed || !changes.is_empty()
    }

    fn note_life(&mut self, part: usize) {
        let c = self.circuit;
        let alive = c.part_devices[part]
            .iter()
            .all(|d| c.devices[*d].device.alive(self.now.modes[*d]).unwrap_or(true));
        if alive != self.now.alive[part] {
            self.now.alive[part] = alive;
            self.now.lives_changed = true;
            for d in &c.part_devices[part] {
                self.look_at(*d);
            }
        }
    }

    /// A module that wakes or dies may keep or lose a bus awake.
    fn wake_neighbours(&mut self) {
        let c = self.circuit;
        let awake = c.software.bus_awake(&self.now.alive, &c.woken_by_bus);
        for (part, is) in awake.iter().enumerate() {
            if *is != self.now.bus_awake[part] {
                for d in &c.part_devices[part] {
                    self.look_at(*d);
                }
            }
        }
        self.now.bus_awake = awake;
    }
}

/// How far each node may move before a device on it could change its mode, or a bent law its slope.
fn margins(c: &Circuit, state: &OperatingState, base: &Solution) -> Vec<f64> {
    let mut margins = vec![f64::INFINITY; c.nodes];
    let alive = base.alive_parts(c);
    let bus_awake = c.software.bus_awake(&alive, &c.woken_by_bus);
    for (d, placed) in c.devices.iter().enumerate() {
        let volts: Vec<f64> = placed
            .branches
            .iter()
            .map(|k| base.volts[c.branches[*k].from] - base.volts[c.branches[*k].to])
            .collect();
        let amps: Vec<f64> = placed.branches.iter().map(|k| base.amps(c, *k)).collect();
        let seen = Seen {
            volts: &volts,
            amps: &amps,
            alive: alive[placed.part],
            asked: &base.asked,
            bus_awake: bus_awake[placed.part],
            state,
        };
        // Both ends of a branch may move against each other.
        let margin = 0.5 * placed.device.margin(base.modes[d], &seen).max(0.0);
        for k in &placed.branches {
            let law = base.laws[*k];
            let margin = if law.is_linear() { margin } else { margin.min(BENT_VOLTS) };
            for n in [c.branches[*k].from, c.branches[*k].to] {
                margins[n] = margins[n].min(margin);
            }
        }
    }
    for (margin, read) in margins.iter_mut().zip(&c.software.is_read) {
        if *read {
            *margin = margin.min(STILL_VOLTS);
        }
    }
    margins
}

/// Gaussian elimination with pivoting of a small dense system.
fn solve_dense(a: &mut [Vec<f64>], b: &mut [f64]) -> Vec<f64> {
    let n = b.len();
    for k in 0..n {
        let pivot = (k..n).max_by(|x, y| a[*x][k].abs().total_cmp(&a[*y][k].abs())).unwrap_or(k);
        a.swap(k, pivot);
        b.swap(k, pivot);
        if a[k][k] == 0.0 {
            continue;
        }
        for row in k + 1..n {
            let share = a[row][k] / a[k][k];
            if share != 0.0 {
                for column in k..n {
                    a[row][column] -= share * a[k][column];
                }
                b[row] -= share * b[k];
            }
        }
    }
    let mut x = vec![0.0; n];
    for k in (0..n).rev() {
        let known: f64 = (k + 1..n).map(|j| a[k][j] * x[j]).sum();
        x[k] = if a[k][k] == 0.0 { 0.0 } else { (b[k] - known) / a[k][k] };
    }
    x
}
