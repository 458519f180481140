//! Who can be talked to: a tester at the gateway and the modules behind it, over the buses as they
//! are (ISO 11898-2). A request reaches a module when the gateway's dominant bits are dominant there
//! and its pauses recessive; the answer when the module's are so at the gateway.

use crate::compile::{Circuit, NodeId};
use crate::fault::Change;
use crate::phase::{DOMINANT, Ear};
use crate::sweep::Sweep;
use std::sync::Arc;
use vehicle::{Element, OperatingState};

/// A level that moves by less than this leaves the way back as it was, volts: what 30 ohms in one line
/// of a stub make of the current into a receiver of 60 kilohms; the way back stands a good 100.
const SAME_VOLTS: f64 = 1e-3;
/// A resting line that moves by more than this may matter, volts.
const RESTS_VOLTS: f64 = 0.02;
/// Mode of a transceiver that sends nothing.
const SILENT: u8 = 0;

/// The buses a tester talks over, resolved once for a circuit.
#[derive(Debug, Clone)]
pub struct Hearing {
    /// Part of the gateway.
    pub gateway: usize,
    buses: Vec<Line>,
    /// Nodes of the lines: a bit for each bus.
    on_line: Vec<u32>,
    /// Whether a part is a module that a tester can ask.
    asked: Vec<bool>,
    /// Nodes of all ears.
    nodes: Vec<NodeId>,
}

/// A bus as the gateway sees it.
#[derive(Debug, Clone)]
struct Line {
    device: usize,
    ear: Ear,
    members: Vec<Member>,
    nodes: Vec<NodeId>,
}

#[derive(Debug, Clone, Copy)]
struct Member {
    device: usize,
    part: usize,
    ear: Ear,
}

/// What a sound vehicle does in a state, bus by bus.
#[derive(Debug, Clone, Default)]
pub struct Sound {
    /// Volts between the lines at each member's ear while the gateway sends a dominant bit.
    levels: Vec<Vec<f64>>,
    /// Voltages of the ears at rest, the members' first, then the gateway's.
    rest: Vec<Vec<[f64; 3]>>,
    /// Whether each member and the gateway hear each other.
    hears: Vec<Vec<bool>>,
    /// Parts that are not reached although they work, in rising order.
    pub deaf: Vec<u32>,
}

impl Hearing {
    /// Of a circuit: the gateway is the module with the most CAN buses. None where no module has one.
    pub fn of(c: &Circuit) -> Option<Self> {
        let cans = |part: usize| {
            let elements = c.vehicle.parts[part].elements.iter();
            elements.filter(|e| matches!(e, Element::CanTransceiver { .. })).count()
        };
        let modules = (0..c.vehicle.parts.len()).filter(|p| c.vehicle.parts[*p].module.is_some());
        let gateway = modules.max_by_key(|p| (cans(*p), std::cmp::Reverse(*p)))?;
        let mut buses = Vec::new();
        for bus in &c.vehicle.buses {
            let all: Vec<Member> = c
                .transceivers(&bus.id)
                .filter_map(|device| {
                    let ear = c.ear(device).filter(|e| !e.is_lin())?;
                    Some(Member { device, part: c.devices[device].part, ear })
                })
                .collect();
            let Some(own) = all.iter().find(|m| m.part == gateway) else { continue };
            let members: Vec<Member> = all.iter().filter(|m| m.part != gateway).copied().collect();
            let mut nodes: Vec<NodeId> = all.iter().flat_map(|m| m.ear.nodes).collect();
            nodes.sort_unstable();
            nodes.dedup();
            buses.push(Line { device: own.device, ear: own.ear, members, nodes });
        }
        let asked = c.vehicle.parts.iter().map(|p| p.module.is_some()).collect();
        let mut nodes: Vec<NodeId> =
            buses.iter().flat_map(|b: &Line| b.nodes.iter().copied()).collect();
        nodes.sort_unstable();
        nodes.dedup();
        let found = Self { nodes, gateway, on_line: on_line(c, &buses), buses, asked };
        (!found.buses.is_empty()).then_some(found)
    }

    /// Whether changes lie on a line or in a transceiver of these buses: what hangs on them then says
    /// nothing of itself while the line rests.
    pub fn touches(&self, c: &Circuit, changes: &[Change]) -> bool {
        (0..self.buses.len()).any(|b| self.touches_bus(c, b, changes))
    }

    fn touches_bus(&self, c: &Circuit, bus: usize, changes: &[Change]) -> bool {
        let on = |n: NodeId| n != 0 && self.on_line[n] & (1 << bus) != 0;
        let branch = |k: usize| on(c.branches[k].from) || on(c.branches[k].to);
        changes.iter().any(|change| match change {
            Change::Branch(k, _) | Change::Series(k, _) => branch(*k),
            Change::Bridge(a, b, _) => on(*a) || on(*b),
            Change::Hold(d, _) => c.devices[*d].branches.iter().any(|k| branch(*k)),
            Change::Meter(_) | Change::NoEffect(_) => false,
        })
    }

    /// High and low line at every ear: what lies between them tells whether a line rests as it should.
    /// That both move with a ground matters to no receiver.
    pub fn pairs(&self) -> impl Iterator<Item = (NodeId, NodeId)> + '_ {
        let ears = |b: &Line| b.members.iter().map(|m| m.ear).chain([b.ear]).collect::<Vec<_>>();
        self.buses.iter().flat_map(ears).map(|e| (e.nodes[0], e.nodes[1]))
    }

    /// Whether what lies between resting lines has moved far enough to matter.
    pub fn stirs(volts: f64) -> bool {
        volts.abs() > RESTS_VOLTS
    }

    /// What a sound vehicle in the sweep's state does.
    pub fn sound(&self, sweep: &mut Sweep) -> Sound {
        let mut sound = Sound::default();
        for bus in &self.buses {
            let rest = bus.rest(sweep, &[]);
            let held = sweep.solve_at(&[Change::Hold(bus.device, DOMINANT)], &bus.nodes);
            let held = bus.ears(held.volts);
            let levels: Vec<f64> = held.iter().map(|v| v[0] - v[1]).collect();
            // Nothing is wrong with the wiring: where the weakest gets through, all do.
            let ever = vec![f64::INFINITY; levels.len()];
            sound.hears.push(bus.hears(sweep, &[], (&rest, &held), Some(&ever)));
            sound.levels.push(levels);
            sound.rest.push(rest);
        }
        sound.deaf = self.deaf(sweep, None, &[], Some(&sound));
        sound
    }

    /// The state with the gateway sending a dominant bit, for each bus: from there a fault is a small
    /// change. Slow.
    pub fn dominant(&self, circuit: &Arc<Circuit>, state: &OperatingState) -> Vec<Sweep> {
        let held = |bus: &Line| Sweep::new(circuit, state, &[Change::Hold(bus.device, DOMINANT)]);
        self.buses.iter().map(held).collect()
    }

    /// Modules that work and still do not answer at the gateway, under changes, in rising order. Given
    /// what a sound vehicle does, only ways that may have changed are looked at; given the sweeps of
    /// [`Hearing::dominant`], more quickly.
    pub fn deaf(
        &self,
        sweep: &mut Sweep,
        mut dominant: Option<&mut [Sweep]>,
        changes: &[Change],
        sound: Option<&Sound>,
    ) -> Vec<u32> {
        let (alive, rests) = {
            let p = sweep.solve_at(changes, &self.nodes);
            (p.alive.to_vec(), self.buses.iter().map(|b| b.ears(p.volts)).collect::<Vec<_>>())
        };
        let works = |part: usize| self.asked[part] && alive[part];
        let mut reached = vec![false; alive.len()];
        if alive[self.gateway] {
            reached[self.gateway] = true;
            for (b, bus) in self.buses.iter().enumerate() {
                let rest = &rests[b];
                let as_ever = sound.filter(|s| {
                    let stirs = |(now, then): (&[f64; 3], &[f64; 3])| {
                        Self::stirs(now[0] - now[1] - (then[0] - then[1]))
                    };
                    !rest.iter().zip(&s.rest[b]).any(stirs)
                        && !self.touches_bus(sweep.circuit(), b, changes)
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
        }
        (0..alive.len()).filter(|p| works(*p) && !reached[*p]).map(|p| p as u32).collect()
    }
}

impl Line {
    /// Voltages of all ears at rest, the gateway's last.
    fn rest(&self, sweep: &mut Sweep, changes: &[Change]) -> Vec<[f64; 3]> {
        self.ears(sweep.solve_at(changes, &self.nodes).volts)
    }

    /// The same while the gateway sends a dominant bit.
    fn held(&self, sweep: &mut Sweep, changes: &[Change]) -> Vec<[f64; 3]> {
        let mut with = changes.to_vec();
        with.push(Change::Hold(self.device, DOMINANT));
        self.rest(sweep, &with)
    }

    fn ears(&self, volts: &[f64]) -> Vec<[f64; 3]> {
        self.members.iter().map(|m| m.ear).chain([self.ear]).map(|e| e.of(volts)).collect()
    }

    /// Whether each member and the gateway hear each other. Given the levels on a sound vehicle, only
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
        let silent = |device: usize| {
            changes.iter().any(|c| matches!(c, Change::Hold(d, SILENT) if *d == device))
        };
        let own_rest = rest[self.members.len()];
        if silent(self.device) {
            return hears;
        }
        let mut with = changes.to_vec();
        let level = |k: usize| held[k][0] - held[k][1];
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

/// Nodes of the lines: everything that conductors and contacts join to the gateway's own pins.
fn on_line(c: &Circuit, buses: &[Line]) -> Vec<u32> {
    let mut on = vec![0u32; c.nodes];
    for (bit, b) in buses.iter().enumerate() {
        for ear in b.members.iter().map(|m| m.ear).chain([b.ear]) {
            on[ear.nodes[0]] |= 1 << bit;
            on[ear.nodes[1]] |= 1 << bit;
        }
    }
    on[0] = 0;
    let lines: Vec<_> = c
        .branches
        .iter()
        .filter(|b| matches!(b.of, crate::Of::Wire(_) | crate::Of::Terminal(..)))
        .filter(|b| b.from != 0 && b.to != 0)
        .collect();
    while lines.iter().any(|b| on[b.from] != on[b.to]) {
        for b in &lines {
            let both = on[b.from] | on[b.to];
            on[b.from] = both;
            on[b.to] = both;
        }
    }
    on
}
