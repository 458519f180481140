//! Sparse solution of a resistive network by star-mesh elimination.
//!
//! Every node's conductance to the reference is kept apart from the conductances
//! between nodes, so no elimination step subtracts: a network that mixes
//! milliohms and gigohms keeps full relative accuracy, which an ordinary
//! Cholesky factorisation of the assembled matrix would lose on floating nodes.
//! The order of elimination is by minimum degree; each [`Plan`] serves every set
//! of values on the same graph. A [`Factor`] keeps what every step passed on, so
//! that after a change of a few branches only the steps that depend on them are
//! done again, and only the nodes that move are visited.

use std::collections::BTreeSet;

/// Where an edge's conductance is added.
#[derive(Debug, Clone, Copy)]
enum Slot {
    /// Between two nodes.
    Edge(usize),
    /// Between a node and the reference.
    Ground(usize),
    /// Both ends on the same node: nothing.
    None,
}

#[derive(Debug, Clone)]
struct Step {
    node: usize,
    /// Range of later-eliminated neighbours in `Plan::later`.
    later: (usize, usize),
    /// Range of pairs of them in `Plan::pairs`.
    pairs: (usize, usize),
}

/// A later neighbour of a step.
#[derive(Debug, Clone, Copy)]
struct Later {
    node: usize,
    slot: usize,
    /// The step it belongs to.
    step: usize,
}

/// A pair of later neighbours: what the step adds between them.
#[derive(Debug, Clone, Copy)]
struct Pair {
    first: usize,
    second: usize,
    slot: usize,
}

/// Lists of numbers, packed.
#[derive(Debug, Clone, Default)]
struct Lists {
    at: Vec<u32>,
    items: Vec<u32>,
}

impl Lists {
    fn new(lists: Vec<Vec<u32>>) -> Self {
        let mut at = vec![0];
        let mut items = Vec::new();
        for list in lists {
            items.extend(list);
            at.push(items.len() as u32);
        }
        Self { at, items }
    }
    fn of(&self, k: usize) -> &[u32] {
        &self.items[self.at[k] as usize..self.at[k + 1] as usize]
    }
}

/// An elimination plan for one graph.
#[derive(Debug, Clone)]
pub struct Plan {
    nodes: usize,
    slots: Vec<Slot>,
    ends: Vec<(usize, usize)>,
    steps: Vec<Step>,
    later: Vec<Later>,
    pairs: Vec<Pair>,
    edges: usize,
    /// Step that eliminates each node.
    step_of: Vec<usize>,
    /// Step that first reads each slot.
    reader: Vec<usize>,
    /// Entries of `later` that pass something on to each node.
    into_node: Lists,
    /// Pairs that add to each slot.
    into_slot: Lists,
    /// Branches in each slot, and to the reference at each node.
    in_slot: Lists,
    to_ground: Lists,
}

impl Plan {
    /// Plans the elimination of `nodes` nodes (0 is the reference) joined by `branches`.
    pub fn new(nodes: usize, branches: &[(usize, usize)]) -> Self {
        let mut near: Vec<BTreeSet<usize>> = vec![BTreeSet::new(); nodes];
        for &(a, b) in branches {
            if a != b && a != 0 && b != 0 {
                near[a].insert(b);
                near[b].insert(a);
            }
        }
        let mut slot_of = std::collections::HashMap::new();
        let mut slot = |a: usize, b: usize| {
            let next = slot_of.len();
            *slot_of.entry((a.min(b), a.max(b))).or_insert(next)
        };
        let slots: Vec<Slot> = branches
            .iter()
            .map(|&(a, b)| match (a, b) {
                (a, b) if a == b => Slot::None,
                (0, n) | (n, 0) => Slot::Ground(n),
                (a, b) => Slot::Edge(slot(a, b)),
            })
            .collect();
        let mut queue: BTreeSet<(usize, usize)> = (1..nodes).map(|n| (near[n].len(), n)).collect();
        let mut steps: Vec<Step> = Vec::with_capacity(nodes.saturating_sub(1));
        let (mut later, mut pairs) = (Vec::new(), Vec::new());
        let mut step_of = vec![usize::MAX; nodes];
        while let Some((_, node)) = queue.pop_first() {
            let neighbours: Vec<usize> = std::mem::take(&mut near[node]).into_iter().collect();
            let (l0, p0) = (later.len(), pairs.len());
            let step = steps.len();
            later.extend(neighbours.iter().map(|&n| Later { node: n, slot: slot(node, n), step }));
            for &n in &neighbours {
                queue.remove(&(near[n].len(), n));
                near[n].remove(&node);
            }
            for (i, &a) in neighbours.iter().enumerate() {
                for (j, &b) in neighbours.iter().enumerate().skip(i + 1) {
                    near[a].insert(b);
                    near[b].insert(a);
                    pairs.push(Pair { first: l0 + i, second: l0 + j, slot: slot(a, b) });
                }
            }
            for &n in &neighbours {
                queue.insert((near[n].len(), n));
            }
            step_of[node] = step;
            steps.push(Step { node, later: (l0, later.len()), pairs: (p0, pairs.len()) });
        }
        let edges = slot_of.len();
        let mut into_node = vec![Vec::new(); nodes];
        let mut reader = vec![0; edges];
        for (k, l) in later.iter().enumerate() {
            into_node[l.node].push(k as u32);
            reader[l.slot] = l.step;
        }
        let mut into_slot = vec![Vec::new(); edges];
        for (k, p) in pairs.iter().enumerate() {
            into_slot[p.slot].push(k as u32);
        }
        let mut in_slot = vec![Vec::new(); edges];
        let mut to_ground = vec![Vec::new(); nodes];
        for (k, s) in slots.iter().enumerate() {
            match s {
                Slot::Edge(s) => in_slot[*s].push(k as u32),
                Slot::Ground(n) => to_ground[*n].push(k as u32),
                Slot::None => {}
            }
        }
        Self {
            nodes,
            slots,
            ends: branches.to_vec(),
            steps,
            later,
            pairs,
            edges,
            step_of,
            reader,
            into_node: Lists::new(into_node),
            into_slot: Lists::new(into_slot),
            in_slot: Lists::new(in_slot),
            to_ground: Lists::new(to_ground),
        }
    }

    /// Solves the network once. Each branch is given as its conductance (siemens) and the
    /// current (amperes) it drives from its first to its second node at no voltage; every
    /// node leaks `leak` siemens to the reference. Node voltages come back in volts.
    pub fn solve(
        &self,
        leak: f64,
        branches: impl Iterator<Item = (f64, f64)>,
        factor: &mut Factor,
    ) {
        factor.set(self, leak, branches);
        factor.eliminate(self);
        factor.substitute(self);
    }
}

/// A network's values, what every elimination step passed on, and its solution.
#[derive(Debug, Default, Clone)]
pub struct Factor {
    /// Conductance of each node to the reference that no branch carries.
    leak: Vec<f64>,
    conductance: Vec<f64>,
    current: Vec<f64>,
    edges: Vec<f64>,
    ground: Vec<f64>,
    /// Current driven into each node by its own branches.
    own_rhs: Vec<f64>,
    rhs: Vec<f64>,
    /// Reciprocal of the sum of conductances that each step meets.
    inverse: Vec<f64>,
    passed_ground: Vec<f64>,
    passed_rhs: Vec<f64>,
    passed_edge: Vec<f64>,
    /// Node voltages, volts.
    pub volts: Vec<f64>,
    trail: Vec<(Kept, u32, f64)>,
    /// Steps to do again, and those done, as bits.
    dirty: Vec<u64>,
    done: Vec<u64>,
    /// Node voltages at the last [`Factor::begin`], volts.
    begun: Vec<f64>,
    /// How far each node may move before it is an alarm, volts.
    margins: Vec<f64>,
    /// Nodes that moved since the last [`Factor::begin`], each once; see [`Factor::all_moved`].
    pub moved: Vec<usize>,
    has_moved: Vec<bool>,
    /// So many moved that they are not listed.
    pub all_moved: bool,
    /// Nodes that moved beyond their margin since the last [`Factor::begin`], each once.
    pub alarms: Vec<usize>,
    is_alarm: Vec<bool>,
}

#[derive(Debug, Clone, Copy)]
enum Kept {
    Leak,
    Conductance,
    Current,
    Edge,
    Ground,
    OwnRhs,
    Rhs,
    Inverse,
    PassedGround,
    PassedRhs,
    PassedEdge,
}

/// Up to so many contributions a sum is made anew rather than corrected by a difference: a
/// difference would lose the accuracy of a node that is left floating.
const ANEW: usize = 24;
/// Voltages that move by less than this are left as they are, volts.
pub const STILL_VOLTS: f64 = 2e-6;
/// A node with so many others hanging on it moves them all: then every node is visited in turn.
const HUB: usize = 40;

impl Factor {
    fn set(&mut self, plan: &Plan, leak: f64, branches: impl Iterator<Item = (f64, f64)>) {
        let fill = |v: &mut Vec<f64>, n: usize, x: f64| {
            v.clear();
            v.resize(n, x);
        };
        fill(&mut self.leak, plan.nodes, leak);
        fill(&mut self.edges, plan.edges, 0.0);
        fill(&mut self.ground, plan.nodes, leak);
        fill(&mut self.own_rhs, plan.nodes, 0.0);
        fill(&mut self.inverse, plan.steps.len(), 1.0);
        fill(&mut self.passed_ground, plan.later.len(), 0.0);
        fill(&mut self.passed_rhs, plan.later.len(), 0.0);
        fill(&mut self.passed_edge, plan.pairs.len(), 0.0);
        fill(&mut self.volts, plan.nodes, 0.0);
        self.conductance.clear();
        self.current.clear();
        for (k, (g, i)) in branches.enumerate() {
            self.conductance.push(g);
            self.current.push(i);
            match plan.slots[k] {
                Slot::Edge(slot) => self.edges[slot] += g,
                Slot::Ground(n) => self.ground[n] += g,
                Slot::None => continue,
            }
            let (a, b) = plan.ends[k];
            self.own_rhs[a] -= i;
            self.own_rhs[b] += i;
        }
        self.rhs.clear();
        self.rhs.extend_from_slice(&self.own_rhs);
        self.trail.clear();
        self.dirty.clear();
        self.dirty.resize(plan.steps.len().div_ceil(64), 0);
        self.done.clear();
        self.done.resize(plan.steps.len().div_ceil(64), 0);
        self.moved.clear();
        self.has_moved.clear();
        self.has_moved.resize(plan.nodes, false);
        self.all_moved = false;
        self.alarms.clear();
        self.is_alarm.clear();
        self.is_alarm.resize(plan.nodes, false);
    }

    fn eliminate(&mut self, plan: &Plan) {
        for (p, step) in plan.steps.iter().enumerate() {
            let k = step.node;
            let later = &plan.later[step.later.0..step.later.1];
            let sum = self.ground[k] + later.iter().map(|l| self.edges[l.slot]).sum::<f64>();
            let inverse = 1.0 / sum;
            self.inverse[p] = inverse;
            for (e, l) in later.iter().enumerate() {
                let share = self.edges[l.slot] * inverse;
                let (g, r) = (share * self.ground[k], share * self.rhs[k]);
                self.passed_ground[step.later.0 + e] = g;
                self.passed_rhs[step.later.0 + e] = r;
                self.ground[l.node] += g;
                self.rhs[l.node] += r;
            }
            for q in step.pairs.0..step.pairs.1 {
                let pair = plan.pairs[q];
                let g = self.edges[plan.later[pair.first].slot]
                    * self.edges[plan.later[pair.second].slot]
                    * inverse;
                self.passed_edge[q] = g;
                self.edges[pair.slot] += g;
            }
        }
    }

    fn voltage(&self, plan: &Plan, p: usize) -> f64 {
        let step = &plan.steps[p];
        let pull: f64 = plan.later[step.later.0..step.later.1]
            .iter()
            .map(|l| self.edges[l.slot] * self.volts[l.node])
            .sum();
        (self.rhs[step.node] + pull) * self.inverse[p]
    }

    fn substitute(&mut self, plan: &Plan) {
        for p in (0..plan.steps.len()).rev() {
            self.volts[plan.steps[p].node] = self.voltage(plan, p);
        }
    }

    fn keep(&mut self, what: Kept, at: usize, new: f64) {
        let place = match what {
            Kept::Leak => &mut self.leak,
            Kept::Conductance => &mut self.conductance,
            Kept::Current => &mut self.current,
            Kept::Edge => &mut self.edges,
            Kept::Ground => &mut self.ground,
            Kept::OwnRhs => &mut self.own_rhs,
            Kept::Rhs => &mut self.rhs,
            Kept::Inverse => &mut self.inverse,
            Kept::PassedGround => &mut self.passed_ground,
            Kept::PassedRhs => &mut self.passed_rhs,
            Kept::PassedEdge => &mut self.passed_edge,
        };
        self.trail.push((what, at as u32, place[at]));
        place[at] = new;
    }

    /// Starts a set of changes that [`Factor::undo`] takes back. A node that then moves by more
    /// than its margin (volts) becomes an alarm.
    pub fn begin(&mut self, margins: Vec<f64>) {
        self.trail.clear();
        self.begun.clone_from(&self.volts);
        self.margins = margins;
    }

    /// Takes back every change since [`Factor::begin`] and starts anew.
    pub fn undo(&mut self) {
        while let Some((what, at, old)) = self.trail.pop() {
            let at = at as usize;
            match what {
                Kept::Leak => self.leak[at] = old,
                Kept::Conductance => self.conductance[at] = old,
                Kept::Current => self.current[at] = old,
                Kept::Edge => self.edges[at] = old,
                Kept::Ground => self.ground[at] = old,
                Kept::OwnRhs => self.own_rhs[at] = old,
                Kept::Rhs => self.rhs[at] = old,
                Kept::Inverse => self.inverse[at] = old,
                Kept::PassedGround => self.passed_ground[at] = old,
                Kept::PassedRhs => self.passed_rhs[at] = old,
                Kept::PassedEdge => self.passed_edge[at] = old,
            }
        }
        for n in self.moved.drain(..) {
            self.has_moved[n] = false;
            self.volts[n] = self.begun[n];
        }
        for n in self.alarms.drain(..) {
            self.is_alarm[n] = false;
        }
        if self.all_moved {
            self.volts.copy_from_slice(&self.begun);
            self.all_moved = false;
        }
        self.dirty.iter_mut().for_each(|w| *w = 0);
        self.done.iter_mut().for_each(|w| *w = 0);
    }

    fn mark(&mut self, step: usize) {
        self.dirty[step / 64] |= 1 << (step % 64);
    }

    /// Conductance and driven current of a branch as they stand.
    pub fn branch(&self, k: usize) -> (f64, f64) {
        (self.conductance[k], self.current[k])
    }

    /// Gives a branch another conductance and driven current.
    pub fn set_branch(&mut self, plan: &Plan, k: usize, g: f64, i: f64) {
        let (a, b) = plan.ends[k];
        if g != self.conductance[k] {
            self.keep(Kept::Conductance, k, g);
            match plan.slots[k] {
                Slot::Edge(s) => self.renew_edge(plan, s),
                Slot::Ground(n) => self.renew_ground(plan, n),
                Slot::None => return,
            }
        }
        let more = i - self.current[k];
        if more != 0.0 && a != b {
            self.keep(Kept::Current, k, i);
            self.drive(plan, a, -more);
            self.drive(plan, b, more);
        }
    }

    /// Adds a conductance from a node to the reference.
    pub fn add_to_ground(&mut self, plan: &Plan, n: usize, g: f64) {
        self.keep(Kept::Leak, n, self.leak[n] + g);
        self.renew_ground(plan, n);
    }

    /// Drives more current into a node.
    pub fn drive(&mut self, plan: &Plan, n: usize, amps: f64) {
        if n != 0 {
            self.keep(Kept::OwnRhs, n, self.own_rhs[n] + amps);
            self.keep(Kept::Rhs, n, self.rhs[n] + amps);
            self.mark(plan.step_of[n]);
        }
    }

    fn renew_edge(&mut self, plan: &Plan, s: usize) {
        let own: f64 = plan.in_slot.of(s).iter().map(|k| self.conductance[*k as usize]).sum();
        let passed: f64 = plan.into_slot.of(s).iter().map(|q| self.passed_edge[*q as usize]).sum();
        self.keep(Kept::Edge, s, own + passed);
        self.mark(plan.reader[s]);
    }

    fn renew_ground(&mut self, plan: &Plan, n: usize) {
        let own: f64 = plan.to_ground.of(n).iter().map(|k| self.conductance[*k as usize]).sum();
        let passed: f64 =
            plan.into_node.of(n).iter().map(|e| self.passed_ground[*e as usize]).sum();
        self.keep(Kept::Ground, n, self.leak[n] + own + passed);
        self.mark(plan.step_of[n]);
    }

    /// Does again what depends on the changes, and visits the nodes that move.
    pub fn update(&mut self, plan: &Plan) {
        for word in 0..self.dirty.len() {
            while self.dirty[word] != 0 {
                let p = word * 64 + self.dirty[word].trailing_zeros() as usize;
                self.dirty[word] &= self.dirty[word] - 1;
                self.done[word] |= 1 << (p % 64);
                self.redo(plan, p);
            }
        }
        std::mem::swap(&mut self.dirty, &mut self.done);
        for word in (0..self.dirty.len()).rev() {
            while self.dirty[word] != 0 {
                let bit = 63 - self.dirty[word].leading_zeros() as usize;
                self.dirty[word] &= !(1 << bit);
                let p = word * 64 + bit;
                let node = plan.steps[p].node;
                let v = self.voltage(plan, p);
                if (v - self.volts[node]).abs() > STILL_VOLTS {
                    self.volts[node] = v;
                    if !self.has_moved[node] {
                        self.has_moved[node] = true;
                        self.moved.push(node);
                    }
                    self.check(node, v);
                    let hanging = plan.into_node.of(node);
                    if hanging.len() > HUB {
                        self.visit_all(plan, p);
                        return;
                    }
                    for e in hanging {
                        self.mark(plan.later[*e as usize].step);
                    }
                }
            }
        }
    }

    fn check(&mut self, node: usize, v: f64) {
        if (v - self.begun[node]).abs() > self.margins[node] && !self.is_alarm[node] {
            self.is_alarm[node] = true;
            self.alarms.push(node);
        }
    }

    /// Substitutes every step below `p`.
    fn visit_all(&mut self, plan: &Plan, p: usize) {
        self.all_moved = true;
        for p in (0..p).rev() {
            let node = plan.steps[p].node;
            let v = self.voltage(plan, p);
            self.volts[node] = v;
            self.check(node, v);
        }
        self.dirty.iter_mut().for_each(|w| *w = 0);
    }

    fn redo(&mut self, plan: &Plan, p: usize) {
        let step = &plan.steps[p];
        let k = step.node;
        let (ground, rhs) = (self.ground[k], self.rhs[k]);
        let sum = ground
            + plan.later[step.later.0..step.later.1]
                .iter()
                .map(|l| self.edges[l.slot])
                .sum::<f64>();
        let inverse = 1.0 / sum;
        self.keep(Kept::Inverse, p, inverse);
        for e in step.later.0..step.later.1 {
            let l = plan.later[e];
            let share = self.edges[l.slot] * inverse;
            let (g, r) = (share * ground, share * rhs);
            let (old_g, old_r) = (self.passed_ground[e], self.passed_rhs[e]);
            if g != old_g {
                self.keep(Kept::PassedGround, e, g);
                if plan.into_node.of(l.node).len() <= ANEW {
                    self.renew_ground(plan, l.node);
                } else {
                    self.keep(Kept::Ground, l.node, self.ground[l.node] + (g - old_g));
                    self.mark(plan.step_of[l.node]);
                }
            }
            if r != old_r {
                self.keep(Kept::PassedRhs, e, r);
                self.keep(Kept::Rhs, l.node, self.rhs[l.node] + (r - old_r));
                self.mark(plan.step_of[l.node]);
            }
        }
        for q in step.pairs.0..step.pairs.1 {
            let pair = plan.pairs[q];
            let g = self.edges[plan.later[pair.first].slot]
                * self.edges[plan.later[pair.second].slot]
                * inverse;
            let old = self.passed_edge[q];
            if g != old {
                self.keep(Kept::PassedEdge, q, g);
                if plan.into_slot.of(pair.slot).len() <= ANEW {
                    self.renew_edge(plan, pair.slot);
                } else {
                    self.keep(Kept::Edge, pair.slot, self.edges[pair.slot] + (g - old));
                    self.mark(plan.reader[pair.slot]);
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_floating_milliohm_chain_keeps_its_accuracy() {
        // 12 V behind 1 Ohm feeds a chain of 1 mOhm links that ends in nothing but 1 GOhm leaks.
        let mut ends = vec![(1, 0)];
        let mut values = vec![(1.0, -12.0)];
        for n in 1..40 {
            ends.push((n, n + 1));
            values.push((1000.0, 0.0));
        }
        let mut f = Factor::default();
        Plan::new(41, &ends).solve(1e-9, values.into_iter(), &mut f);
        // The whole chain leaks 40 x 12 nA: the 1 Ohm source drops 480 nV. Link k of 39 carries
        // (40 - k) x 12 nA: together 12 nA x 1 mOhm x (1 + ... + 39) = 9.36 nV.
        assert!((f.volts[40] - (12.0 - 489.36e-9)).abs() < 1e-13, "{}", f.volts[40]);
    }

    type Net = Vec<((usize, usize), (f64, f64))>;

    fn network() -> impl Strategy<Value = Net> {
        let branch = (0..30usize, 1..30usize, -9.0..3.0f64, -1.0..1.0f64);
        proptest::collection::vec(branch, 20..90).prop_map(|list| {
            let mut net: Net = (1..30).map(|n| ((n - 1, n), (0.1, 0.0))).collect();
            net.push(((1, 0), (10.0, -120.0)));
            net.extend(list.into_iter().map(|(a, b, g, i)| ((a, b), (10f64.powf(g), i * 1e-3))));
            net
        })
    }

    proptest! {
        #[test]
        fn an_update_is_as_good_as_a_new_solution(
            net in network(),
            changes in proptest::collection::vec((0..60usize, -9.0..3.0f64, -1.0..1.0f64), 1..5),
        ) {
            let ends: Vec<_> = net.iter().map(|b| b.0).collect();
            let plan = Plan::new(30, &ends);
            let mut f = Factor::default();
            plan.solve(1e-9, net.iter().map(|b| b.1), &mut f);
            let before = f.clone();
            let mut changed = net.clone();
            f.begin(vec![0.0; 30]);
            for (k, g, i) in changes {
                let k = k % net.len();
                changed[k].1 = (10f64.powf(g), i);
                f.set_branch(&plan, k, 10f64.powf(g), i);
            }
            f.update(&plan);
            let mut fresh = Factor::default();
            plan.solve(1e-9, changed.iter().map(|b| b.1), &mut fresh);
            for n in 0..30 {
                let error = (f.volts[n] - fresh.volts[n]).abs();
                prop_assert!(error < 1e-5 + 1e-6 * fresh.volts[n].abs(), "node {n}: {error}");
            }
            f.undo();
            prop_assert_eq!(&f.volts, &before.volts);
            prop_assert_eq!(&f.edges, &before.edges);
            prop_assert_eq!(&f.rhs, &before.rhs);
        }
    }
}
