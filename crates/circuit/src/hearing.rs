//! Who can be talked to: the gateway and the modules behind it, a LIN master and its slaves, over the
//! buses as they are (ISO 11898-2, ISO 17987-4). A request reaches a member when the dominant bits
//! from the middle of its bus are dominant there and the pauses recessive; the answer when the
//! member's are so in the middle.

use crate::bus_lines::{bit, bus_lines};
use crate::compile::{BODY, BranchId, Circuit, DeviceIx, NodeId};
use crate::fault::Change;
use crate::phase::{DOMINANT, Ear};
use crate::sweep::Sweep;
use std::sync::Arc;
use vehicle::{OperatingState, PartIx, TiSlice, TiVec, Vehicle};

/// A level that moves by less than this leaves the way back as it was, volts: what 30 ohms in one line
/// of a stub make of the current into a receiver of 60 kilohms; the way back stands a good 100.
const SAME_VOLTS: f64 = 1e-3;
/// A resting CAN line that moves by more than this may matter, volts.
const RESTS_VOLTS: f64 = 0.02;
/// The same of a LIN line, which rests near the supply: a fifth of what its receivers leave.
const LIN_RESTS_VOLTS: f64 = 0.5;
/// Mode of a transceiver that sends nothing.
const SILENT: u8 = 0;

/// Part of the module a tester talks through: as the file says, else the one with the most CAN buses.
pub fn gateway(v: &Vehicle) -> Option<PartIx> {
    let cans = |part: PartIx| {
        let elements = v.parts[part].elements.iter();
        elements.filter(|e| e.bus_end().is_some_and(|end| end.is_can())).count()
    };
    let named = v.gateway.as_ref().and_then(|id| v.parts.position(|p| p.id == *id));
    let modules = v.parts.keys().filter(|p| v.parts[*p].module.is_some() && cans(*p) > 0);
    named.or_else(|| modules.max_by_key(|p| (cans(*p), std::cmp::Reverse(*p))))
}

/// The buses modules talk over, resolved once for a circuit.
#[derive(Debug, Clone)]
pub struct Hearing {
    /// Part of the gateway.
    pub gateway: PartIx,
    buses: Vec<Line>,
    /// Nodes of the lines: a bit for each bus.
    on_line: TiVec<NodeId, u32>,
    /// Whether a part is reached over a bus, if at all.
    asked: TiVec<PartIx, bool>,
    /// Nodes of all ears.
    nodes: Vec<NodeId>,
}

/// A bus as the module in its middle sees it: the gateway, or the master.
#[derive(Debug, Clone)]
struct Line {
    /// Number of the bus.
    bus: usize,
    /// The part in the middle, and its transceiver.
    middle: PartIx,
    device: DeviceIx,
    ear: Ear,
    members: Vec<Member>,
    nodes: Vec<NodeId>,
}

#[derive(Debug, Clone, Copy)]
struct Member {
    device: DeviceIx,
    part: PartIx,
    ear: Ear,
}

/// What a sound vehicle does in a state, bus by bus.
#[derive(Debug, Clone, Default)]
pub struct Sound {
    /// How dominant it is at each member's ear while the middle sends a dominant bit, volts.
    levels: Vec<Vec<f64>>,
    /// Voltages of the ears at rest, the members' first, then the middle's.
    rest: Vec<Vec<[f64; 3]>>,
    /// Whether each member and the middle hear each other.
    hears: Vec<Vec<bool>>,
    /// Parts that are not reached although they work, in rising order.
    pub deaf: Vec<PartIx>,
}

impl Hearing {
    /// Of a circuit. None where no module has a CAN bus.
    pub fn of(c: &Circuit) -> Option<Self> {
        let v = &c.vehicle;
        let gateway = gateway(v)?;
        let mut buses = Vec::new();
        for (number, bus) in v.buses.iter().enumerate() {
            let all: Vec<Member> = c
                .transceivers(&bus.id)
                .filter_map(|device| {
                    Some(Member { device, part: c.devices[device].part, ear: c.ear(device)? })
                })
                .collect();
            let is_master = |m: &&Member| {
                let placed = &c.devices[m.device];
                let element = &v.parts[placed.part].elements[placed.element];
                element.bus_end().is_some_and(|end| end.is_master())
            };
            let is_middle = |m: &&Member| match m.ear.is_lin() {
                true => is_master(m),
                false => m.part == gateway,
            };
            let Some(own) = all.iter().find(is_middle) else { continue };
            let members: Vec<Member> = all.iter().filter(|m| m.part != own.part).copied().collect();
            let mut nodes: Vec<NodeId> = all.iter().flat_map(|m| m.ear.nodes).collect();
            nodes.sort_unstable();
            nodes.dedup();
            let (middle, device, ear) = (own.part, own.device, own.ear);
            buses.push(Line { bus: number, middle, device, ear, members, nodes });
        }
        let mut asked: TiVec<PartIx, bool> = v.parts.iter().map(|p| p.module.is_some()).collect();
        buses.iter().flat_map(|b| &b.members).for_each(|m| asked[m.part] = true);
        let mut nodes: Vec<NodeId> =
            buses.iter().flat_map(|b: &Line| b.nodes.iter().copied()).collect();
        nodes.sort_unstable();
        nodes.dedup();
        let found = Self { nodes, gateway, on_line: bus_lines(c), buses, asked };
        found.buses.iter().any(|b| !b.ear.is_lin()).then_some(found)
    }

    /// Whether changes lie on a line or in a transceiver of these buses: what hangs on them then says
    /// nothing of itself while the line rests.
    pub fn touches(&self, c: &Circuit, changes: &[Change]) -> bool {
        self.buses.iter().any(|b| self.touches_bus(c, b.bus, changes))
    }

    fn touches_bus(&self, c: &Circuit, bus: usize, changes: &[Change]) -> bool {
        let on = |n: NodeId| n != BODY && self.on_line[n] & bit(bus) != 0;
        let branch = |k: BranchId| on(c.branches[k].from) || on(c.branches[k].to);
        changes.iter().any(|change| match change {
            Change::Branch(k, _) | Change::Series(k, _) | Change::Times(k, _) => branch(*k),
            Change::Bridge(a, b, _) => on(*a) || on(*b),
            Change::Hold(d, _) => c.devices[*d].branches.iter().any(|k| branch(*k)),
            Change::Meter(_) | Change::NoEffect(_) => false,
        })
    }

    /// Whether what lies between the lines at some ear has moved far enough to matter; `between` tells
    /// by how much it moved between two nodes, volts. That both move with a ground matters to no
    /// receiver.
    pub fn stirs(&self, between: impl Fn(NodeId, NodeId) -> f64) -> bool {
        let moved = |e: Ear| stirs(e, between(e.nodes[0], e.nodes[1]));
        self.buses.iter().any(|b| moved(b.ear) || b.members.iter().any(|m| moved(m.ear)))
    }

    /// The modules in the middle of the buses.
    pub fn middles(&self) -> impl Iterator<Item = PartIx> + '_ {
        self.buses.iter().map(|b| b.middle)
    }

    /// What a sound vehicle in the sweep's state does.
    pub fn sound(&self, sweep: &mut Sweep) -> Sound {
        let mut sound = Sound::default();
        for bus in &self.buses {
            let rest = bus.rest(sweep, &[]);
            let held = sweep.solve_at(&[Change::Hold(bus.device, DOMINANT)], &bus.nodes);
            let held = bus.ears(held.volts);
            let levels: Vec<f64> = held.iter().map(|v| bus.level(v)).collect();
            // Nothing is wrong with the wiring: where the weakest gets through, all do.
            let ever = vec![f64::INFINITY; levels.len()];
            sound.hears.push(bus.hears(sweep, &[], (&rest, &held), Some(&ever)));
            sound.levels.push(levels);
            sound.rest.push(rest);
        }
        sound.deaf = self.deaf(sweep, None, &[], Some(&sound));
        sound
    }

    /// The state with the middle sending a dominant bit, for each bus: from there a fault is a small
    /// change. Slow.
    pub fn dominant(&self, circuit: &Arc<Circuit>, state: &OperatingState) -> Vec<Sweep> {
        let held = |bus: &Line| Sweep::new(circuit, state, &[Change::Hold(bus.device, DOMINANT)]);
        self.buses.iter().map(held).collect()
    }

    /// Parts that work and still do not answer in the middle of any of their buses, under changes, in
    /// rising order. Given
    /// what a sound vehicle does, only ways that may have changed are looked at; given the sweeps of
    /// [`Hearing::dominant`], more quickly.
    pub fn deaf(
        &self,
        sweep: &mut Sweep,
        mut dominant: Option<&mut [Sweep]>,
        changes: &[Change],
        sound: Option<&Sound>,
    ) -> Vec<PartIx> {
        let (alive, rests) = {
            let p = sweep.solve_at(changes, &self.nodes);
            (p.alive.to_owned(), self.buses.iter().map(|b| b.ears(p.volts)).collect::<Vec<_>>())
        };
        let works = |part: PartIx| self.asked[part] && alive[part];
        let mut reached: TiVec<PartIx, bool> = vec![false; alive.len()].into();
        reached[self.gateway] = alive[self.gateway];
        for (b, bus) in self.buses.iter().enumerate().filter(|(_, bus)| alive[bus.middle]) {
            let rest = &rests[b];
            let as_ever = sound.filter(|s| {
                let across = |v: &[f64; 3]| v[0] - v[1];
                let stir = |k: usize| stirs(bus.ear, across(&rest[k]) - across(&s.rest[b][k]));
                !(0..rest.len()).any(stir) && !self.touches_bus(sweep.circuit(), bus.bus, changes)
            });
            let hears = match as_ever {
                Some(s) => s.hears[b].clone(),
                None => {
                    let held = match dominant.as_mut().and_then(|d| d.get_mut(b)) {
                        Some(held) => bus.ears(held.solve_at(changes, &bus.nodes).volts),
                        None => bus.held(sweep, changes),
                    };
                    let levels = sound.map(|s| &s.levels[b][..]);
                    bus.hears(sweep, changes, (rest, &held), levels)
                }
            };
            for (m, hears) in bus.members.iter().zip(hears) {
                reached[m.part] |= hears;
            }
        }
        alive.keys().filter(|p| works(*p) && !reached[*p]).collect()
    }
}

/// Parts that work and still do not answer in a state under changes, worked out from rest. Slow.
pub fn deaf(circuit: &Arc<Circuit>, state: &OperatingState, changes: &[Change]) -> Vec<PartIx> {
    let mut sweep = Sweep::new(circuit, state, &[]);
    Hearing::of(circuit).map_or_else(Vec::new, |h| h.deaf(&mut sweep, None, changes, None))
}

/// Whether a voltage across an ear that moved by so much at rest may matter.
fn stirs(ear: Ear, volts: f64) -> bool {
    volts.abs() > if ear.is_lin() { LIN_RESTS_VOLTS } else { RESTS_VOLTS }
}

impl Line {
    /// How dominant a level is, volts: what lies between the lines of CAN, what is missing on LIN.
    fn level(&self, ear: &[f64; 3]) -> f64 {
        match self.ear.is_lin() {
            true => ear[1] - ear[0],
            false => ear[0] - ear[1],
        }
    }

    /// Voltages of all ears at rest, the middle's last.
    fn rest(&self, sweep: &mut Sweep, changes: &[Change]) -> Vec<[f64; 3]> {
        self.ears(sweep.solve_at(changes, &self.nodes).volts)
    }

    /// The same while the middle sends a dominant bit.
    fn held(&self, sweep: &mut Sweep, changes: &[Change]) -> Vec<[f64; 3]> {
        let mut with = changes.to_vec();
        with.push(Change::Hold(self.device, DOMINANT));
        self.rest(sweep, &with)
    }

    fn ears(&self, volts: &TiSlice<NodeId, f64>) -> Vec<[f64; 3]> {
        self.members.iter().map(|m| m.ear).chain([self.ear]).map(|e| e.of(volts)).collect()
    }

    /// Whether each member and the middle hear each other. Given the levels on a sound vehicle, only
    /// ways back are looked at that may be worse than they were: the weakest level first, until one
    /// that was in question still gets through.
    fn hears(
        &self,
        sweep: &mut Sweep,
        changes: &[Change],
        (rest, held): (&[[f64; 3]], &[[f64; 3]]),
        sound: Option<&[f64]>,
    ) -> Vec<bool> {
        let mut hears = vec![false; self.members.len()];
        let silent = |device: DeviceIx| {
            changes.iter().any(|c| matches!(c, Change::Hold(d, SILENT) if *d == device))
        };
        let own_rest = rest[self.members.len()];
        if silent(self.device) {
            return hears;
        }
        let mut with = changes.to_vec();
        let level = |k: usize| self.level(&held[k]);
        let mut open: Vec<usize> = (0..self.members.len())
            .filter(|k| !silent(self.members[*k].device))
            .filter(|k| self.members[*k].ear.hears(held[*k], rest[*k]))
            .collect();
        if let Some(sound) = sound {
            open.retain(|k| {
                hears[*k] = (level(*k) - sound[*k]).abs() < SAME_VOLTS;
                !hears[*k]
            });
            // Of a sound vehicle itself the levels alone.
            let lost = |k: usize| match sound[k].is_finite() {
                true => level(k) - sound[k],
                false => level(k),
            };
            open.sort_by(|a, b| lost(*a).total_cmp(&lost(*b)));
        }
        for (at, k) in open.iter().enumerate() {
            with.push(Change::Hold(self.members[*k].device, DOMINANT));
            let p = sweep.solve_at(&with, &self.nodes);
            hears[*k] = self.ear.hears(self.ear.of(p.volts), own_rest);
            with.pop();
            if hears[*k] && sound.is_some() {
                open[at..].iter().for_each(|k| hears[*k] = true);
                break;
            }
        }
        hears
    }
}
