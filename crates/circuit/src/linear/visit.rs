//! Which nodes are looked at after a change, and which are left until somebody asks.
//!
//! A node whose own step did not change lies between the nodes that go later than it: it moves no
//! further than they do. So a node that moved is followed downward only where some node that
//! depends on it has a smaller reach than that. All other voltages are found when asked for.

use super::factor::Factor;
use super::plan::{Lists, Plan};
use crate::compile::NodeId;

/// A node that moves by less than this leaves the nodes hanging on it as they are, volts: none of
/// them can then be wrong by more, since each lies between its neighbours.
pub const STILL_VOLTS: f64 = 1e-4;
/// When every node is wanted, a node with so many others hanging on it moves them all: then each
/// is visited in turn.
const HUB: usize = 40;

/// What was visited since [`Factor::begin`].
#[derive(Debug, Default, Clone)]
pub(super) struct Visits {
    /// Node voltages at the start, volts.
    base: Vec<f64>,
    /// How far each node may move before it is an alarm, volts.
    margins: Vec<f64>,
    /// The smallest reach among each step's node and all that depend on it: none of them is to be
    /// visited while everything they hang on moves by less, volts.
    least: Vec<f64>,
    /// Steps that read each node, the smallest reaches first.
    hanging: Lists,
    /// Steps to visit, as bits.
    pub(super) todo: Vec<u64>,
    /// The pass in which each node's voltage was found; before the first every one is right.
    found_in: Vec<u64>,
    pass: u64,
    is_clean: bool,
    /// Voltage of each node that all nodes hanging on it last saw, volts.
    shown: Vec<f64>,
    visited: Vec<NodeId>,
    is_visited: Vec<bool>,
    all_visited: bool,
    alarms: Vec<NodeId>,
    is_alarm: Vec<bool>,
    /// Nodes waiting to be found; kept to save the allocation.
    stack: Vec<u32>,
}

impl Visits {
    pub(super) fn new(plan: &Plan, volts: &[f64], margins: Vec<f64>, reaches: &[f64]) -> Self {
        let nodes = volts.len();
        let mut least: Vec<f64> = plan.order.iter().map(|n| reaches[*n as usize]).collect();
        for p in 0..plan.order.len() {
            // Everything a step reads goes later, and the first of it reads all the rest.
            let first = plan.later[plan.edges(p)].iter().map(|n| plan.step_of[*n as usize]).min();
            if let Some(first) = first {
                least[first as usize] = least[first as usize].min(least[p]);
            }
        }
        let hanging = (0..nodes).map(|n| {
            let mut steps: Vec<u32> =
                plan.into_node.of(n).iter().map(|e| plan.reader[*e as usize]).collect();
            steps.sort_by(|a, b| least[*a as usize].total_cmp(&least[*b as usize]));
            steps
        });
        Self {
            hanging: Lists::new(hanging.collect()),
            base: volts.to_vec(),
            shown: volts.to_vec(),
            margins,
            todo: vec![0; plan.order.len().div_ceil(64)],
            least,
            found_in: vec![0; nodes],
            is_visited: vec![false; nodes],
            is_alarm: vec![false; nodes],
            is_clean: true,
            ..Self::default()
        }
    }

    pub(super) fn undo(&mut self, volts: &mut [f64]) {
        if self.all_visited {
            volts.copy_from_slice(&self.base);
            self.shown.copy_from_slice(&self.base);
            self.all_visited = false;
        }
        for n in self.visited.drain(..) {
            let n = n.at();
            self.is_visited[n] = false;
            self.shown[n] = self.base[n];
            volts[n] = self.base[n];
        }
        for n in self.alarms.drain(..) {
            self.is_alarm[n.at()] = false;
        }
        self.todo.fill(0);
        self.is_clean = true;
    }

    fn next_pass(&mut self) {
        self.pass += 1;
        self.is_clean = false;
    }

    fn is_found(&self, node: usize) -> bool {
        self.is_clean || node == 0 || self.found_in[node] == self.pass
    }

    fn note(&mut self, node: usize, v: f64) {
        self.found_in[node] = self.pass;
        if !self.is_visited[node] {
            self.is_visited[node] = true;
            self.visited.push(node.into());
        }
        if (v - self.base[node]).abs() > self.margins[node] && !self.is_alarm[node] {
            self.is_alarm[node] = true;
            self.alarms.push(node.into());
        }
    }

    /// Takes the last step to visit out of a word of them.
    fn take_last(&mut self, word: usize) -> Option<usize> {
        let bit = self.todo[word].checked_ilog2()?;
        self.todo[word] &= !(1 << bit);
        Some(word * 64 + bit as usize)
    }

    fn mark(&mut self, step: u32) {
        self.todo[step as usize / 64] |= 1 << (step % 64);
    }
}

impl Factor {
    pub(super) fn voltage(&self, plan: &Plan, p: usize) -> f64 {
        let range = plan.edges(p);
        let pull: f64 = self.edge[range.clone()]
            .iter()
            .zip(&plan.later[range])
            .map(|(g, n)| g * self.volts[*n as usize])
            .sum();
        (self.rhs[plan.order[p] as usize] + pull) * self.inverse[p]
    }

    /// Nodes visited since [`Factor::begin`], each once; `None` when all were.
    pub fn visited(&self) -> Option<&[NodeId]> {
        (!self.visits.all_visited).then_some(&self.visits.visited)
    }

    /// Whether a node was visited since [`Factor::begin`]: its voltage is as exact as can be, not
    /// only to [`STILL_VOLTS`].
    pub fn is_visited(&self, node: impl Into<usize>) -> bool {
        self.visits.all_visited || self.visits.is_visited[node.into()]
    }

    /// Nodes that moved beyond their margin since [`Factor::begin`], each once.
    pub fn alarms(&self) -> &[NodeId] {
        &self.visits.alarms
    }

    /// Does again what depends on the changes, without visiting any node.
    pub fn touch(&mut self, plan: &Plan) {
        self.redo_marked(plan);
        self.visits.next_pass();
    }

    /// Does again what depends on the changes, and visits every node that may have moved beyond
    /// its reach.
    pub fn update(&mut self, plan: &Plan) {
        self.touch(plan);
        for word in (0..self.visits.todo.len()).rev() {
            while let Some(p) = self.visits.take_last(word) {
                let node = plan.order[p] as usize;
                let v = self.find(plan, node);
                let moved = (v - self.visits.base[node]).abs();
                for at in 0..self.visits.hanging.of(node).len() {
                    let step = self.visits.hanging.of(node)[at];
                    if self.visits.least[step as usize] >= moved {
                        break;
                    }
                    self.visits.mark(step);
                }
            }
        }
    }

    /// Voltage of a node after the latest [`Factor::touch`] or [`Factor::update`], volts.
    pub fn find(&mut self, plan: &Plan, node: impl Into<usize>) -> f64 {
        let node = node.into();
        if self.visits.is_found(node) {
            return self.volts[node];
        }
        let mut stack = std::mem::take(&mut self.visits.stack);
        stack.push(node as u32);
        while let Some(&n) = stack.last() {
            let p = plan.step_of[n as usize] as usize;
            let waiting = stack.len();
            let old = |n: &&u32| !self.visits.is_found(**n as usize);
            stack.extend(plan.later[plan.edges(p)].iter().filter(old));
            if stack.len() == waiting {
                stack.pop();
                if !self.visits.is_found(n as usize) {
                    let v = self.voltage(plan, p);
                    self.volts[n as usize] = v;
                    self.visits.note(n as usize, v);
                }
            }
        }
        self.visits.stack = stack;
        self.volts[node]
    }

    /// What the network looks like between two nodes, ohms.
    pub fn answer(&mut self, plan: &Plan, from: impl Into<usize>, to: impl Into<usize>) -> f64 {
        let (from, to) = (from.into(), to.into());
        let rest = self.volts[from] - self.volts[to];
        // Large enough to stand out of the rounding of the voltages.
        let amps = 1.0;
        self.drive(plan, from, amps);
        self.drive(plan, to, -amps);
        self.touch(plan);
        let loaded = self.find(plan, from) - self.find(plan, to);
        self.undo();
        (loaded - rest) / amps
    }

    /// Brings every node up to date, to [`STILL_VOLTS`].
    pub fn complete(&mut self, plan: &Plan) {
        for at in 0..self.visits.visited.len() {
            let n = self.visits.visited[at].at();
            let moved = (self.volts[n] - self.visits.shown[n]).abs() > STILL_VOLTS;
            if moved || !self.visits.is_found(n) {
                self.visits.mark(plan.step_of[n]);
            }
        }
        for word in (0..self.visits.todo.len()).rev() {
            while let Some(p) = self.visits.take_last(word) {
                let node = plan.order[p] as usize;
                let v = self.find(plan, node);
                if (v - self.visits.shown[node]).abs() > STILL_VOLTS {
                    self.visits.shown[node] = v;
                    let hanging = plan.into_node.of(node);
                    if hanging.len() > HUB {
                        self.visit_all(plan, p);
                        return;
                    }
                    for e in hanging {
                        self.visits.mark(plan.reader[*e as usize]);
                    }
                }
            }
        }
    }

    /// Visits every step below `p`.
    fn visit_all(&mut self, plan: &Plan, p: usize) {
        self.visits.all_visited = true;
        for p in (0..p).rev() {
            let node = plan.order[p] as usize;
            if !self.visits.is_found(node) {
                let v = self.voltage(plan, p);
                self.volts[node] = v;
                self.visits.note(node, v);
            }
        }
        self.visits.shown.copy_from_slice(&self.volts);
        self.visits.todo.fill(0);
    }

    /// Voltages of the nodes visited so far against the start, and the largest of them against
    /// its margin.
    pub fn shift(&self) -> (Vec<(NodeId, f64)>, f64) {
        let visits = &self.visits;
        let shift = |n: NodeId| (n, self.volts[n.at()] - visits.base[n.at()]);
        let list: Vec<(NodeId, f64)> = visits.visited.iter().map(|n| shift(*n)).collect();
        let against = |(n, v): &(NodeId, f64)| match visits.margins[n.at()] {
            margin if margin > 0.0 => v.abs() / margin,
            _ if *v == 0.0 => 0.0,
            _ => f64::INFINITY,
        };
        let most = list.iter().map(against).fold(0.0, f64::max);
        (list, most)
    }

    /// Moves nodes by a multiple of a shift that was taken before.
    pub fn move_by(&mut self, shift: &[(NodeId, f64)], times: f64) {
        self.visits.next_pass();
        for (n, v) in shift {
            let volts = self.volts[n.at()] + times * v;
            self.put(*n, volts);
        }
    }

    /// Puts a node where it is known to be.
    pub fn put(&mut self, node: impl Into<usize>, volts: f64) {
        let node = node.into();
        self.volts[node] = volts;
        self.visits.note(node, volts);
    }
}
