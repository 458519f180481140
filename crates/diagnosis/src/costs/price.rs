//! What it takes to mend things: one table, in minutes beside reaching and unplugging, and in money for
//! what is used.
//!
//! The numbers are orders of magnitude for an ordinary van, in euros; a vehicle file or a shop that knows
//! better says so.

use crate::model::Model;
use crate::next::candidates::reach;
use vehicle::{Element, Item, PartKind};

/// What mending a kind of thing takes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Mend {
    /// Minutes of work.
    pub minutes: f64,
    /// Price of what is used.
    pub part: f64,
}

const fn takes(minutes: f64, part: f64) -> Mend {
    Mend { minutes, part }
}

/// Minutes to try the complaint again after a repair.
pub const TRY: f64 = 1.5;
/// Minutes to find what is not in the vehicle file, once that is known.
pub const SEARCH: f64 = 120.0;

/// A length of conductor is laid anew beside the old one.
const CONDUCTOR: Mend = takes(20.0, 5.0);
/// Two conductors are freed and taped, one of them renewed.
const PAIR: Mend = takes(20.0, 5.0);
/// A terminal is pushed out, crimped anew and put back.
const TERMINAL: Mend = takes(12.0, 4.0);
/// A connector is cleaned, dried and seated.
const CONNECTOR: Mend = takes(6.0, 2.0);
/// A crimp is cut out and made anew.
const SPLICE: Mend = takes(12.0, 3.0);
/// A ground point is taken off, bared and greased.
const GROUND: Mend = takes(8.0, 1.0);

fn of_part(kind: PartKind, filament: bool) -> Mend {
    match kind {
        PartKind::Battery => takes(10.0, 140.0),
        PartKind::Generator => takes(45.0, 320.0),
        PartKind::Fuse => takes(0.5, 0.5),
        PartKind::Relay => takes(0.5, 12.0),
        PartKind::Switch => takes(12.0, 45.0),
        PartKind::Motor => takes(20.0, 95.0),
        PartKind::Lamp if filament => takes(2.0, 6.0),
        PartKind::Lamp => takes(8.0, 60.0),
        PartKind::Heater => takes(20.0, 90.0),
        PartKind::Solenoid => takes(15.0, 70.0),
        PartKind::Sensor => takes(10.0, 50.0),
        PartKind::Diode => takes(5.0, 5.0),
        PartKind::Resistor => takes(8.0, 20.0),
        // It is configured and taught as well.
        PartKind::Module => takes(45.0, 550.0),
        PartKind::Setup => takes(8.0, 0.0),
        PartKind::Other => takes(15.0, 60.0),
    }
}

/// What mending an item takes, reaching and unplugging included.
fn alone(model: &Model, item: &Item) -> Mend {
    match item {
        Item::Wire(_) => CONDUCTOR,
        Item::Pair(..) => PAIR,
        Item::Terminal(_) => TERMINAL,
        Item::Connector(_) => CONNECTOR,
        Item::Splice(_) => SPLICE,
        Item::Ground(_) => GROUND,
        Item::Elsewhere => takes(SEARCH, 0.0),
        Item::Part(id) => match model.circuit.part(id).map(|p| &model.circuit.vehicle.parts[p]) {
            Some(part) => {
                let filament = part.elements.iter().any(|e| matches!(e, Element::Lamp(_)));
                of_part(part.kind, filament)
            }
            None => CONDUCTOR,
        },
    }
}

/// The same with reaching and unplugging.
pub fn mend(model: &Model, item: &Item) -> Mend {
    let of = alone(model, item);
    let (there, unplug) = item.thing().map_or((0.0, 0.0), |id| reach(model, id));
    Mend { minutes: of.minutes + there + 2.0 * unplug, ..of }
}
