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

/// No number.
const NONE: u32 = u32::MAX;

/// Where a branch's conductance is added.
#[derive(Debug, Clone, Copy)]
enum Slot {
    /// Between two nodes: the number of their edge.
    Edge(u32),
    /// Between a node and the reference.
    Ground(u32),
    /// Both ends on the same node: nothing.
    None,
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

/// What a step adds between two of its later neighbours.
#[derive(Debug, Clone, Copy)]
struct Pair {
    first: u32,
    second: u32,
    /// The edge it is added to.
    into: u32,
}

/// An elimination plan for one graph.
///
/// Step `p` eliminates node `order[p]`. An edge is numbered by the step that reads it, the one
/// of its two nodes that goes first: the edges of step `p` are `first_edge[p] .. first_edge[p + 1]`.
#[derive(Debug, Clone)]
pub struct Plan {
    nodes: usize,
    slots: Vec<Slot>,
    ends: Vec<(usize, usize)>,
    order: Vec<u32>,
    first_edge: Vec<u32>,
    /// The later node of each edge, and the step that reads it.
    later: Vec<u32>,
    reader: Vec<u32>,
    first_pair: Vec<u32>,
    pairs: Vec<Pair>,
    /// Step that eliminates each node.
    step_of: Vec<u32>,
    /// Edges over which something is passed on to each node.
    into_node: Lists,
    /// Pairs that add to each edge.
    into_edge: Lists,
    /// Branches in each edge, and to the reference at each node.
    in_edge: Lists,
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
        let mut queue: BTreeSet<(usize, usize)> = (1..nodes).map(|n| (near[n].len(), n)).collect();
        let mut order = Vec::new();
        let (mut first_edge, mut later, mut reader) = (vec![0], Vec::new(), Vec::new());
        let mut met = Vec::new();
        let mut step_of = vec![NONE; nodes];
        while let Some((_, node)) = queue.pop_first() {
            let neighbours: Vec<usize> = std::mem::take(&mut near[node]).into_iter().collect();
            for &n in &neighbours {
                queue.remove(&(near[n].len(), n));
                near[n].remove(&node);
                later.push(n as u32);
                reader.push(order.len() as u32);
            }
            for (i, &a) in neighbours.iter().enumerate() {
                for &b in &neighbours[i + 1..] {
                    near[a].insert(b);
                    near[b].insert(a);
                }
            }
            for &n in &neighbours {
                queue.insert((near[n].len(), n));
            }
            step_of[node] = order.len() as u32;
            order.push(node as u32);
            first_edge.push(later.len() as u32);
            met.push(neighbours);
        }
        let edge = |a: usize, b: usize| -> u32 {
            let (p, other) =
                if step_of[a] < step_of[b] { (step_of[a], b) } else { (step_of[b], a) };
            let (from, to) = (first_edge[p as usize], first_edge[p as usize + 1]);
            (from..to).find(|e| later[*e as usize] as usize == other).unwrap_or(NONE)
        };
        let (mut first_pair, mut pairs) = (vec![0], Vec::new());
        for (p, neighbours) in met.iter().enumerate() {
            for (i, &a) in neighbours.iter().enumerate() {
                for (j, &b) in neighbours.iter().enumerate().skip(i + 1) {
                    let from = first_edge[p];
                    let (first, second) = (from + i as u32, from + j as u32);
                    pairs.push(Pair { first, second, into: edge(a, b) });
                }
            }
            first_pair.push(pairs.len() as u32);
        }
        let slots: Vec<Slot> = branches
            .iter()
            .map(|&(a, b)| match (a, b) {
                (a, b) if a == b => Slot::None,
                (0, n) | (n, 0) => Slot::Ground(n as u32),
                (a, b) => Slot::Edge(edge(a, b)),
            })
            .collect();
        let mut into_node = vec![Vec::new(); nodes];
        for (e, n) in later.iter().enumerate() {
            into_node[*n as usize].push(e as u32);
        }
        let mut into_edge = vec![Vec::new(); later.len()];
        for (q, p) in pairs.iter().enumerate() {
            into_edge[p.into as usize].push(q as u32);
        }
        let mut in_edge = vec![Vec::new(); later.len()];
        let mut to_ground = vec![Vec::new(); nodes];
        for (k, s) in slots.iter().enumerate() {
            match s {
                Slot::Edge(e) => in_edge[*e as usize].push(k as u32),
                Slot::Ground(n) => to_ground[*n as usize].push(k as u32),
                Slot::None => {}
            }
        }
        Self {
            nodes,
            slots,
            ends: branches.to_vec(),
            order,
            first_edge,
            later,
            reader,
            first_pair,
            pairs,
            step_of,
            into_node: Lists::new(into_node),
            into_edge: Lists::new(into_edge),
            in_edge: Lists::new(in_edge),
            to_ground: Lists::new(to_ground),
        }
    }

    /// The nodes in the order of their elimination. Nodes numbered in this order are visited in
    /// the order they lie in memory.
    pub fn order(&self) -> impl Iterator<Item = usize> + '_ {
        self.order.iter().map(|n| *n as usize)
    }

    fn edges(&self, p: usize) -> std::ops::Range<usize> {
        self.first_edge[p] as usize..self.first_edge[p + 1] as usize
    }

    fn pairs(&self, p: usize) -> std::ops::Range<usize> {
        self.first_pair[p] as usize..self.first_pair[p + 1] as usize
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
    edge: Vec<f64>,
    ground: Vec<f64>,
    rhs: Vec<f64>,
    /// Reciprocal of the sum of conductances that each step meets.
    inverse: Vec<f64>,
    passed_ground: Vec<f64>,
    passed_rhs: Vec<f64>,
    passed_edge: Vec<f64>,
    /// Node voltages, volts.
    pub volts: Vec<f64>,
    /// Steps to do again, those of them whose conductances changed, and those done, as bits.
    dirty: Vec<u64>,
    reweigh: Vec<u64>,
    done: Vec<u64>,
    begun: Begun,
}

/// What a set of changes has done so far, to be taken back.
#[derive(Debug, Default, Clone)]
struct Begun {
    trail: Vec<(Kept, u32, f64)>,
    /// Node voltages at the start, volts.
    volts: Vec<f64>,
    /// How far each node may move before it is an alarm, volts.
    margins: Vec<f64>,
    /// Voltage of each node that the nodes hanging on it last saw, volts.
    shown: Vec<f64>,
    /// Hubs that moved while the nodes hanging on them were left for later.
    withheld: Vec<u32>,
    visited: Vec<u32>,
    is_visited: Vec<bool>,
    all_visited: bool,
    alarms: Vec<u32>,
    is_alarm: Vec<bool>,
}

#[derive(Debug, Clone, Copy)]
enum Kept {
    Leak,
    Conductance,
    Current,
    Edge,
    Ground,
    Rhs,
    Inverse,
    PassedGround,
    PassedRhs,
    PassedEdge,
}

/// Up to so many contributions a sum is made anew rather than corrected by a difference: a
/// difference would lose the accuracy of a node that is left floating.
const ANEW: usize = 8;
/// A conductance that changes by less than this share is left as it was: no step subtracts, so that
/// voltages too change by no more than about this share of themselves.
const SAME_SHARE: f64 = 1e-10;
/// A driven current that changes by less is left as it was, amperes: into a nanosiemens of leakage it
/// makes a microvolt.
const SAME_AMPS: f64 = 1e-15;
/// A node that moves by less than this leaves the nodes hanging on it as they are, volts: none of
/// them can then be wrong by more, since each lies between its neighbours.
pub const STILL_VOLTS: f64 = 1e-4;
/// A node with so many others hanging on it moves them all: then every node is visited in turn.
const HUB: usize = 40;
/// A hub that moves further shows it at once, volts.
const WITHHOLD_VOLTS: f64 = 0.3;

impl Factor {
    fn set(&mut self, plan: &Plan, leak: f64, branches: impl Iterator<Item = (f64, f64)>) {
        let fill = |v: &mut Vec<f64>, n: usize, x: f64| {
            v.clear();
            v.resize(n, x);
        };
        let (steps, edges) = (plan.order.len(), plan.later.len());
        fill(&mut self.leak, plan.nodes, leak);
        fill(&mut self.edge, edges, 0.0);
        fill(&mut self.ground, plan.nodes, leak);
        fill(&mut self.rhs, plan.nodes, 0.0);
        fill(&mut self.inverse, steps, 1.0);
        fill(&mut self.passed_ground, edges, 0.0);
        fill(&mut self.passed_rhs, edges, 0.0);
        fill(&mut self.passed_edge, plan.pairs.len(), 0.0);
        fill(&mut self.volts, plan.nodes, 0.0);
        self.conductance.clear();
        self.current.clear();
        for (k, (g, i)) in branches.enumerate() {
            self.conductance.push(g);
            self.current.push(i);
            match plan.slots[k] {
                Slot::Edge(e) => self.edge[e as usize] += g,
                Slot::Ground(n) => self.ground[n as usize] += g,
                Slot::None => continue,
            }
            let (a, b) = plan.ends[k];
            self.rhs[a] -= i;
            self.rhs[b] += i;
        }
        for bits in [&mut self.dirty, &mut self.reweigh, &mut self.done] {
            bits.clear();
            bits.resize(steps.div_ceil(64), 0);
        }
    }

    fn eliminate(&mut self, plan: &Plan) {
        for p in 0..plan.order.len() {
            let k = plan.order[p] as usize;
            let (ground, rhs) = (self.ground[k], self.rhs[k]);
            let inverse = 1.0 / (ground + self.edge[plan.edges(p)].iter().sum::<f64>());
            self.inverse[p] = inverse;
            for e in plan.edges(p) {
                let share = self.edge[e] * inverse;
                let (g, r) = (share * ground, share * rhs);
                self.passed_ground[e] = g;
                self.passed_rhs[e] = r;
                let n = plan.later[e] as usize;
                self.ground[n] += g;
                self.rhs[n] += r;
            }
            for q in plan.pairs(p) {
                let pair = plan.pairs[q];
                let g = self.edge[pair.first as usize] * self.edge[pair.second as usize] * inverse;
                self.passed_edge[q] = g;
                self.edge[pair.into as usize] += g;
            }
        }
    }

    fn voltage(&self, plan: &Plan, p: usize) -> f64 {
        let range = plan.edges(p);
        let pull: f64 = self.edge[range.clone()]
            .iter()
            .zip(&plan.later[range])
            .map(|(g, n)| g * self.volts[*n as usize])
            .sum();
        (self.rhs[plan.order[p] as usize] + pull) * self.inverse[p]
    }

    fn substitute(&mut self, plan: &Plan) {
        for p in (0..plan.order.len()).rev() {
            self.volts[plan.order[p] as usize] = self.voltage(plan, p);
        }
    }

    fn keep(&mut self, what: Kept, at: usize, new: f64) {
        let place = match what {
            Kept::Leak => &mut self.leak,
            Kept::Conductance => &mut self.conductance,
            Kept::Current => &mut self.current,
            Kept::Edge => &mut self.edge,
            Kept::Ground => &mut self.ground,
            Kept::Rhs => &mut self.rhs,
            Kept::Inverse => &mut self.inverse,
            Kept::PassedGround => &mut self.passed_ground,
            Kept::PassedRhs => &mut self.passed_rhs,
            Kept::PassedEdge => &mut self.passed_edge,
        };
        self.begun.trail.push((what, at as u32, place[at]));
        place[at] = new;
    }

    /// Starts a set of changes that [`Factor::undo`] takes back. A node that then moves by more
    /// than its margin (volts) becomes an alarm.
    pub fn begin(&mut self, margins: Vec<f64>) {
        let nodes = self.volts.len();
        self.begun = Begun {
            volts: self.volts.clone(),
            shown: self.volts.clone(),
            margins,
            is_visited: vec![false; nodes],
            is_alarm: vec![false; nodes],
            ..Begun::default()
        };
    }

    /// Takes back every change since [`Factor::begin`] and starts anew.
    pub fn undo(&mut self) {
        let mut begun = std::mem::take(&mut self.begun);
        while let Some((what, at, old)) = begun.trail.pop() {
            let at = at as usize;
            match what {
                Kept::Leak => self.leak[at] = old,
                Kept::Conductance => self.conductance[at] = old,
                Kept::Current => self.current[at] = old,
                Kept::Edge => self.edge[at] = old,
                Kept::Ground => self.ground[at] = old,
                Kept::Rhs => self.rhs[at] = old,
                Kept::Inverse => self.inverse[at] = old,
                Kept::PassedGround => self.passed_ground[at] = old,
                Kept::PassedRhs => self.passed_rhs[at] = old,
                Kept::PassedEdge => self.passed_edge[at] = old,
            }
        }
        for n in begun.visited.drain(..) {
            let n = n as usize;
            begun.is_visited[n] = false;
            begun.shown[n] = begun.volts[n];
            self.volts[n] = begun.volts[n];
        }
        if begun.all_visited {
            self.volts.copy_from_slice(&begun.volts);
            begun.shown.copy_from_slice(&begun.volts);
            begun.all_visited = false;
        }
        begun.withheld.clear();
        for n in begun.alarms.drain(..) {
            begun.is_alarm[n as usize] = false;
        }
        self.dirty.fill(0);
        self.reweigh.fill(0);
        self.done.fill(0);
        self.begun = begun;
    }

    /// Nodes visited since [`Factor::begin`], each once; `None` when all were.
    pub fn visited(&self) -> Option<&[u32]> {
        (!self.begun.all_visited).then_some(&self.begun.visited)
    }

    /// Whether a node was visited since [`Factor::begin`]: its voltage is as exact as can be, not
    /// only to [`STILL_VOLTS`].
    pub fn is_visited(&self, node: usize) -> bool {
        self.begun.all_visited || self.begun.is_visited[node]
    }

    /// Nodes that moved beyond their margin since [`Factor::begin`], each once.
    pub fn alarms(&self) -> &[u32] {
        &self.begun.alarms
    }

    fn mark(&mut self, step: u32) {
        self.dirty[step as usize / 64] |= 1 << (step % 64);
    }

    fn mark_reweigh(&mut self, step: u32) {
        self.dirty[step as usize / 64] |= 1 << (step % 64);
        self.reweigh[step as usize / 64] |= 1 << (step % 64);
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
                Slot::Edge(e) => self.renew_edge(plan, e as usize),
                Slot::Ground(n) => self.renew_ground(plan, n as usize),
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
            self.keep(Kept::Rhs, n, self.rhs[n] + amps);
            self.mark(plan.step_of[n]);
        }
    }

    /// Marks a node and all that its voltage is found from, to be done again.
    pub fn mark_upward(&mut self, plan: &Plan, n: usize) {
        let mut stack = vec![plan.step_of[n]];
        while let Some(p) = stack.pop() {
            let (word, bit) = (p as usize / 64, 1 << (p % 64));
            if self.dirty[word] & bit == 0 {
                self.dirty[word] |= bit;
                let later = &plan.later[plan.edges(p as usize)];
                stack.extend(later.iter().map(|n| plan.step_of[*n as usize]));
            }
        }
    }

    fn renew_edge(&mut self, plan: &Plan, e: usize) {
        let own: f64 = plan.in_edge.of(e).iter().map(|k| self.conductance[*k as usize]).sum();
        let passed: f64 = plan.into_edge.of(e).iter().map(|q| self.passed_edge[*q as usize]).sum();
        self.keep(Kept::Edge, e, own + passed);
        self.mark_reweigh(plan.reader[e]);
    }

    fn renew_ground(&mut self, plan: &Plan, n: usize) {
        let own: f64 = plan.to_ground.of(n).iter().map(|k| self.conductance[*k as usize]).sum();
        let passed: f64 =
            plan.into_node.of(n).iter().map(|e| self.passed_ground[*e as usize]).sum();
        self.keep(Kept::Ground, n, self.leak[n] + own + passed);
        self.mark_reweigh(plan.step_of[n]);
    }

    fn redo_marked(&mut self, plan: &Plan) {
        for word in 0..self.dirty.len() {
            while self.dirty[word] != 0 {
                let bit = self.dirty[word].trailing_zeros() as usize;
                self.dirty[word] &= self.dirty[word] - 1;
                self.done[word] |= 1 << bit;
                if self.reweigh[word] & 1 << bit != 0 {
                    self.reweigh[word] &= !(1 << bit);
                    self.redo(plan, word * 64 + bit);
                } else {
                    self.redo_rhs(plan, word * 64 + bit);
                }
            }
        }
        std::mem::swap(&mut self.dirty, &mut self.done);
    }

    /// Does again what depends on the changes, and only those nodes: a trial whose result is
    /// exact where the changes were made and is followed by an [`Factor::update`].
    pub fn try_update(&mut self, plan: &Plan) {
        self.redo_marked(plan);
        for word in (0..self.dirty.len()).rev() {
            while self.dirty[word] != 0 {
                let bit = 63 - self.dirty[word].leading_zeros() as usize;
                self.dirty[word] &= !(1 << bit);
                let p = word * 64 + bit;
                let node = plan.order[p] as usize;
                self.volts[node] = self.voltage(plan, p);
                if !self.begun.is_visited[node] {
                    self.begun.is_visited[node] = true;
                    self.begun.visited.push(node as u32);
                }
            }
        }
    }

    /// Whether hubs moved whose neighbours an update has not visited yet.
    pub fn is_withheld(&self) -> bool {
        !self.begun.withheld.is_empty()
    }

    /// Does again what depends on the changes, and visits the nodes that move. With `later`, what
    /// hangs on a hub that moves a little is left for an update without.
    pub fn update(&mut self, plan: &Plan, later: bool) {
        self.redo_marked(plan);
        if !later {
            for n in std::mem::take(&mut self.begun.withheld) {
                self.mark(plan.step_of[n as usize]);
            }
        }
        for word in (0..self.dirty.len()).rev() {
            while self.dirty[word] != 0 {
                let bit = 63 - self.dirty[word].leading_zeros() as usize;
                self.dirty[word] &= !(1 << bit);
                let p = word * 64 + bit;
                let node = plan.order[p] as usize;
                let v = self.voltage(plan, p);
                self.volts[node] = v;
                if !self.begun.is_visited[node] {
                    self.begun.is_visited[node] = true;
                    self.begun.visited.push(node as u32);
                }
                self.check(node, v);
                let moved = (v - self.begun.shown[node]).abs();
                if moved > STILL_VOLTS {
                    let hanging = plan.into_node.of(node);
                    if later && hanging.len() > HUB && moved < WITHHOLD_VOLTS {
                        self.begun.withheld.push(node as u32);
                        continue;
                    }
                    self.begun.shown[node] = v;
                    if hanging.len() > HUB {
                        self.visit_all(plan, p);
                        return;
                    }
                    for e in hanging {
                        self.mark(plan.reader[*e as usize]);
                    }
                }
            }
        }
    }

    /// Voltages of the nodes visited so far against the start, and the largest of them against
    /// its margin.
    pub fn shift(&self) -> (Vec<(u32, f64)>, f64) {
        let begun = &self.begun;
        let shift = |n: u32| (n, self.volts[n as usize] - begun.volts[n as usize]);
        let list: Vec<(u32, f64)> = match self.visited() {
            Some(visited) => visited.iter().map(|n| shift(*n)).collect(),
            None => (0..self.volts.len() as u32).map(shift).collect(),
        };
        let against = |(n, v): &(u32, f64)| match begun.margins[*n as usize] {
            margin if margin > 0.0 => v.abs() / margin,
            _ if *v == 0.0 => 0.0,
            _ => f64::INFINITY,
        };
        let most = list.iter().map(against).fold(0.0, f64::max);
        (list, most)
    }

    /// Moves nodes by a multiple of a shift that was taken before.
    pub fn move_by(&mut self, shift: &[(u32, f64)], times: f64) {
        let begun = &mut self.begun;
        if shift.len() == self.volts.len() {
            begun.all_visited = true;
            for (n, v) in shift {
                self.volts[*n as usize] += times * v;
            }
            return;
        }
        for (n, v) in shift {
            self.volts[*n as usize] += times * v;
            begun.is_visited[*n as usize] = true;
            begun.visited.push(*n);
        }
    }

    /// Puts a node where it is known to be.
    pub fn put(&mut self, node: usize, volts: f64) {
        self.volts[node] = volts;
        if !self.begun.is_visited[node] {
            self.begun.is_visited[node] = true;
            self.begun.visited.push(node as u32);
        }
    }

    fn check(&mut self, node: usize, v: f64) {
        let begun = &mut self.begun;
        if (v - begun.volts[node]).abs() > begun.margins[node] && !begun.is_alarm[node] {
            begun.is_alarm[node] = true;
            begun.alarms.push(node as u32);
        }
    }

    /// Substitutes every step below `p`.
    fn visit_all(&mut self, plan: &Plan, p: usize) {
        self.begun.all_visited = true;
        for p in (0..p).rev() {
            let node = plan.order[p] as usize;
            let v = self.voltage(plan, p);
            self.volts[node] = v;
            self.check(node, v);
        }
        self.begun.shown.copy_from_slice(&self.volts);
        self.dirty.fill(0);
    }

    fn redo_rhs(&mut self, plan: &Plan, p: usize) {
        let rhs = self.rhs[plan.order[p] as usize];
        for e in plan.edges(p) {
            let r = self.edge[e] * self.inverse[p] * rhs;
            let old = self.passed_rhs[e];
            if (r - old).abs() > SAME_AMPS {
                let n = plan.later[e] as usize;
                self.keep(Kept::PassedRhs, e, r);
                self.keep(Kept::Rhs, n, self.rhs[n] + (r - old));
                self.mark(plan.step_of[n]);
            }
        }
    }

    fn redo(&mut self, plan: &Plan, p: usize) {
        let k = plan.order[p] as usize;
        let (ground, rhs) = (self.ground[k], self.rhs[k]);
        let inverse = 1.0 / (ground + self.edge[plan.edges(p)].iter().sum::<f64>());
        let reweighed = inverse != self.inverse[p];
        if reweighed {
            self.keep(Kept::Inverse, p, inverse);
        }
        for e in plan.edges(p) {
            let n = plan.later[e] as usize;
            let share = self.edge[e] * inverse;
            let (g, r) = (share * ground, share * rhs);
            let (old_g, old_r) = (self.passed_ground[e], self.passed_rhs[e]);
            if !same(g, old_g) {
                self.keep(Kept::PassedGround, e, g);
                if plan.into_node.of(n).len() <= ANEW {
                    self.renew_ground(plan, n);
                } else {
                    self.keep(Kept::Ground, n, self.ground[n] + (g - old_g));
                    self.mark_reweigh(plan.step_of[n]);
                }
            }
            if (r - old_r).abs() > SAME_AMPS {
                self.keep(Kept::PassedRhs, e, r);
                self.keep(Kept::Rhs, n, self.rhs[n] + (r - old_r));
                self.mark(plan.step_of[n]);
            }
        }
        for q in plan.pairs(p) {
            let pair = plan.pairs[q];
            let g = self.edge[pair.first as usize] * self.edge[pair.second as usize] * inverse;
            let old = self.passed_edge[q];
            if !same(g, old) {
                self.keep(Kept::PassedEdge, q, g);
                let e = pair.into as usize;
                if plan.into_edge.of(e).len() <= ANEW {
                    self.renew_edge(plan, e);
                } else {
                    self.keep(Kept::Edge, e, self.edge[e] + (g - old));
                    self.mark_reweigh(plan.reader[e]);
                }
            }
        }
    }
}

/// Whether two conductances are the same for our purposes.
fn same(a: f64, b: f64) -> bool {
    (a - b).abs() <= SAME_SHARE * a
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
        fn sources_superpose(net in network()) {
            // The same conductances with every second source, with the others, and with all.
            let ends: Vec<_> = net.iter().map(|b| b.0).collect();
            let plan = Plan::new(30, &ends);
            let with = |keep: &dyn Fn(usize) -> bool| {
                let mut f = Factor::default();
                let values = net.iter().enumerate().map(|(k, b)| (b.1.0, if keep(k) { b.1.1 } else { 0.0 }));
                plan.solve(1e-9, values, &mut f);
                f.volts
            };
            let (even, odd, all) = (with(&|k| k % 2 == 0), with(&|k| k % 2 == 1), with(&|_| true));
            for n in 0..30 {
                prop_assert!((even[n] + odd[n] - all[n]).abs() < 1e-9 * (1.0 + all[n].abs()), "node {n}");
            }
        }

        #[test]
        fn an_update_is_as_good_as_a_new_solution(
            net in network(),
            changes in proptest::collection::vec((0..60usize, -9.0..3.0f64, -1.0..1.0f64), 1..5),
        ) {
            let ends: Vec<_> = net.iter().map(|b| b.0).collect();
            let plan = Plan::new(30, &ends);
            let mut f = Factor::default();
            plan.solve(1e-9, net.iter().map(|b| b.1), &mut f);
            f.begin(vec![0.0; 30]);
            let before = f.clone();
            let mut changed = net.clone();
            for (k, g, i) in changes {
                let k = k % net.len();
                changed[k].1 = (10f64.powf(g), i);
                f.set_branch(&plan, k, 10f64.powf(g), i);
                f.update(&plan, true);
            }
            f.update(&plan, false);
            let mut fresh = Factor::default();
            plan.solve(1e-9, changed.iter().map(|b| b.1), &mut fresh);
            for n in 0..30 {
                let error = (f.volts[n] - fresh.volts[n]).abs();
                prop_assert!(error < 2.0 * STILL_VOLTS + 1e-6 * fresh.volts[n].abs(), "node {n}: {error}");
            }
            f.undo();
            prop_assert_eq!(&f.volts, &before.volts);
            prop_assert_eq!(&f.edge, &before.edge);
            prop_assert_eq!(&f.rhs, &before.rhs);
            prop_assert_eq!(&f.ground, &before.ground);
        }
    }
}
