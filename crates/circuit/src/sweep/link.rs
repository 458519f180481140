//! What neighbours share: one solution for a chain, one line for a grid of resistances.

use super::Sweep;
use crate::compile::{BranchId, DeviceIx, NodeId};
use crate::fault::Change;
use crate::law::Law;
use std::sync::Arc;

/// Resistance at the far end of a line, ohms.
const LINE_OHMS: f64 = 1e6;
/// A current that may be nothing but leakage, amperes.
const LEAKING_AMPS: f64 = 1e-6;

/// A hypothesis about one link of a chain.
#[derive(Debug, Clone, Copy)]
pub(super) struct Link {
    pub(super) at: BranchId,
    pub(super) own: Law,
    pub(super) stands: BranchId,
    pub(super) law: Law,
}

/// What the factor holds at the moment: a law in the link that stands for a chain.
#[derive(Debug, Clone, Copy)]
pub(super) struct Standing {
    pub(super) stands: BranchId,
    pub(super) law: Law,
    /// Moved along a line rather than updated.
    pub(super) by_line: bool,
}

/// Where the voltages go as the resistance of one branch grows.
#[derive(Debug, Clone)]
pub(super) struct Line {
    pub(super) branch: BranchId,
    /// The shift has every node that moves.
    pub(super) whole: bool,
    /// Sound resistance of the branch, ohms, and of the rest of the circuit as the branch sees it.
    pub(super) sound: f64,
    pub(super) rest: f64,
    /// Current in the sound branch and with [`LINE_OHMS`] in it, amperes.
    pub(super) sound_amps: f64,
    pub(super) end_amps: f64,
    /// Shift of the nodes with [`LINE_OHMS`] in it, and its largest share of a node's margin.
    pub(super) shift: Vec<(NodeId, f64)>,
    pub(super) most: f64,
}

impl Sweep {
    /// A hypothesis that only puts another law in one link of a chain, as the same in the link
    /// that stands for the chain.
    pub(super) fn link(&self, changes: &[Change]) -> Option<Link> {
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

    pub(super) fn solve_link(&mut self, link: &Link) -> bool {
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
    pub(super) fn may_go_on(&self, from: &Standing, link: &Link) -> bool {
        let (Law::Ohms(old), Law::Ohms(new)) = (from.law, link.law) else {
            return false;
        };
        let c = &self.circuit;
        let latched = |(d, _): &(DeviceIx, u8)| c.devices[*d].device.latched(self.now.modes[*d]);
        !from.by_line && new > old && !self.now.old_modes.iter().any(latched)
    }

    pub(super) fn go_on(&mut self, link: &Link) -> bool {
        self.now.let_go.clear();
        self.now.to_and_fro = false;
        self.now.mode_turns = self.now.old_modes.len();
        self.set_law(link.stands, link.law);
        self.settle()
    }

    /// Tells the links of a chain apart: the law moves from the one that stands for all of them
    /// to its own place, and the nodes between them move to the other side of it.
    pub(super) fn patch(&mut self, link: &Link) {
        let circuit = Arc::clone(&self.circuit);
        let Some(chain) = circuit.chains.of[link.at].map(|c| &circuit.chains.all[c]) else {
            return;
        };
        if link.at == link.stands {
            return;
        }
        let along = |branch| chain.branches.iter().position(|k| *k == branch);
        let (Some(place), Some(stands)) = (along(link.at), along(link.stands)) else { return };
        let b = &circuit.branches[link.stands];
        let amps = link.law.amps(self.across(b.from, b.to));
        self.patched = Some((link.at, link.stands, link.law));
        self.now.laws[link.at] = link.own;
        self.now.laws[link.stands] = self.base.laws[link.stands];
        let forward = |n: usize| {
            let k = chain.branches[n];
            let along = circuit.branches[k].from == chain.nodes[n];
            match self.base.laws[k] {
                Law::Ohms(r) => (r, along),
                _ => (0.0, along),
            }
        };
        // The current runs the same way through all of them.
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

    pub(super) fn unpatch(&mut self) {
        if let Some((at, stands, law)) = self.patched.take() {
            self.now.laws[at] = self.base.laws[at];
            self.now.laws[stands] = law;
        }
        while let Some((n, v)) = self.unmoved.pop() {
            self.factor.put(n, v);
        }
    }

    /// A resistance in a branch moves every voltage along a straight line, from the healthy circuit
    /// towards the branch opened: as far as no device or bent law is reached, one update serves a
    /// whole grid of resistances. Whether that was so.
    pub(super) fn try_line(&mut self, k: BranchId, law: Law) -> bool {
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
            self.line = Some(Line {
                branch: k,
                whole: self.whole,
                sound_amps,
                end_amps,
                sound,
                rest,
                shift,
                most,
            });
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
}

/// Whether two laws are the same but for rounding.
fn same_law(a: Law, b: Law) -> bool {
    match (a, b) {
        (Law::Ohms(a), Law::Ohms(b)) => (a - b).abs() <= 1e-9 * a,
        _ => a == b,
    }
}
