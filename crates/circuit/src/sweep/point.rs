//! A solved hypothesis.

use crate::compile::{BODY, BranchId, Circuit, DeviceIx, NodeId};
use crate::law::Law;
use crate::linear::Factor;
use crate::software::{ArrivalIx, View};
use crate::solve::Solution;
use std::collections::BTreeSet;
use vehicle::{OutputIx, PartIx, TiSlice};

/// How far a solved point can differ from the healthy circuit.
#[derive(Debug, Clone, Copy)]
pub(super) enum Reach<'s> {
    Nothing,
    Updated(&'s Factor),
    All,
}

/// A solved hypothesis; borrowed until the next one.
#[derive(Debug, Clone, Copy)]
pub struct Point<'s> {
    pub(super) circuit: &'s Circuit,
    /// Node voltages against the body, volts.
    pub volts: &'s TiSlice<NodeId, f64>,
    /// Law of every branch.
    pub laws: &'s TiSlice<BranchId, Law>,
    /// Mode of each device.
    pub modes: &'s TiSlice<DeviceIx, u8>,
    /// Whether each part works.
    pub alive: &'s TiSlice<PartIx, bool>,
    /// Numbers of the outputs asked for.
    pub asked: &'s BTreeSet<OutputIx>,
    pub(super) base: &'s Solution,
    pub(super) reach: Reach<'s>,
    pub(super) no_effect: &'s BTreeSet<PartIx>,
    /// The fuse of a meter or jumper attached to the circuit opened.
    pub tool_blew: bool,
    /// All devices settled; a chattering relay does not.
    pub settled: bool,
}

impl Point<'_> {
    /// Nodes that may differ from the healthy circuit by more than [`crate::linear::STILL_VOLTS`]; none: all.
    pub fn moved(&self) -> Option<&[NodeId]> {
        match self.reach {
            Reach::Nothing => Some(&[]),
            Reach::Updated(factor) => factor.visited(),
            Reach::All => None,
        }
    }

    /// Whether all is as in the healthy circuit: no node moved, no device did anything else, no
    /// effect was lost on the mechanical side.
    pub fn is_healthy(&self) -> bool {
        matches!(self.moved(), Some([]))
            && *self.modes == *self.base.modes
            && self.no_effect == &self.base.no_effect
    }

    /// Whether a node was looked at anew; all others are as in the healthy circuit to
    /// [`crate::linear::STILL_VOLTS`].
    pub fn is_visited(&self, node: NodeId) -> bool {
        node != BODY
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
        let fresh = |n: NodeId| n == BODY || self.is_visited(n);
        if fresh(b.from) && fresh(b.to) {
            self.laws[branch].amps(self.volts[b.from] - self.volts[b.to])
        } else {
            self.base.amps(self.circuit, branch)
        }
    }

    /// Whether the effect of a part may show otherwise than in the healthy circuit.
    pub fn may_show(&self, part: PartIx) -> bool {
        self.moved().is_none()
            || self.no_effect.contains(&part)
            || self.circuit.part_devices[part].iter().any(|d| {
                let ends = self.circuit.devices[*d].branches.first().map(|k| {
                    let b = &self.circuit.branches[*k];
                    self.is_visited(b.from) || self.is_visited(b.to)
                });
                ends.unwrap_or(false)
            })
    }

    /// How strongly the effect of a part shows, see [`Solution::effect`].
    pub fn effect(&self, part: PartIx) -> Option<f64> {
        let effect = self.circuit.effect(part, self.volts, self.laws)?;
        Some(if self.no_effect.contains(&part) { 0.0 } else { effect })
    }

    /// What the software looks at; `lost` as in [`View`].
    pub fn view<'a>(&'a self, lost: &'a [ArrivalIx]) -> View<'a> {
        View {
            volts: self.volts,
            alive: self.alive,
            asked: self.asked,
            percent: &self.base.percent,
            lost,
        }
    }
}
