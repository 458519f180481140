//! How often things fail before anything is known: one table.
//!
//! A rate belongs to the thing that a technician would repair; the ways it can fail share it among
//! themselves, so that a thing with many ways is no likelier than one with few. The unit is failures
//! a year of a thousand such things in ordinary use. They are orders of magnitude: a filament burns
//! out hundreds of times more often than a crimp in a dry loom lets go, and that is what decides
//! which one is looked at first.

use crate::compile::Circuit;
use crate::elements;
use serde::Serialize;
use vehicle::{ConnectorId, GroundIx, Item, PartIx, PartKind, PlaceId, Point, WireIx};

/// How often a kind of thing fails.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Rate {
    /// Kind of thing, in words.
    pub kind: &'static str,
    /// Failures a year of a thousand of them.
    pub rate: f64,
    /// Why so many.
    pub why: &'static str,
}

const fn rate(kind: &'static str, rate: f64, why: &'static str) -> Rate {
    Rate { kind, rate, why }
}

pub(crate) const BATTERY: Rate =
    rate("battery", 80.0, "worn out after four to six years, and flat of a lamp left on");
pub(crate) const GENERATOR: Rate =
    rate("generator", 10.0, "brushes, regulator and diodes, hot and always turning");
pub(crate) const FILAMENT: Rate = rate("filament lamp", 30.0, "burns out after some hundred hours");
pub(crate) const LED: Rate = rate("LED lamp", 2.0, "outlasts the vehicle unless water gets in");
pub(crate) const FUSE: Rate = rate(
    "fuse",
    1.0,
    "tired of inrush; far more blow because of something else, which is then the fault",
);
pub(crate) const RELAY: Rate = rate("relay", 2.0, "contacts burn a little each time they open");
pub(crate) const MOTOR: Rate = rate("motor or pump", 8.0, "brushes wear, bearings take in water");
pub(crate) const SOLENOID: Rate =
    rate("solenoid, valve or latch", 3.0, "moves in dirt, winding cycles hot and cold");
pub(crate) const HEATER: Rate = rate("heater", 4.0, "a resistance wire that is hot in use");
pub(crate) const SWITCH: Rate = rate("switch", 2.0, "worn by hands");
pub(crate) const POTENTIOMETER: Rate = rate("potentiometer", 4.0, "its wiper wears the track");
pub(crate) const OUTSIDE_SENSOR: Rate = rate(
    "wheel-speed or position sensor",
    6.0,
    "sits in spray and heat, its lead moves with the axle or engine",
);
pub(crate) const RING: Rate =
    rate("ring of teeth", 0.6, "rust lifts it, a stone or a careless press breaks teeth off");
pub(crate) const SETUP: Rate =
    rate("setup of a module", 0.1, "stays as it was written, unless somebody works on its module");
pub(crate) const SENSOR: Rate = rate("sensor", 2.5, "heat and vibration");
pub(crate) const RESISTOR: Rate = rate("resistor", 0.3, "no moving parts");
pub(crate) const DIODE: Rate = rate("diode or clamp", 0.2, "dies of a surge only");
pub(crate) const MODULE: Rate = rate("module", 1.5, "seldom, although often accused");
pub(crate) const CONNECTOR: Rate =
    rate("connector", 0.1, "not home after a repair; wet where water gets in");
pub(crate) const IN_LINE: Rate =
    rate("terminal in an in-line pair", 0.03, "opened whenever something is taken off");
pub(crate) const TERMINAL: Rate =
    rate("terminal", 0.015, "gold or tin under spring load, left alone for years");
pub(crate) const SOCKET: Rate = rate("terminal in a socket", 0.01, "wide blades in a dry box");
pub(crate) const GROUND: Rate =
    rate("ground point", 0.3, "bare metal under a bolt, often in spray");
pub(crate) const CRIMP: Rate = rate("splice", 0.05, "a crimp under tape, somewhere in the loom");
pub(crate) const RAIL: Rate = rate("bus bar", 0.01, "stamped metal");
pub(crate) const CONDUCTOR: Rate =
    rate("conductor", 0.02, "copper in a dry loom breaks only where it bends or chafes");
pub(crate) const PAIR: Rate =
    rate("two conductors rubbed through", 0.006, "vibration against each other");

/// The whole table.
pub const ALL: [Rate; 27] = [
    BATTERY,
    FILAMENT,
    GENERATOR,
    MOTOR,
    OUTSIDE_SENSOR,
    HEATER,
    POTENTIOMETER,
    SOLENOID,
    SENSOR,
    LED,
    RELAY,
    SWITCH,
    MODULE,
    FUSE,
    RING,
    GROUND,
    RESISTOR,
    DIODE,
    SETUP,
    CONNECTOR,
    CRIMP,
    IN_LINE,
    CONDUCTOR,
    PAIR,
    TERMINAL,
    SOCKET,
    RAIL,
];

/// Where water gets in, contacts fail so many times as often; where conductors flex they break so
/// many times as often.
const WET: f64 = 3.0;
const FLEXING: f64 = 15.0;
const EXPOSED: f64 = 1.6;
const HOT: f64 = 1.4;
/// A sealed connector fails this share as often.
const SEALED: f64 = 0.3;
/// Cross-section from which on a contact carries enough to heat itself, square millimetres, and how
/// many times as often it then fails.
const HEAVY_MM2: f64 = 2.5;
const HEAVY: f64 = 2.0;
/// Length of conductor that the rate is given for, metres, and the range that is told apart.
const METRES: f64 = 2.0;
const SHORTEST: f64 = 0.05;
const LONGEST: f64 = 6.0;
/// Legs of the splice that the rate is given for.
const LEGS: f64 = 3.0;

/// How many times as often as elsewhere contacts and parts fail in a place.
fn contacts(circuit: &Circuit, place: &str) -> f64 {
    let of = |p: &vehicle::Place| {
        let factors = [(p.wet, WET), (p.exposed, EXPOSED), (p.hot, HOT)];
        factors.iter().filter(|(is, _)| *is).map(|(_, f)| f).product()
    };
    circuit.names.place(place).map_or(1.0, |p| of(&circuit.vehicle.places[p]))
}

/// The same of conductors, at the harshest of the places they run through.
fn looms<'p>(circuit: &Circuit, route: impl Iterator<Item = &'p PlaceId>) -> f64 {
    let of = |p: &vehicle::Place| {
        let factors = [(p.flexing, FLEXING), (p.exposed, EXPOSED), (p.hot, HOT)];
        factors.iter().filter(|(is, _)| *is).map(|(_, f)| f).product::<f64>()
    };
    let places = route.filter_map(|id| circuit.names.place(id));
    places.map(|p| of(&circuit.vehicle.places[p])).fold(1.0, f64::max)
}

/// A conductor, by its number.
pub(super) fn conductor(circuit: &Circuit, w: WireIx) -> f64 {
    let wire = &circuit.vehicle.wires[w];
    let length = wire.length_m.clamp(SHORTEST, LONGEST) / METRES;
    CONDUCTOR.rate * looms(circuit, wire.route.iter()) * length
}

/// Two conductors beside each other in a place.
pub(super) fn pair(circuit: &Circuit, place: &PlaceId) -> f64 {
    PAIR.rate * looms(circuit, std::iter::once(place))
}

/// What kind of thing a terminal is, by its connector or socket.
fn of_terminal(circuit: &Circuit, owner: &str) -> Rate {
    match circuit.names.connector(owner).map(|c| &circuit.vehicle.connectors[c]) {
        Some(c) if c.sides.is_some() => IN_LINE,
        Some(_) => TERMINAL,
        None => SOCKET,
    }
}

/// The kind of thing that a repair item is, as the table names it; of a part that of its first element.
pub fn kind(circuit: &Circuit, item: &Item) -> Option<&'static str> {
    let v = &circuit.vehicle;
    Some(
        match item {
            Item::Wire(_) => CONDUCTOR,
            Item::Pair(..) => PAIR,
            Item::Ground(_) => GROUND,
            Item::Connector(_) => CONNECTOR,
            Item::Terminal(id) => of_terminal(circuit, Point::of(id).owner),
            Item::Splice(id) if v.splices[circuit.names.splice(id)?].rail => RAIL,
            Item::Splice(_) => CRIMP,
            Item::Part(id) => match &v.parts[circuit.part(id)?] {
                p if p.kind == PartKind::Module => MODULE,
                p => elements::of(p.elements.first()?).rate(),
            },
            Item::Elsewhere => return None,
        }
        .kind,
    )
}

/// A terminal by connector and cavity, or by part and pin in a socket.
pub(super) fn terminal(circuit: &Circuit, key: &(ConnectorId, String)) -> Option<f64> {
    let v = &circuit.vehicle;
    let kind = of_terminal(circuit, &key.0);
    let (place, sealed) = match circuit.names.connector(&key.0).map(|c| &v.connectors[c]) {
        Some(c) => (&c.place, c.sealed),
        None => (&v.parts[circuit.part(&key.0)?].place, false),
    };
    let harsh = if sealed { 1.0 } else { contacts(circuit, place) };
    let cavity = format!("{}.{}", key.0, key.1);
    let sides = circuit.names.connector(&key.0).and_then(|c| v.connectors[c].sides.as_ref());
    let faces = match sides {
        Some((a, b)) => vec![format!("{cavity}:{a}"), format!("{cavity}:{b}")],
        None => vec![cavity],
    };
    let mut wires = faces.iter().flat_map(|face| circuit.names.ending_at(face));
    let heavy = wires.any(|w| v.wires[*w].area_mm2 >= HEAVY_MM2);
    Some(kind.rate * harsh * if heavy { HEAVY } else { 1.0 })
}

/// A ground point, by its number.
pub(super) fn ground(circuit: &Circuit, g: GroundIx) -> f64 {
    GROUND.rate * contacts(circuit, &circuit.vehicle.grounds[g].place)
}

/// A whole connector, by its number.
pub(super) fn connector(circuit: &Circuit, c: usize) -> f64 {
    let connector = &circuit.vehicle.connectors[c];
    let harsh = if connector.sealed { SEALED } else { contacts(circuit, &connector.place) };
    CONNECTOR.rate * harsh
}

/// A splice with so many legs: more crimps, but made in one go.
pub(super) fn splice(circuit: &Circuit, s: usize, legs: usize) -> f64 {
    let splice = &circuit.vehicle.splices[s];
    let kind = if splice.rail { RAIL } else { CRIMP };
    kind.rate * contacts(circuit, &splice.place) * (legs as f64 / LEGS).sqrt()
}

/// An element of a part, by their numbers. A module fails as one thing, however many inputs and
/// drivers it has; of other parts each element does.
pub(super) fn element(circuit: &Circuit, part: PartIx, element: usize) -> f64 {
    let p = &circuit.vehicle.parts[part];
    let rate = match p.kind {
        PartKind::Module => MODULE.rate,
        _ => elements::of(&p.elements[element]).rate().rate,
    };
    // What is no thing suffers from no place.
    if p.kind == PartKind::Setup {
        return rate;
    }
    // What is built for a harsh place suffers less from it than bare contacts do.
    rate * contacts(circuit, &p.place).sqrt()
}
