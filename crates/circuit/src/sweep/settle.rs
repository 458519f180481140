//! Lets a changed circuit settle: bent laws, devices, software, module lives.

use super::Sweep;
use super::margin::{STRAY, STRAY_AMPS};
use crate::compile::{BODY, BranchId, DeviceIx, NodeId, Of};
use crate::elements::Seen;
use crate::fault::Change;
use crate::law::Law;
use crate::software::View;
use crate::solve::{Altered, Extra};
use std::sync::Arc;
use vehicle::{PartIx, TiSlice};

/// Rounds of devices and Newton steps before a hypothesis is solved from rest.
const ROUNDS: usize = 200;
/// Changes of one device's mode before it counts as going to and fro.
const TURNS: usize = 5;

impl Sweep {
    /// Follows a hypothesis from the healthy circuit; whether it settled.
    pub(super) fn try_update(&mut self, changes: &[Change]) -> bool {
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
    pub(super) fn settle(&mut self) -> bool {
        for _ in 0..ROUNDS {
            self.factor.update(&self.circuit.plan);
            if self.bridge() || self.straighten() {
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
    pub(super) fn across(&mut self, from: NodeId, to: NodeId) -> f64 {
        let plan = &self.circuit.plan;
        self.factor.find(plan, from) - self.factor.find(plan, to)
    }

    pub(super) fn apply(&mut self, change: Change) {
        match change {
            Change::Branch(k, law) => {
                if !self.pulled[k] {
                    self.now.fixed.push(k);
                    self.set_law(k, law);
                }
            }
            Change::Series(k, ohms) => {
                if !self.pulled[k] {
                    self.now.altered.push((k, Altered::Series(ohms)));
                    self.set_law(k, self.now.laws[k].in_series(ohms));
                }
            }
            Change::Times(k, n) => {
                if !self.pulled[k] {
                    self.now.altered.push((k, Altered::Times(n)));
                    self.set_law(k, self.now.laws[k].times(n));
                }
            }
            Change::Bridge(a, b, ohms) if a == BODY || b == BODY => {
                if a != b {
                    self.factor.add_to_ground(&self.circuit.plan, a.max(b), 1.0 / ohms);
                }
            }
            Change::Bridge(from, to, ohms) => {
                self.add_bridge(Extra::new(from, to, Law::Ohms(ohms)));
            }
            Change::Meter(extra) => self.add_bridge(extra),
            Change::Hold(d, mode) => {
                self.now.held.push(d);
                self.set_mode(d, mode);
            }
            Change::NoEffect(part) => {
                self.now.no_effect.insert(part);
            }
        }
    }

    pub(super) fn set_law(&mut self, k: BranchId, law: Law) {
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

    pub(super) fn set_mode(&mut self, d: DeviceIx, mode: u8) {
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
            if let Some((_, how)) = self.now.altered.iter().find(|s| s.0 == k) {
                law = how.of(law);
            }
            if law != self.now.laws[k] {
                self.set_law(k, law);
            }
        }
    }

    pub(super) fn look_at(&mut self, d: DeviceIx) {
        if !self.now.is_pending[d] {
            self.now.is_pending[d] = true;
            self.now.pending.push(d);
        }
    }

    /// Linearises bent laws anew where the voltage has strayed; whether any was.
    pub(super) fn straighten(&mut self) -> bool {
        let c = &*Arc::clone(&self.circuit);
        for at in self.now.watched_at..self.factor.alarms().len() {
            for k in &c.bent_at[self.factor.alarms()[at]] {
                self.watch(*k);
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

    pub(super) fn watch(&mut self, k: BranchId) {
        if !self.now.laws[k].is_linear() && !self.now.is_watched[k] {
            self.now.is_watched[k] = true;
            self.now.watched.push(k);
            self.now.strayed_at.push(None);
        }
    }

    /// Lets every device in reach of what moved choose its mode; whether any did.
    pub(super) fn next_modes(&mut self) -> bool {
        let c = &*Arc::clone(&self.circuit);
        let first_new = self.now.looked_at;
        for at in first_new..self.factor.alarms().len() {
            for d in &c.devices_at[self.factor.alarms()[at]] {
                self.look_at(*d);
            }
        }
        self.now.looked_at = self.factor.alarms().len();
        let mut asked_changed = false;
        let stirred = |n: &NodeId| c.software.is_read[*n];
        if self.now.lives_changed || self.now.ask_again || self.factor.alarms().iter().any(stirred)
        {
            for n in &c.software.read {
                self.factor.find(&c.plan, *n);
            }
            let view = View {
                volts: TiSlice::from_ref(&self.factor.volts),
                alive: &self.now.alive,
                asked: &self.now.asked,
                percent: &self.base.percent,
                lost: &self.lost,
            };
            self.now.hangs = c.software.hangs(view);
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
        // One request may wait for what another switched on.
        self.now.ask_again = asked_changed;
        self.now.lives_changed = false;
        let (mut changes, mut released) = (Vec::<(DeviceIx, u8)>::new(), Vec::new());
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
        let is_supply = |d: DeviceIx| c.devices[d].device.alive(0).is_some();
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

    pub(super) fn note_life(&mut self, part: PartIx) {
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
    pub(super) fn wake_neighbours(&mut self) {
        let c = &*Arc::clone(&self.circuit);
        let awake = c.software.bus_awake(&self.now.alive, &c.woken_by_bus);
        for (part, is) in awake.iter_enumerated() {
            if *is != self.now.bus_awake[part] {
                for d in &c.part_devices[part] {
                    self.look_at(*d);
                }
            }
        }
        self.now.bus_awake = awake;
    }
}
