//! The circuit as a hypothesis has it at the moment, and the way back to the healthy one.

use super::Sweep;
use super::bridge::Bridge;
use crate::compile::{BranchId, DeviceIx};
use crate::law::Law;
use crate::solve::Altered;
use std::collections::BTreeSet;
use vehicle::{OutputIx, PartIx, TiVec};

/// The circuit as a hypothesis has it at the moment.
#[derive(Debug, Default, Clone)]
pub(super) struct Now {
    pub(super) laws: TiVec<BranchId, Law>,
    pub(super) modes: TiVec<DeviceIx, u8>,
    pub(super) alive: TiVec<PartIx, bool>,
    pub(super) asked: BTreeSet<OutputIx>,
    pub(super) bus_awake: TiVec<PartIx, bool>,
    pub(super) no_effect: BTreeSet<PartIx>,
    pub(super) old_laws: Vec<(BranchId, Law)>,
    pub(super) old_modes: Vec<(DeviceIx, u8)>,
    pub(super) fixed: Vec<BranchId>,
    pub(super) altered: Vec<(BranchId, Altered)>,
    pub(super) held: Vec<DeviceIx>,
    /// Branches that are not in the vehicle.
    pub(super) bridges: Vec<Bridge>,
    /// A fuse in one of them blew.
    pub(super) blew: bool,
    /// Devices to look at, with a mark for each.
    pub(super) pending: Vec<DeviceIx>,
    pub(super) is_pending: TiVec<DeviceIx, bool>,
    pub(super) looked_at: usize,
    /// Bent branches to look at, with a mark for each.
    pub(super) watched: Vec<BranchId>,
    pub(super) is_watched: TiVec<BranchId, bool>,
    /// Where each watched branch last strayed: volts and the amperes of its linearisation there.
    pub(super) strayed_at: Vec<Option<(f64, f64)>>,
    pub(super) watched_at: usize,
    /// Devices that were put back to rest because their mode depends on how they got there.
    pub(super) let_go: Vec<DeviceIx>,
    /// Number of mode changes before those that count as going to and fro.
    pub(super) mode_turns: usize,
    /// A device keeps changing its mode.
    pub(super) to_and_fro: bool,
    /// What is asked for is to be looked at again.
    pub(super) ask_again: bool,
    /// What is asked for may hang on what arrives.
    pub(super) hangs: bool,
    /// A module woke or died since the devices were last asked.
    pub(super) lives_changed: bool,
    /// Across the branches of the device that is looked at, volts and amperes.
    pub(super) volts: Vec<f64>,
    pub(super) amps: Vec<f64>,
}

impl Sweep {
    pub(super) fn take_back(&mut self) {
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
        now.altered.clear();
        now.held.clear();
        now.let_go.clear();
        now.bridges.clear();
        now.blew = false;
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
        now.ask_again = false;
        now.hangs = self.base_hangs;
        now.to_and_fro = false;
        self.full = None;
    }
}
