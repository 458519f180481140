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
use crate::fault::{Change, Fault};
use crate::law::Law;
use crate::linear::{Factor, STILL_VOLTS};
use crate::software::View;
use crate::solve::Solution;
use std::collections::BTreeSet;
use std::sync::Arc;
use vehicle::OperatingState;

/// Rounds of devices and Newton steps before a hypothesis is solved from rest.
const ROUNDS: usize = 200;
/// Resistance at the far end of a line, ohms.
const LINE_OHMS: f64 = 1e6;
/// A current that may be nothing but leakage, amperes.
const LEAKING_AMPS: f64 = 1e-6;
/// Current that tries how the circuit answers a bridge, amperes.
const TRIAL_AMPS: f64 = 1e-3;
/// Changes of one device's mode before it counts as going to and fro.
const TURNS: usize = 5;
/// How far a bent law may stray from its linearisation, amperes and as a share of its current.
const STRAY_AMPS: f64 = 1e-13;
const STRAY: f64 = 1e-5;

/// A state with everything needed to solve hypotheses quickly.
#[derive(Debug, Clone)]
pub struct Sweep {
    circuit: Arc<Circuit>,
    state: OperatingState,
    holds: Vec<Change>,
    base: Solution,
    base_alive: Vec<bool>,
    pulled: Vec<bool>,
    factor: Factor,
    now: Now,
    full: Option<(Solution, Vec<bool>)>,
    standing: Option<Standing>,
    /// A link's place in its chain, the link that stands for the chain, and the law there.
    patched: Option<(BranchId, BranchId, Law)>,
    /// Voltages of the nodes that the patch moved, before it.
    unmoved: Vec<(NodeId, f64)>,
    line: Option<Line>,
    /// Every node is wanted.
    whole: bool,
    /// How many hypotheses had to be solved from rest.
    pub from_rest: usize,
    /// How many hypotheses change nothing in this state.
    pub untouched: usize,
}

/// The circuit as a hypothesis has it at the moment.
#[derive(Debug, Default, Clone)]
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
    /// Nodes, ohms and volts of each.
    bridges: Vec<(NodeId, NodeId, f64, f64)>,
    bridge_amps: Vec<f64>,
    /// Devices to look at, with a mark for each.
    pending: Vec<usize>,
    is_pending: Vec<bool>,
    looked_at: usize,
    /// Bent branches to look at, with a mark for each.
    watched: Vec<BranchId>,
    is_watched: Vec<bool>,
    /// Where each watched branch last strayed: volts and the amperes of its linearisation there.
    strayed_at: Vec<Option<(f64, f64)>>,
    watched_at: usize,
    /// Devices that were put back to rest because their mode depends on how they got there.
    let_go: Vec<usize>,
    /// Number of mode changes before those that count as going to and fro.
    mode_turns: usize,
    /// A device keeps changing its mode.
    to_and_fro: bool,
    /// A module woke or died since the devices were last asked.
    lives_changed: bool,
    volts: Vec<f64>,
    amps: Vec<f64>,
}

/// A hypothesis about one link of a chain.
#[derive(Debug, Clone, Copy)]
struct Link {
    at: BranchId,
    own: Law,
    stands: BranchId,
    law: Law,
}

/// What the factor holds at the moment: a law in the link that stands for a chain.
#[derive(Debug, Clone, Copy)]
struct Standing {
    stands: BranchId,
    law: Law,
    /// Moved along a line rather than updated.
    by_line: bool,
}

/// How far a solved point can differ from the healthy circuit.
#[derive(Debug, Clone, Copy)]
enum Reach<'s> {
    Nothing,
    Updated(&'s Factor),
    All,
}

/// Where the voltages go as the resistance of one branch grows.
#[derive(Debug, Clone)]
struct Line {
    branch: BranchId,
    /// The shift has every node that moves.
    whole: bool,
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
    reach: Reach<'s>,
    no_effect: &'s BTreeSet<usize>,
    /// All devices settled; a chattering relay does not.
    pub settled: bool,
}

impl Point<'_> {
    /// Nodes that may differ from the healthy circuit by more than [`STILL_VOLTS`]; none: all.
    pub fn moved(&self) -> Option<&[u32]> {
        match self.reach {
            Reach::Nothing => Some(&[]),
            Reach::Updated(factor) => factor.visited(),
            Reach::All => None,
        }
    }

    /// Whether a node was looked at anew; all others are as in the healthy circuit to
    /// [`STILL_VOLTS`].
    pub fn is_visited(&self, node: NodeId) -> bool {
        node != 0
            && match self.reach {
                Reach::Nothing => false,
                Reach::Updated(factor) => factor.is_visited(node),
                Reach::All => true,
            }
    }

    /// Whether it was solved from rest rather than updated.
    pub fn from_rest(&self) -> bool {
        matches!(self.reach, Reach::All)
    }

    /// Current through a branch from its first to its second node, amperes.
    pub fn amps(&self, branch: BranchId) -> f64 {
        let b = &self.circuit.branches[branch];
        // Over a milliohm a stale node would show amperes that are not there.
        let fresh = |n: NodeId| n == 0 || self.is_visited(n);
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

impl Sweep {
    /// Solves a state with nothing wrong; `holds` are changes that every hypothesis shares, such
    /// as a transceiver held dominant.
    pub fn new(circuit: &Arc<Circuit>, state: &OperatingState, holds: &[Change]) -> Self {
        let base = circuit.solve(state, holds, None);
        let mut factor = Factor::default();
        let values = circuit
            .branches
            .iter()
            .zip(&base.laws)
            .map(|(b, law)| law.norton(base.volts[b.from] - base.volts[b.to]));
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
        let (margins, reaches) = margins(circuit, state, &base, &mut factor);
        factor.begin(&circuit.plan, margins, &reaches);
        Self {
            circuit: Arc::clone(circuit),
            state: state.clone(),
            holds: holds.to_vec(),
            base,
            base_alive,
            pulled,
            factor,
            now,
            full: None,
            standing: None,
            patched: None,
            unmoved: Vec::new(),
            line: None,
            whole: true,
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
            circuit: &self.circuit,
            volts: &self.base.volts,
            laws: &self.base.laws,
            modes: &self.base.modes,
            alive: &self.base_alive,
            asked: &self.base.asked,
            base: &self.base,
            reach: Reach::Nothing,
            no_effect: &self.base.no_effect,
            settled: self.base.converged,
        }
    }

    /// Solves a hypothesis and finds the voltage of every node.
    pub fn solve(&mut self, changes: &[Change]) -> Point<'_> {
        self.whole = true;
        self.solve_for(changes, &[])
    }

    /// Solves a hypothesis: every device and law settles, but of the voltages only those of the
    /// nodes asked for are found, and those on the way to them.
    pub fn solve_at(&mut self, changes: &[Change], nodes: &[NodeId]) -> Point<'_> {
        self.whole = false;
        self.solve_for(changes, nodes)
    }

    fn solve_for(&mut self, changes: &[Change], nodes: &[NodeId]) -> Point<'_> {
        if self.circuit.untouched(&self.base, changes) {
            self.untouched += 1;
            return self.healthy_point();
        }
        let settled = self.base.converged
            && match self.link(changes) {
                Some(link) => self.solve_link(&link),
                None => {
                    self.take_back();
                    self.try_update(changes)
                }
            };
        // One that goes to and fro is a finding of its own: it stands where it was last.
        if settled || self.now.to_and_fro {
            if !settled {
                self.standing = None;
            }
            if self.whole {
                self.factor.complete(&self.circuit.plan);
            }
            for n in nodes {
                self.factor.find(&self.circuit.plan, *n);
            }
            return Point {
                circuit: &self.circuit,
                volts: &self.factor.volts,
                laws: &self.now.laws,
                modes: &self.now.modes,
                alive: &self.now.alive,
                asked: &self.now.asked,
                base: &self.base,
                reach: Reach::Updated(&self.factor),
                no_effect: &self.now.no_effect,
                settled,
            };
        }
        self.standing = None;
        self.from_rest += 1;
        let all: Vec<Change> = self.holds.iter().chain(changes).copied().collect();
        let solution = self.circuit.solve(&self.state, &all, None);
        let alive = solution.alive_parts(&self.circuit);
        let (solution, alive) = self.full.insert((solution, alive));
        Point {
            circuit: &self.circuit,
            volts: &solution.volts,
            laws: &solution.laws,
            modes: &solution.modes,
            alive,
            asked: &solution.asked,
            base: &self.base,
            reach: Reach::All,
            no_effect: &solution.no_effect,
            settled: solution.converged,
        }
    }

    /// A hypothesis that only puts another law in one link of a chain, as the same in the link
    /// that stands for the chain.
    fn link(&self, changes: &[Change]) -> Option<Link> {
        let [Change::Branch(at, own)] = *changes else {
            return None;
        };
        let Law::Ohms(sound) = self.base.laws[at] else {
            return None;
        };
        if self.pulled[at] {
            return None;
        }
        let alone = Link { at, own, stands: at, law: own };
        let Some(chain) = self.circuit.chains.of[at].map(|c| &self.circuit.chains.all[c]) else {
            return Some(alone);
        };
        // Where only leakage flows, each node's own leak tells the links apart.
        let leaks = self.base.amps(&self.circuit, at).abs() < LEAKING_AMPS;
        if leaks || chain.branches.iter().any(|k| self.pulled[*k]) {
            return Some(alone);
        }
        let ohms = |k: &BranchId| match self.base.laws[*k] {
            Law::Ohms(r) => r,
            _ => f64::NAN,
        };
        Some(match own {
            // Behind an open link the leaks of the nodes that hang decide where they settle.
            Law::Ohms(r) if r > LINE_OHMS => alone,
            Law::Ohms(r) => {
                let stands = chain.branches[0];
                Link { at, own, stands, law: Law::Ohms(ohms(&stands) + (r - sound)) }
            }
            // Anything else replaces a link and is the same only in one of the same resistance.
            _ => {
                let stands = chain.branches.iter().copied().find(|k| ohms(k) == sound);
                Link { at, own, stands: stands.unwrap_or(at), law: own }
            }
        })
    }

    fn solve_link(&mut self, link: &Link) -> bool {
        self.unpatch();
        let standing = self.standing.take();
        let same = standing.as_ref().filter(|s| s.stands == link.stands);
        let solved = match same {
            Some(s) if same_law(s.law, link.law) => Some(s.by_line),
            Some(s) if self.may_go_on(s, link) => self.go_on(link).then_some(false),
            _ => None,
        };
        let by_line = match solved {
            Some(by_line) => by_line,
            None => {
                self.take_back();
                let by_line = self.try_line(link.stands, link.law);
                if !by_line && !self.try_update(&[Change::Branch(link.stands, link.law)]) {
                    self.patch(link);
                    return false;
                }
                by_line
            }
        };
        self.standing = Some(Standing { stands: link.stands, law: link.law, by_line });
        self.patch(link);
        true
    }

    /// Whether a larger resistance may be reached from the one that stands: nothing happened on
    /// the way there that it would not have caused itself.
    fn may_go_on(&self, from: &Standing, link: &Link) -> bool {
        let (Law::Ohms(old), Law::Ohms(new)) = (from.law, link.law) else {
            return false;
        };
        let c = &self.circuit;
        let latched = |(d, _): &(usize, u8)| c.devices[*d].device.latched(self.now.modes[*d]);
        !from.by_line && new > old && !self.now.old_modes.iter().any(latched)
    }

    fn go_on(&mut self, link: &Link) -> bool {
        self.now.let_go.clear();
        self.now.to_and_fro = false;
        self.now.mode_turns = self.now.old_modes.len();
        self.set_law(link.stands, link.law);
        self.settle()
    }

    /// Tells the links of a chain apart: the law moves from the one that stands for all of them
    /// to its own place, and the nodes between them move to the other side of it.
    fn patch(&mut self, link: &Link) {
        let circuit = Arc::clone(&self.circuit);
        let Some(chain) = circuit.chains.of[link.at].map(|c| &circuit.chains.all[c]) else {
            return;
        };
        if link.at == link.stands {
            return;
        }
        let b = &circuit.branches[link.stands];
        let amps = link.law.amps(self.across(b.from, b.to));
        self.patched = Some((link.at, link.stands, link.law));
        self.now.laws[link.at] = link.own;
        self.now.laws[link.stands] = self.base.laws[link.stands];
        let place = chain.branches.iter().position(|k| *k == link.at).unwrap_or(0);
        let forward = |n: usize| {
            let k = chain.branches[n];
            let along = circuit.branches[k].from == chain.nodes[n];
            match self.base.laws[k] {
                Law::Ohms(r) => (r, along),
                _ => (0.0, along),
            }
        };
        // The current runs the same way through all of them.
        let stands = chain.branches.iter().position(|k| *k == link.stands).unwrap_or(0);
        let amps = if forward(stands).1 { amps } else { -amps };
        let mut volts = self.factor.find(&circuit.plan, chain.nodes[0]);
        let mut moves = Vec::with_capacity(chain.branches.len());
        for n in 0..place {
            volts -= amps * forward(n).0;
            moves.push((chain.nodes[n + 1], volts));
        }
        volts = self.factor.find(&circuit.plan, chain.nodes[chain.branches.len()]);
        for n in (place + 1..chain.branches.len()).rev() {
            volts += amps * forward(n).0;
            moves.push((chain.nodes[n], volts));
        }
        // All of them first: one that is moved no longer tells where the next one was.
        for (n, _) in &moves {
            self.unmoved.push((*n, self.factor.find(&circuit.plan, *n)));
        }
        for (n, v) in moves {
            self.factor.put(n, v);
        }
    }

    fn unpatch(&mut self) {
        if let Some((at, stands, law)) = self.patched.take() {
            self.now.laws[at] = self.base.laws[at];
            self.now.laws[stands] = law;
        }
        while let Some((n, v)) = self.unmoved.pop() {
            self.factor.put(n, v);
        }
    }

    fn take_back(&mut self) {
        self.unpatch();
        self.standing = None;
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
            now.bus_awake = self.circuit.software.bus_awake(&now.alive, &self.circuit.woken_by_bus);
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
        now.strayed_at.clear();
        now.watched_at = 0;
        now.looked_at = 0;
        now.lives_changed = false;
        now.to_and_fro = false;
        self.full = None;
    }

    /// A resistance in a branch moves every voltage along a straight line, from the healthy circuit
    /// towards the branch opened: as far as no device or bent law is reached, one update serves a
    /// whole grid of resistances. Whether that was so.
    fn try_line(&mut self, k: BranchId, law: Law) -> bool {
        let (Law::Ohms(r), Law::Ohms(sound)) = (law, self.base.laws[k]) else {
            return false;
        };
        if r <= sound || r > LINE_OHMS {
            return false;
        }
        let fits = |line: &Line| line.branch == k && (line.whole || !self.whole);
        if !self.line.as_ref().is_some_and(fits) {
            let circuit = Arc::clone(&self.circuit);
            let (plan, b) = (&circuit.plan, &circuit.branches[k]);
            let (from, to) = (b.from, b.to);
            let sound_amps = self.across(from, to) / sound;
            self.factor.set_branch(plan, k, 1.0 / LINE_OHMS, 0.0);
            self.factor.update(plan);
            if self.whole {
                self.factor.complete(plan);
            }
            let end_amps = self.across(from, to) / LINE_OHMS;
            let (shift, most) = self.factor.shift();
            // Thevenin: i (r + rest) is the same at both ends of the line.
            let rest = (end_amps * LINE_OHMS - sound_amps * sound) / (sound_amps - end_amps);
            self.factor.undo();
            self.line = Some(Line { branch: k, whole: self.whole, sound_amps, end_amps, sound, rest, shift, most });
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
        self.now.mode_turns = 0;
        self.settle()
    }

    /// Lets laws and devices settle after a change; whether they did.
    fn settle(&mut self) -> bool {
        for _ in 0..ROUNDS {
            self.factor.update(&self.circuit.plan);
            self.bridge();
            if self.straighten() {
                continue;
            }
            if !self.next_modes() {
                return true;
            }
            if self.now.to_and_fro {
                return false;
            }
        }
        false
    }

    /// Volts from one node to another as they stand.
    fn across(&mut self, from: NodeId, to: NodeId) -> f64 {
        let plan = &self.circuit.plan;
        self.factor.find(plan, from) - self.factor.find(plan, to)
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
                    self.now.bridges.push((a, b, ohms, 0.0));
                    self.now.bridge_amps.push(0.0);
                }
            }
            Change::Meter(a, b, volts, ohms) => {
                if a != b {
                    self.now.bridges.push((a, b, ohms, volts));
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
        let circuit = Arc::clone(&self.circuit);
        let b = &circuit.branches[k];
        let (g, i) = law.norton(self.across(b.from, b.to));
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
        let since = &self.now.old_modes[self.now.mode_turns.min(self.now.old_modes.len())..];
        let turns = since.iter().filter(|(other, _)| *other == d).count();
        self.now.to_and_fro |= turns >= TURNS;
        self.now.old_modes.push((d, self.now.modes[d]));
        self.now.modes[d] = mode;
        let circuit = Arc::clone(&self.circuit);
        let placed = &circuit.devices[d];
        if placed.device.alive(mode).is_some() {
            self.note_life(placed.part);
        }
        for (role, &k) in placed.branches.iter().enumerate() {
            if self.now.fixed.contains(&k) || self.pulled[k] {
                continue;
            }
            let mut law = placed.device.law(role, mode, &self.state);
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
        let circuit = Arc::clone(&self.circuit);
        let plan = &circuit.plan;
        let drive = |f: &mut Factor, (a, b, _, _): (NodeId, NodeId, f64, f64), amps: f64| {
            f.drive(plan, a, -amps);
            f.drive(plan, b, amps);
        };
        let bridges = self.now.bridges.clone();
        let before: Vec<f64> = bridges.iter().map(|b| self.across(b.0, b.1)).collect();
        // Row j, column k: fall of the voltage across j per ampere in k.
        let mut z = vec![vec![0.0; m]; m];
        for k in 0..m {
            drive(&mut self.factor, bridges[k], TRIAL_AMPS);
            self.factor.touch(plan);
            for (j, row) in z.iter_mut().enumerate() {
                row[k] = (before[j] - self.across(bridges[j].0, bridges[j].1)) / TRIAL_AMPS;
            }
            drive(&mut self.factor, bridges[k], -TRIAL_AMPS);
            if m > 1 {
                self.factor.touch(plan);
            }
        }
        // R i = open voltage - E - Z i, with the open voltage = before + Z i_now.
        let mut rhs: Vec<f64> = (0..m)
            .map(|j| {
                before[j] - bridges[j].3
                    + (0..m).map(|k| z[j][k] * self.now.bridge_amps[k]).sum::<f64>()
            })
            .collect();
        for (j, row) in z.iter_mut().enumerate() {
            row[j] += bridges[j].2;
        }
        let amps = solve_dense(&mut z, &mut rhs);
        for k in 0..m {
            drive(&mut self.factor, bridges[k], amps[k] - self.now.bridge_amps[k]);
        }
        self.now.bridge_amps = amps;
        self.factor.update(plan);
    }

    /// Linearises bent laws anew where the voltage has strayed; whether any was.
    fn straighten(&mut self) -> bool {
        let c = &*Arc::clone(&self.circuit);
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
            let v = self.across(b.from, b.to);
            let amps = law.amps(v);
            let (g, i) = self.factor.branch(k);
            let used = g * v + i;
            if (used - amps).abs() > STRAY_AMPS + STRAY * amps.abs() {
                let before = self.now.strayed_at[at].replace((v, used));
                let (g, i) = match before.and_then(|b| law.meet(b, (v, used))) {
                    Some(v) => law.norton(v),
                    None => law.norton_after(v, (g, i)),
                };
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
            self.now.strayed_at.push(None);
        }
    }

    /// Lets every device in reach of what moved choose its mode; whether any did.
    fn next_modes(&mut self) -> bool {
        let c = &*Arc::clone(&self.circuit);
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
            for n in &c.software.read {
                self.factor.find(&c.plan, *n);
            }
            let view =
                View { volts: &self.factor.volts, alive: &self.now.alive, asked: &self.now.asked };
            let asked = c.software.asked(&self.state, view);
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
            self.now.volts.clear();
            self.now.amps.clear();
            for &k in &placed.branches {
                let v = self.across(c.branches[k].from, c.branches[k].to);
                self.now.volts.push(v);
                self.now.amps.push(self.now.laws[k].amps(v));
            }
            let now = &self.now;
            let seen = Seen {
                volts: &now.volts,
                amps: &now.amps,
                alive: now.alive[placed.part],
                asked: &now.asked,
                bus_awake: now.bus_awake[placed.part],
                state: &self.state,
            };
            // A relay between its thresholds holds only if it pulled in from rest: let go and see.
            if placed.device.remembers(now.modes[d], &seen) && !now.let_go.contains(&d) {
                let rest = placed.device.start(&self.state);
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
        // Another circuit from here on.
        self.now.strayed_at.fill(None);
        if self.now.lives_changed {
            self.wake_neighbours();
        }
        asked_changed || self.now.lives_changed || !changes.is_empty()
    }

    fn note_life(&mut self, part: usize) {
        let c = &*Arc::clone(&self.circuit);
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
        let c = &*Arc::clone(&self.circuit);
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

/// Hypotheses in the order that shares the most work: those of one chain together, resistances
/// rising.
pub fn order(circuit: &Circuit, faults: &[Fault]) -> Vec<u32> {
    let key = |f: &Fault| match f.changes[..] {
        [Change::Branch(k, law)] => {
            let sound = match circuit.branches[k].law {
                Law::Ohms(r) => r,
                _ => 0.0,
            };
            let (kind, number) = match law {
                Law::Ohms(r) => (0, r - sound),
                Law::Constriction { knee, .. } => (1, knee),
                _ => (2, 0.0),
            };
            (circuit.chains.of[k].unwrap_or(usize::MAX), kind, number)
        }
        _ => (usize::MAX, 3, 0.0),
    };
    let mut order: Vec<u32> = (0..faults.len() as u32).collect();
    order.sort_by(|a, b| {
        let (a, b) = (key(&faults[*a as usize]), key(&faults[*b as usize]));
        a.0.cmp(&b.0).then(a.1.cmp(&b.1)).then(a.2.total_cmp(&b.2))
    });
    order
}

/// How far each node may move before a device on it could change its mode, or a bent law stray
/// from its linearisation, volts; and how far before it has to be looked at although nothing near
/// it changed. The two differ for bent laws: near a change a node may have lost what held it, and
/// the current that a law strays by counts for itself; elsewhere it counts for the voltage it makes.
fn margins(
    c: &Circuit,
    state: &OperatingState,
    base: &Solution,
    factor: &mut Factor,
) -> (Vec<f64>, Vec<f64>) {
    let mut margins = vec![f64::INFINITY; c.nodes];
    let mut reaches = margins.clone();
    factor.begin(&c.plan, margins.clone(), &reaches);
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
        let margin = placed.device.margin(base.modes[d], &seen).max(0.0);
        for (k, v) in placed.branches.iter().zip(&volts) {
            let b = &c.branches[*k];
            let (bent, far) = match base.laws[*k] {
                law if law.is_linear() => (f64::INFINITY, f64::INFINITY),
                law => {
                    let ohms = factor.answer(&c.plan, b.from, b.to);
                    (slack(law, *v, 0.0), slack(law, *v, STILL_VOLTS / ohms))
                }
            };
            // Both ends of a branch may move against each other.
            for n in [b.from, b.to] {
                margins[n] = margins[n].min(0.5 * margin.min(bent));
                reaches[n] = reaches[n].min(0.5 * margin.min(far));
            }
        }
    }
    let view = View { volts: &base.volts, alive: &alive, asked: &base.asked };
    for (n, margin) in c.software.margins(view) {
        margins[n] = margins[n].min(0.5 * margin);
        reaches[n] = reaches[n].min(0.5 * margin);
    }
    (margins, reaches)
}

/// How far the voltage of a bent law may move before it strays from its linearisation by more
/// than a current (amperes) or what is tolerated everywhere, volts.
fn slack(law: Law, v: f64, amps: f64) -> f64 {
    let (g, i) = law.norton(v);
    let strays = |v: f64| {
        let true_amps = law.amps(v);
        (g * v + i - true_amps).abs() > amps.max(STRAY_AMPS) + STRAY * true_amps.abs()
    };
    // By halves of a decade: a finer answer would save nothing.
    let steps = (-10..4).map(|n| 10f64.powf(0.5 * f64::from(n)));
    steps.take_while(|m| !strays(v + m) && !strays(v - m)).last().unwrap_or(0.0)
}

/// Whether two laws are the same but for rounding.
fn same_law(a: Law, b: Law) -> bool {
    match (a, b) {
        (Law::Ohms(a), Law::Ohms(b)) => (a - b).abs() <= 1e-9 * a,
        _ => a == b,
    }
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
                let (above, below) = a.split_at_mut(row);
                for (x, y) in below[0][k..].iter_mut().zip(&above[k][k..]) {
                    *x -= share * y;
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
