//! Phases: what alternates faster than a meter follows.
//!
//! A bus is recessive and dominant, a pulse-width modulated output on and off.
//! The operating point of a state is its *resting* phase: buses recessive,
//! modulated outputs on, what turns as the state says. Every other phase holds one transmitter dominant or one
//! output off. A voltmeter shows the average over their shares of time; a capture
//! shows the levels.

use crate::compile::{Circuit, DeviceIx, NodeId};
use crate::fault::Change;
use crate::hearing;
use crate::solve::{Extra, Solution};
use std::sync::Arc;
use vehicle::element::Ears;
use vehicle::{OperatingState, PartIx, TiSlice};

/// A phase with its share of time.
#[derive(Debug, Clone, PartialEq)]
pub struct Phase {
    /// `bus:<id>` or `output:<id>`.
    pub id: String,
    /// Share of time, 0 to 1.
    pub share: f64,
    /// What is held in it.
    pub holds: Vec<Change>,
}

/// What a quickly alternating voltage does, volts.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Levels {
    /// As a voltmeter shows it.
    pub average: f64,
    /// Lowest phase.
    pub low: f64,
    /// Highest phase.
    pub high: f64,
}

/// Share of time that a tooth is before a sensor past which something turns, and not a gap.
pub const TOOTH_SHARE: f64 = 0.5;

/// What each CAN line may be away from the receiver's ground, volts (ISO 11898-2:2016).
const COMMON_VOLTS: f64 = 12.0;

/// Mode of a transceiver that sends a dominant bit.
pub(crate) const DOMINANT: u8 = 2;

impl Circuit {
    /// The phases of a solved state: one for each bus with a working sender, in which its first
    /// one is dominant, and one for each modulated output that is on.
    pub fn phases(&self, state: &OperatingState, solution: &Solution) -> Vec<Phase> {
        let mut phases = Vec::new();
        for bus in &self.vehicle.buses {
            let sender = self.transceivers(&bus.id).find(|d| solution.modes[*d] == 1);
            if let Some(d) = sender {
                phases.push(Phase {
                    id: format!("bus:{}", bus.id),
                    share: bus.dominant_share,
                    holds: vec![Change::Hold(d, DOMINANT)],
                });
            }
        }
        for (o, output) in self.vehicle.outputs.iter_enumerated() {
            let set = state.percent.get(&output.id).map(|percent| percent.0 / 100.0);
            if let Some(duty) = set.or(output.duty)
                && solution.asked.contains(&o)
            {
                let holds = self.drivers[o].iter().map(|d| Change::Hold(*d, 0)).collect();
                phases.push(Phase {
                    id: format!("output:{}", output.id),
                    share: 1.0 - duty,
                    holds,
                });
            }
        }
        phases
    }

    /// Devices that are transceivers of a bus.
    pub fn transceivers<'a>(&'a self, bus: &'a str) -> impl Iterator<Item = DeviceIx> + 'a {
        self.devices.iter_enumerated().filter_map(move |(d, placed)| {
            let element = &self.vehicle.parts[placed.part].elements[placed.element];
            (element.bus() == Some(bus)).then_some(d)
        })
    }

    /// Whether a device leads a bus line on with its first branch.
    pub fn leads_on(&self, device: DeviceIx) -> bool {
        let placed = &self.devices[device];
        self.vehicle.parts[placed.part].elements[placed.element].leads_on().is_some()
    }

    /// The phase in which a part sends a dominant bit on a bus; none when it has no transceiver.
    pub fn dominant(&self, bus: &str, part: PartIx) -> Option<Vec<Change>> {
        let d = self.transceivers(bus).find(|d| self.devices[*d].part == part)?;
        Some(vec![Change::Hold(d, DOMINANT)])
    }

    /// Average and extremes of the voltage between two nodes over all phases of a state.
    pub fn levels(
        self: &Arc<Self>,
        state: &OperatingState,
        changes: &[Change],
        extra: Option<Extra>,
        a: NodeId,
        b: NodeId,
    ) -> Levels {
        let mut with = changes.to_vec();
        with.extend(extra.map(Change::Meter));
        let rest = hearing::solve(self, state, &with);
        let v = rest.volts[a] - rest.volts[b];
        let mut levels = Levels { average: v, low: v, high: v };
        let mut phase = |share: f64, s: &Solution| {
            let at = s.volts[a] - s.volts[b];
            levels.average += share * (at - v);
            levels.low = levels.low.min(at);
            levels.high = levels.high.max(at);
        };
        for Phase { share, holds, .. } in self.phases(state, &rest) {
            let held: Vec<Change> = with.iter().copied().chain(holds).collect();
            phase(share, &self.solve_lacking(state, &held, None, &rest.lost));
        }
        if let Some(on) = self.teeth_on(state) {
            phase(TOOTH_SHARE, &hearing::solve(self, &on, &with));
        }
        levels
    }

    /// Which members of a bus hear a dominant bit of a sender (ISO 11898-2: differential at
    /// least 0.9 V; ISO 17987-4: line below 40 % of the own supply) and the recessive phase as
    /// such (at most 0.5 V; above 60 %). Per member: part and whether both hold.
    pub fn heard(
        self: &Arc<Self>,
        state: &OperatingState,
        changes: &[Change],
        bus: &str,
        sender: PartIx,
    ) -> Vec<(PartIx, bool)> {
        let Some(hold) = self.dominant(bus, sender) else {
            return vec![];
        };
        let rest = hearing::solve(self, state, changes);
        let held: Vec<Change> = changes.iter().copied().chain(hold).collect();
        let sends = rest.alive(self, sender)
            && !changes.iter().any(|c| {
                matches!(c, Change::Hold(d, 0) if self.devices[*d].part == sender
                && self.vehicle.parts[sender].elements[self.devices[*d].element].bus().is_some())
            });
        let dominant = self.solve_lacking(state, &held, None, &rest.lost);
        self.transceivers(bus)
            .map(|d| {
                let part = self.devices[d].part;
                let hears = self.ear(d).is_some_and(|ear| {
                    let volts = |s: &Solution| ear.nodes.map(|n| s.volts[n]);
                    ear.hears(volts(&dominant), volts(&rest))
                });
                (part, sends && hears && rest.alive(self, part))
            })
            .collect()
    }

    /// Where the transceivers of a part listen.
    pub fn ears(&self, part: PartIx) -> impl Iterator<Item = Ear> + '_ {
        self.part_devices[part].iter().filter_map(|d| self.ear(*d))
    }

    /// Where a transceiver listens; none for any other device.
    pub fn ear(&self, device: DeviceIx) -> Option<Ear> {
        let placed = &self.devices[device];
        let pin = |name: &str| self.pin_node.get(&(placed.part, name.to_owned())).copied();
        let end = self.vehicle.parts[placed.part].elements[placed.element].bus_end()?;
        Some(match end.ears {
            Ears::Can { high, low, ground } => {
                Ear { nodes: [pin(high)?, pin(low)?, pin(ground)?], is_lin: false }
            }
            Ears::Lin { line, supply, ground, .. } => {
                Ear { nodes: [pin(line)?, pin(ground)?, pin(supply)?], is_lin: true }
            }
        })
    }
}

/// Where a transceiver listens, and what it takes for a bit.
#[derive(Debug, Clone, Copy)]
pub struct Ear {
    /// High and low line and ground pin of CAN; line, ground and supply pin of LIN.
    pub nodes: [NodeId; 3],
    is_lin: bool,
}

impl Ear {
    /// Whether it listens to a LIN line.
    pub fn is_lin(self) -> bool {
        self.is_lin
    }

    /// Voltages of its nodes.
    pub fn of(self, volts: &TiSlice<NodeId, f64>) -> [f64; 3] {
        self.nodes.map(|n| volts[n])
    }

    /// Volts from its first node to its second.
    pub fn across(self, volts: &TiSlice<NodeId, f64>) -> f64 {
        volts[self.nodes[0]] - volts[self.nodes[1]]
    }

    /// Whether it takes the voltages of its nodes for dominant in one phase and for recessive in
    /// the other (ISO 11898-2, ISO 17987-4).
    /// A CAN line outside what its receiver bears against its own ground is not understood.
    pub fn hears(self, dominant: [f64; 3], recessive: [f64; 3]) -> bool {
        let across = |v: [f64; 3]| v[0] - v[1];
        let share = |v: [f64; 3]| across(v) / (v[2] - v[1]).max(1e-3);
        match self.is_lin {
            false => {
                let bears = |v: [f64; 3]| {
                    (v[0] - v[2]).abs() <= COMMON_VOLTS && (v[1] - v[2]).abs() <= COMMON_VOLTS
                };
                let levels = across(dominant) >= 0.9 && across(recessive) <= 0.5;
                levels && bears(dominant) && bears(recessive)
            }
            true => share(dominant) <= 0.4 && share(recessive) >= 0.6,
        }
    }
}
