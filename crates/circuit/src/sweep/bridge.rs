//! Branches that are not in the vehicle: bridges between conductors, a meter's leads.

use super::Sweep;
use super::margin::{STRAY, STRAY_AMPS};
use crate::compile::NodeId;
use crate::law::Law;
use crate::solve::Extra;
use std::sync::Arc;

/// Current that tries how the circuit answers a bridge, amperes.
const TRIAL_AMPS: f64 = 1e-3;
/// Steps in which a bent law of a bridge is found.
const STEPS: usize = 60;

/// A bridge and the current in it, amperes from its first to its second node.
#[derive(Debug, Clone, Copy)]
pub(super) struct Bridge {
    pub(super) extra: Extra,
    pub(super) amps: f64,
}

impl Sweep {
    /// Adds a branch between two nodes.
    pub(super) fn add_bridge(&mut self, extra: Extra) {
        if extra.from != extra.to {
            self.now.bridges.push(Bridge { extra, amps: 0.0 });
        }
    }

    /// Lets the bridges carry what they must: each is a current between two nodes, found from
    /// the circuit's answer to a trial current in each. Whether a fuse in one of them blew.
    pub(super) fn bridge(&mut self) -> bool {
        let m = self.now.bridges.len();
        if m == 0 {
            return false;
        }
        let plan = &Arc::clone(&self.circuit).plan;
        let bridges = self.now.bridges.clone();
        let ends = |k: usize| (bridges[k].extra.from, bridges[k].extra.to);
        let before: Vec<f64> = (0..m).map(|k| self.across(ends(k).0, ends(k).1)).collect();
        // Row j, column k: fall of the voltage across j per ampere in k.
        let mut z = vec![vec![0.0; m]; m];
        for k in 0..m {
            self.drive(ends(k), TRIAL_AMPS);
            self.factor.touch(plan);
            for (j, row) in z.iter_mut().enumerate() {
                row[k] = (before[j] - self.across(ends(j).0, ends(j).1)) / TRIAL_AMPS;
            }
            self.drive(ends(k), -TRIAL_AMPS);
            if m > 1 {
                self.factor.touch(plan);
            }
        }
        let carried = |j: usize| (0..m).map(|k| z[j][k] * bridges[k].amps).sum::<f64>();
        let open: Vec<f64> = (0..m).map(|j| before[j] + carried(j)).collect();
        let laws: Vec<Law> = bridges.iter().map(|b| b.extra.law).collect();
        let amps = currents(&laws, &open, &z, &before);
        let mut blew = false;
        for (k, amps) in amps.into_iter().enumerate() {
            self.drive(ends(k), amps - bridges[k].amps);
            self.now.bridges[k].amps = amps;
            // A tool's fuse is meant to be the weakest in the circuit: it goes before any other.
            if amps.abs() > bridges[k].extra.blows_at {
                self.now.bridges[k].extra.law = Law::OPEN;
                self.now.bridges[k].extra.blows_at = f64::INFINITY;
                self.now.blew = true;
                blew = true;
            }
        }
        self.factor.update(plan);
        blew
    }

    fn drive(&mut self, (from, to): (NodeId, NodeId), amps: f64) {
        self.factor.drive(&self.circuit.plan, from, -amps);
        self.factor.drive(&self.circuit.plan, to, amps);
    }
}

/// Current in each bridge: the circuit shows it an open voltage behind resistances (its own and,
/// through them, the other bridges'), the bridge answers with its law.
fn currents(laws: &[Law], open: &[f64], z: &[Vec<f64>], start: &[f64]) -> Vec<f64> {
    let m = laws.len();
    let mut norton: Vec<(f64, f64)> = laws.iter().zip(start).map(|(l, v)| l.norton(*v)).collect();
    let mut met: Vec<Option<(f64, f64)>> = vec![None; m];
    let mut amps = vec![0.0; m];
    for _ in 0..STEPS {
        // i / g - E = v with E = -i0 / g; v = open - Z i.
        let mut a = z.to_vec();
        let mut b = open.to_vec();
        for (k, (g, i0)) in norton.iter().enumerate() {
            a[k][k] += 1.0 / g;
            b[k] += i0 / g;
        }
        amps = solve_dense(&mut a, &mut b);
        let mut strayed = false;
        for k in 0..m {
            let v = open[k] - (0..m).map(|n| z[k][n] * amps[n]).sum::<f64>();
            let is = laws[k].amps(v);
            if !laws[k].is_linear() && (is - amps[k]).abs() > STRAY_AMPS + STRAY * is.abs() {
                let before = met[k].replace((v, amps[k]));
                let at = before.and_then(|p| laws[k].meet(p, (v, amps[k])));
                norton[k] = laws[k].norton(at.unwrap_or(v));
                strayed = true;
            }
        }
        if !strayed {
            break;
        }
    }
    amps
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
