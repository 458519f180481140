//! Faults as changes of elements, generated from the vehicle file.
//!
//! One small file per kind of thing that can fail. Their names are [`FaultId`]; the number (ohms, or the knee current of a
//! constriction) may be any positive value, not only those on the grid.

use crate::compile::{BranchId, Circuit, CircuitError, DeviceIx, NodeId};
use crate::law::Law;
use crate::solve::Extra;
use serde::Serialize;
use vehicle::{FaultId, Item, PartIx, Point};

pub(crate) mod connector;
mod ground;
mod pair;
mod part;
pub mod rates;
mod splice;
mod terminal;
mod wire;

/// A change of the circuit.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Change {
    /// A branch gets another law.
    Branch(BranchId, Law),
    /// A resistance appears in series with a branch, whatever its law.
    Series(BranchId, f64),
    /// The resistance of a branch is so many times what its law in the state makes it.
    Times(BranchId, f64),
    /// A resistance appears between two nodes.
    Bridge(NodeId, NodeId, f64),
    /// A meter or another tool between two nodes.
    Meter(Extra),
    /// A device is stuck in a mode.
    Hold(DeviceIx, u8),
    /// A part's effect is lost mechanically.
    NoEffect(PartIx),
}

/// A hypothesis: something that can be wrong.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Fault {
    /// Its id.
    pub id: FaultId,
    /// What a technician would repair.
    pub repair_item: Item,
    /// How often it happens before anything is known: its item's [`rates`], divided among its ways to
    /// fail.
    pub prior: f64,
    /// In words.
    pub text: String,
    /// What it does to the circuit.
    #[serde(skip)]
    pub changes: Vec<Change>,
}

/// Series resistances tried, ohms.
pub const SERIES_OHMS: [f64; 14] =
    [0.1, 0.22, 0.47, 1.0, 2.2, 4.7, 10.0, 22.0, 47.0, 100.0, 1e3, 1e4, 1e5, 1e6];
/// The same where the sound resistance is so small that much current is meant to pass: a starter is
/// ruined by thousandths of an ohm.
pub const HEAVY_SERIES_OHMS: [f64; 18] = [
    0.003, 0.007, 0.015, 0.03, 0.06, 0.12, 0.22, 0.47, 1.0, 2.2, 4.7, 10.0, 22.0, 47.0, 1e2, 1e3,
    1e4, 1e5,
];
/// Sound resistance below which a way is meant for much current, ohms.
const HEAVY_OHMS: f64 = 1e-3;

/// Series resistances tried in a way of some sound resistance, ohms.
pub(crate) fn series_ohms(sound: f64) -> &'static [f64] {
    if sound < HEAVY_OHMS { &HEAVY_SERIES_OHMS } else { &SERIES_OHMS }
}

/// Resistances to ground tried, ohms. Where much current passes they lie closer: whether a fuse blows, and
/// how far the supply sags, changes within one decade.
pub const BRIDGE_OHMS: [f64; 10] = [0.05, 0.12, 0.3, 0.8, 2.0, 5.0, 22.0, 100.0, 470.0, 2e3];
/// How many of them are tried at the far end of a conductor as well: above, the conductor's own resistance
/// tells the ends apart no more.
pub const FAR_OHMS: usize = 8;
/// Resistances to a permanent supply tried, ohms.
pub const SUPPLY_OHMS: [f64; 5] = [0.1, 2.2, 22.0, 220.0, 2.2e3];
/// Resistances between two conductors tried, ohms.
pub const PAIR_OHMS: [f64; 5] = [0.1, 2.2, 22.0, 150.0, 1e3];
/// Knee currents of a constriction tried, amperes; its cold resistance is fixed.
pub const KNEE_AMPS: [f64; 5] = [0.25, 0.4, 0.63, 1.0, 1.6];
/// Cold resistance of a constriction, ohms.
pub const CONSTRICTION_OHMS: f64 = 0.15;

/// Everything that can be wrong with a vehicle, in a fixed order.
pub fn all(circuit: &Circuit) -> Vec<Fault> {
    let mut faults = Vec::new();
    for w in circuit.vehicle.wires.keys() {
        wire::generate(circuit, w, &mut faults);
    }
    for key in circuit.terminal_branch.keys() {
        terminal::generate(circuit, key, &mut faults);
    }
    for g in circuit.vehicle.grounds.keys() {
        ground::generate(circuit, g, &mut faults);
    }
    for c in 0..circuit.vehicle.connectors.len() {
        connector::generate(circuit, c, &mut faults);
    }
    for s in 0..circuit.vehicle.splices.len() {
        splice::generate(circuit, s, &mut faults);
    }
    pair::generate(circuit, &mut faults);
    for p in circuit.vehicle.parts.keys() {
        part::generate(circuit, p, &mut faults);
    }
    faults
}

/// The fault with an id; its number may lie off the grid.
///
/// # Errors
/// [`CircuitError::NoSuchFault`].
pub fn by_id(circuit: &Circuit, id: &str) -> Result<Fault, CircuitError> {
    let none = || CircuitError::NoSuchFault(id.to_owned());
    named(circuit, &id.parse().map_err(|_| none())?).ok_or_else(none)
}

/// The fault of a name; its number may lie off the grid. None where the vehicle has no such thing, or it
/// cannot fail so.
pub fn named(circuit: &Circuit, FaultId { of, mode, number }: &FaultId) -> Option<Fault> {
    let names = &circuit.names;
    match of {
        Item::Wire(id) => wire::make(circuit, circuit.wire(id)?, mode, *number),
        Item::Terminal(id) => {
            let (owner, no) = Point::of(id).key()?;
            terminal::make(circuit, &(owner.into(), no.to_owned()), mode, *number)
        }
        Item::Ground(id) => ground::make(circuit, names.ground(id)?, mode, *number),
        Item::Connector(id) => connector::make(circuit, names.connector(id)?, mode, *number),
        Item::Splice(id) => splice::make(circuit, names.splice(id)?, mode, *number),
        Item::Pair(a, b) => pair::make(circuit, [a, b], mode, *number),
        Item::Part(id) => part::make(circuit, circuit.part(id)?, mode, *number),
        Item::Elsewhere => None,
    }
}

/// The name of a repair item in words.
pub fn item_text(circuit: &Circuit, item: &Item) -> String {
    let v = &circuit.vehicle;
    match item {
        Item::Wire(id) => circuit.names.wire(id).map(|w| &v.wires[w]).map_or_else(
            || format!("Conductor {id}"),
            |w| format!("Conductor {id} {}, {} to {}", w.colour, w.from, w.to),
        ),
        Item::Terminal(id) => {
            let connector = Point::of(id).owner;
            match circuit.names.connector(connector).map(|c| &v.connectors[c]) {
                Some(c) => format!("Terminal {id}, {}", lower(&c.name)),
                None => format!("Terminal {id} in its socket"),
            }
        }
        Item::Ground(id) => circuit
            .names
            .ground(id)
            .map(|g| &v.grounds[g])
            .map_or_else(|| id.to_string(), |g| format!("Ground point {id}, {}", g.name)),
        Item::Connector(id) => circuit
            .names
            .connector(id)
            .map(|c| &v.connectors[c])
            .map_or_else(|| id.to_string(), |c| format!("Connector {id}, {}", lower(&c.name))),
        Item::Splice(id) => circuit
            .names
            .splice(id)
            .map(|s| &v.splices[s])
            .map_or_else(|| id.to_string(), |s| format!("Splice {id}, {}", s.name)),
        Item::Pair(a, b) => format!("Conductors {a} and {b}{}", place_of_pair(circuit, a, b)),
        Item::Part(id) => circuit
            .names
            .part(id)
            .map(|p| &v.parts[p])
            .map_or_else(|| id.to_string(), |p| format!("{} {id}", p.name)),
        Item::Elsewhere => "Not in this vehicle file".to_owned(),
    }
}

fn place_of_pair(circuit: &Circuit, a: &str, b: &str) -> String {
    circuit
        .vehicle
        .places
        .iter()
        .find(|p| p.beside.iter().any(|(x, y)| x == a && y == b))
        .map_or_else(String::new, |p| format!(", {}", p.name))
}

fn lower(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map(|c| c.to_lowercase().chain(chars).collect()).unwrap_or_default()
}

/// Ohms in a few significant figures: `2.2 Ω`, `10 kΩ`.
pub fn ohms_text(ohms: f64) -> String {
    match ohms {
        r if r >= 1e6 => format!("{:.3} MΩ", r / 1e6),
        r if r >= 1e3 => format!("{} kΩ", trim(r / 1e3)),
        r => format!("{} Ω", trim(r)),
    }
}

fn trim(v: f64) -> String {
    let digits = (1 - v.abs().log10().floor() as i32).clamp(0, 3) as usize;
    format!("{v:.digits$}")
}
