//! The values of a network and what every elimination step passed on.

use super::plan::{Plan, Slot};
use super::visit::Visits;

/// A network's values, what every elimination step passed on, and its solution.
#[derive(Debug, Default, Clone)]
pub struct Factor {
    /// Conductance of each node to the reference that no branch carries.
    leak: Vec<f64>,
    conductance: Vec<f64>,
    current: Vec<f64>,
    pub(super) edge: Vec<f64>,
    pub(super) ground: Vec<f64>,
    pub(super) rhs: Vec<f64>,
    /// Reciprocal of the sum of conductances that each step meets.
    pub(super) inverse: Vec<f64>,
    passed_ground: Vec<f64>,
    passed_rhs: Vec<f64>,
    passed_edge: Vec<f64>,
    /// Node voltages, volts.
    pub volts: Vec<f64>,
    /// Steps to do again, and those of them whose conductances changed, as bits.
    dirty: Vec<u64>,
    reweigh: Vec<u64>,
    trail: Vec<(Kept, u32, f64)>,
    pub(super) visits: Visits,
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

impl Factor {
    pub(super) fn set(
        &mut self,
        plan: &Plan,
        leak: f64,
        branches: impl Iterator<Item = (f64, f64)>,
    ) {
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
        for bits in [&mut self.dirty, &mut self.reweigh] {
            bits.clear();
            bits.resize(steps.div_ceil(64), 0);
        }
    }

    pub(super) fn eliminate(&mut self, plan: &Plan) {
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

    pub(super) fn substitute(&mut self, plan: &Plan) {
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
        self.trail.push((what, at as u32, place[at]));
        place[at] = new;
    }

    /// Starts a set of changes that [`Factor::undo`] takes back. A node that is visited and moves by
    /// more than its margin (volts) becomes an alarm; one that moves by more than its reach, no
    /// smaller, is visited even when nothing near it changed.
    pub fn begin(&mut self, plan: &Plan, margins: Vec<f64>, reaches: &[f64]) {
        self.trail.clear();
        self.visits = Visits::new(plan, &self.volts, margins, reaches);
    }

    /// Takes back every change since [`Factor::begin`] and starts anew.
    pub fn undo(&mut self) {
        while let Some((what, at, old)) = self.trail.pop() {
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
        self.dirty.fill(0);
        self.reweigh.fill(0);
        self.visits.undo(&mut self.volts);
    }

    fn mark(&mut self, step: u32) {
        self.dirty[step as usize / 64] |= 1 << (step % 64);
    }

    fn mark_reweigh(&mut self, step: u32) {
        self.dirty[step as usize / 64] |= 1 << (step % 64);
        self.reweigh[step as usize / 64] |= 1 << (step % 64);
    }

    /// Conductance and driven current of a branch as they stand.
    pub fn branch(&self, k: impl Into<usize>) -> (f64, f64) {
        let k = k.into();
        (self.conductance[k], self.current[k])
    }

    /// Gives a branch another conductance and driven current.
    pub fn set_branch(&mut self, plan: &Plan, k: impl Into<usize>, g: f64, i: f64) {
        let k = k.into();
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
    pub fn add_to_ground(&mut self, plan: &Plan, n: impl Into<usize>, g: f64) {
        let n = n.into();
        self.keep(Kept::Leak, n, self.leak[n] + g);
        self.renew_ground(plan, n);
    }

    /// Drives more current into a node.
    pub fn drive(&mut self, plan: &Plan, n: impl Into<usize>, amps: f64) {
        let n = n.into();
        if n != 0 {
            self.keep(Kept::Rhs, n, self.rhs[n] + amps);
            self.mark(plan.step_of[n]);
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

    /// Does the marked steps again, each before those that depend on it; all of them are then to
    /// be visited.
    pub(super) fn redo_marked(&mut self, plan: &Plan) {
        for word in 0..self.dirty.len() {
            while self.dirty[word] != 0 {
                let bit = self.dirty[word].trailing_zeros() as usize;
                self.dirty[word] &= self.dirty[word] - 1;
                self.visits.todo[word] |= 1 << bit;
                if self.reweigh[word] & 1 << bit != 0 {
                    self.reweigh[word] &= !(1 << bit);
                    self.redo(plan, word * 64 + bit);
                } else {
                    self.redo_rhs(plan, word * 64 + bit);
                }
            }
        }
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
        if inverse != self.inverse[p] {
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
