//! The entities of a vehicle file.

use crate::ids::{
    ConnectorId, FailureType, GroundId, GroundIx, MonitorIx, OutputId, OutputIx, PartId, PartIx,
    PlaceId, SignalId, SignalIx, SpliceId, TroubleCode, WireId, WireIx,
};
use crate::{
    Agreement, Condition, Element, Equipment, Identifiers, Message, OperatingState, Procedure,
    Profile, RecordCopy, Signal, Variant,
};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use typed_index_collections::TiVec;

fn half() -> f64 {
    0.5
}
fn one() -> f64 {
    1.0
}
fn two_rows() -> u16 {
    2
}

/// A whole vehicle.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Vehicle {
    /// Format number of this document.
    pub format: u32,
    /// Short name, as in the file name.
    pub id: String,
    /// Make.
    pub make: String,
    /// Model.
    pub model: String,
    /// Model year.
    pub year: u16,
    /// Anything worth knowing.
    #[serde(default)]
    pub notes: String,
    /// What it may have been built without.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub options: Vec<Equipment>,
    /// Where things are and what they suffer there.
    pub places: Vec<Place>,
    /// Everything with an electrical inside.
    #[schemars(with = "Vec<Part>")]
    pub parts: TiVec<PartIx, Part>,
    /// In-line pairs, and part connectors whose cavities are not simply the pins.
    pub connectors: Vec<Connector>,
    /// Splices: points where conductors are joined for good.
    pub splices: Vec<Splice>,
    /// Ground points on the body.
    #[schemars(with = "Vec<GroundPoint>")]
    pub grounds: TiVec<GroundIx, GroundPoint>,
    /// Conductors.
    #[schemars(with = "Vec<Wire>")]
    pub wires: TiVec<WireIx, Wire>,
    /// Buses the modules talk over.
    #[serde(default)]
    pub buses: Vec<Bus>,
    /// The module a tester talks through; none: the one with the most CAN buses.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub gateway: Option<PartId>,
    /// Under which identifiers modules keep what all of them have.
    #[serde(default)]
    pub identifiers: Identifiers,
    /// What modules tell each other.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub messages: Vec<Message>,
    /// What sensors feel: temperatures, pressures, positions, speeds.
    #[serde(default)]
    pub stimuli: Vec<Stimulus>,
    /// Values modules derive.
    #[serde(default)]
    #[schemars(with = "Vec<Signal>")]
    pub signals: TiVec<SignalIx, Signal>,
    /// Outputs modules drive.
    #[serde(default)]
    #[schemars(with = "Vec<Output>")]
    pub outputs: TiVec<OutputIx, Output>,
    /// What the driver can ask for.
    #[serde(default)]
    pub functions: Vec<Function>,
    /// What modules watch.
    #[serde(default)]
    #[schemars(with = "Vec<Monitor>")]
    pub monitors: TiVec<MonitorIx, Monitor>,
    /// Operating states worth a name.
    pub states: Vec<NamedState>,
    /// How states change as time passes.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub profiles: Vec<Profile>,
    /// What modules learn while the vehicle is used.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub procedures: Vec<Procedure>,
    /// Records that a second module keeps a copy of.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub record_copies: Vec<RecordCopy>,
    /// Fields of different modules that have to hold the same.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub agreements: Vec<Agreement>,
}

/// A place in the vehicle, or a section of loom.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Place {
    /// Unique name.
    pub id: PlaceId,
    /// What a technician calls it.
    pub name: String,
    /// Water gets there.
    #[serde(default)]
    pub wet: bool,
    /// It gets hot.
    #[serde(default)]
    pub hot: bool,
    /// It flexes: hinges, door loops.
    #[serde(default)]
    pub flexing: bool,
    /// Exposed to stones, hooks and careless hands.
    #[serde(default)]
    pub exposed: bool,
    /// Conductors that touch each other here, as pairs of circuit numbers.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub beside: Vec<(WireId, WireId)>,
}

/// What a bus speaks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum BusKind {
    /// High-speed CAN (ISO 11898-2).
    Can,
    /// CAN with flexible data rate (ISO 11898-1).
    CanFd,
    /// LIN (ISO 17987).
    Lin,
}

/// A bus; its members are the parts whose transceivers name it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Bus {
    /// Unique name.
    pub id: String,
    /// What a technician calls it.
    pub name: String,
    /// What it speaks.
    pub kind: BusKind,
    /// Bit rate, bit per second.
    pub bit_rate: u32,
    /// Share of time it is dominant while its modules are awake, 0 to 0.9.
    pub dominant_share: f64,
}

/// Something a sensor feels.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Stimulus {
    /// Unique name.
    pub id: String,
    /// What a technician calls it.
    pub name: String,
    /// Unit.
    pub unit: String,
    /// Value when a state says nothing of it.
    pub rest: f64,
    /// Least and largest value there is on a vehicle that is used; none: what its sensors' tables say.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub range: Option<[f64; 2]>,
    /// A hand or foot in the seat moves it as far as it goes: a pedal, the steering wheel.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub by_hand: bool,
    /// There is something of it only while somebody drives the vehicle: nobody has a hand free beside it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub driving: bool,
}

/// Minutes of work at a part or connector.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Minutes {
    /// To get a probe to it.
    #[serde(default = "one")]
    pub reach: f64,
    /// To unplug and plug again, once reached.
    #[serde(default = "half")]
    pub unplug: f64,
}

impl Default for Minutes {
    fn default() -> Self {
        Self { reach: one(), unplug: half() }
    }
}

/// What sort of thing a part is: decides its symbol and its typical failures.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum PartKind {
    /// Battery.
    Battery,
    /// Generator.
    Generator,
    /// Fuse.
    Fuse,
    /// Relay.
    Relay,
    /// Switch or key switch.
    Switch,
    /// Motor or pump.
    Motor,
    /// Lamp, of either sort.
    Lamp,
    /// Heater.
    Heater,
    /// Solenoid, injector, latch.
    Solenoid,
    /// Sensor.
    Sensor,
    /// Diode or clamp.
    Diode,
    /// Resistor, bus terminator.
    Resistor,
    /// Control module.
    Module,
    /// What a module is set to: no thing to be taken in the hand.
    Setup,
    /// Anything else.
    Other,
}

/// A part: elements between its pins.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Part {
    /// Unique name.
    pub id: PartId,
    /// What a technician calls it.
    pub name: String,
    /// What sort of thing it is.
    pub kind: PartKind,
    /// Where it is.
    pub place: PlaceId,
    /// Minutes of work.
    #[serde(default)]
    pub minutes: Minutes,
    /// Price of a new one; none: what is typical of its kind.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub price: Option<f64>,
    /// What can go in its place.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub variants: Vec<Variant>,
    /// Its inside.
    pub elements: Vec<Element>,
    /// For a switch: its positions, the rest position first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub positions: Vec<String>,
    /// For a module: its software side.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub module: Option<Module>,
}

impl crate::Vehicle {
    /// Everything that modules hold and no wire shows, in the order of the file.
    pub fn settings(&self) -> impl Iterator<Item = &crate::element::Setting> {
        self.parts.iter().flat_map(|p| &p.elements).filter_map(|e| e.setting())
    }
}

/// The software side of a module.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Module {
    /// Diagnostic logical address (ISO 13400-2).
    pub address: u16,
    /// Identification data by UDS data identifier in hexadecimal (`F187` part number …).
    #[serde(default)]
    pub identification: BTreeMap<String, String>,
    /// What it is set to, by UDS data identifier in hexadecimal.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub configuration: BTreeMap<String, Record>,
}

/// A configuration record of a module.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Record {
    /// What a technician calls it.
    pub name: String,
    /// Its value as it left the factory, hexadecimal, two digits a byte.
    pub value: String,
}

impl Record {
    /// The value's bytes; none where it is not hexadecimal.
    pub fn bytes(&self) -> Option<Vec<u8>> {
        crate::hex::bytes(&self.value)
    }
}

/// A connector: an in-line pair, or the connector of a part.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Connector {
    /// Unique name.
    pub id: ConnectorId,
    /// What a technician calls it.
    pub name: String,
    /// The part it belongs to; none for an in-line pair.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub part: Option<PartId>,
    /// Names of the two sides of an in-line pair.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sides: Option<(String, String)>,
    /// Where it is.
    pub place: PlaceId,
    /// Sealed against water.
    #[serde(default)]
    pub sealed: bool,
    /// Minutes of work.
    #[serde(default)]
    pub minutes: Minutes,
    /// Number of cavities, used or not.
    pub cavity_count: u16,
    /// Rows the cavities stand in, numbered along the rows as seen on the mating side.
    #[serde(default = "two_rows")]
    pub rows: u16,
    /// Where it really is and how to get there.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
    /// Cavities in use, by number; for a part connector the pin of the same name unless given.
    pub cavities: Vec<Cavity>,
}

/// A cavity in use.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Cavity {
    /// Number as moulded on the connector.
    pub no: String,
    /// Pin of the part behind it; none: the pin named like the cavity.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pin: Option<String>,
    /// No conductor ends here; it is kept for one, as the spare leg of a star coupler.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub spare: bool,
}

/// A splice.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Splice {
    /// Unique name.
    pub id: SpliceId,
    /// What a technician calls it.
    pub name: String,
    /// Where it is.
    pub place: PlaceId,
    /// A bus bar of a fuse box rather than a crimp in the loom.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub rail: bool,
    /// Minutes of work.
    #[serde(default)]
    pub minutes: Minutes,
}

/// A ground point.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct GroundPoint {
    /// Unique name.
    pub id: GroundId,
    /// What a technician calls it.
    pub name: String,
    /// Where it is.
    pub place: PlaceId,
    /// Minutes of work.
    #[serde(default)]
    pub minutes: Minutes,
}

/// A conductor.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Wire {
    /// Unique circuit number.
    pub id: WireId,
    /// Cavity (`M7.1`, `C4.7:engine`), splice or ground point it starts at.
    pub from: String,
    /// Where it ends.
    pub to: String,
    /// IEC 60757 colour code, base and stripe: `GN/YE`.
    pub colour: String,
    /// Cross-section, square millimetres.
    pub area_mm2: f64,
    /// Length, metres.
    #[serde(default = "crate::typical::wire_metres")]
    pub length_m: f64,
    /// Places it runs through, in order.
    #[serde(default)]
    pub route: Vec<PlaceId>,
}

/// An output a module drives.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Output {
    /// Unique name.
    pub id: OutputId,
    /// What a technician calls it.
    pub name: String,
    /// The module part that drives it.
    pub module: PartId,
    /// UDS data identifier for input-output control (service 2F).
    pub did: u16,
    /// The part whose effect shows that it works.
    pub load: PartId,
    /// Longest time it may be driven, seconds.
    pub limit_s: f64,
    /// Share of time a pulse-width modulated output is on; none: switched plainly.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub duty: Option<f64>,
    /// Least and largest share of time that a tester may set, percent; none: it is only on or off.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub percent: Option<[f64; 2]>,
    /// Shares of time of its steps, percent, the least first, where it knows steps only; a tester asks for one by
    /// its number, counted from 1.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub steps: Vec<f64>,
    /// The signal with which its module reads the current that it takes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub current: Option<SignalId>,
    /// What to mind before driving it.
    #[serde(default)]
    pub guard: String,
    /// What must hold before a tester drives it, of values of any module: the vehicle stands, the supply is
    /// strong enough.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub needs: Vec<Permit>,
    /// The output that moves the same load the other way.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub other_way: Option<OutputId>,
}

/// What a driver asks for and the output it ends in.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Function {
    /// Unique name.
    pub id: String,
    /// What a technician calls it.
    pub name: String,
    /// Condition on signals under which it is asked for.
    pub request: Condition,
    /// What else must hold before it is done.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub permits: Vec<Permit>,
    /// The output it switches.
    pub output: OutputId,
}

impl Function {
    /// Everything that must hold for the output to be switched: asked for and permitted.
    pub fn condition(&self) -> Condition {
        match self.permits.as_slice() {
            [] => self.request.clone(),
            permits => {
                let all = permits.iter().map(|p| p.holds.clone());
                Condition::All([self.request.clone()].into_iter().chain(all).collect())
            }
        }
    }
}

/// A condition without which a function is not done, though asked for.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Permit {
    /// What a technician calls it.
    pub name: String,
    /// It permits while this holds.
    pub holds: Condition,
}

/// Something a module watches, and the code it sets.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Monitor {
    /// The module part that watches.
    pub module: PartId,
    /// Code in the form of SAE J2012, for example `B1A23`.
    pub code: TroubleCode,
    /// Failure type byte of SAE J2012-DA, two hexadecimal digits.
    pub failure_type: FailureType,
    /// Meaning.
    pub text: String,
    /// The monitor runs only while this holds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub enable: Option<Condition>,
    /// It fails when this holds.
    pub fails: Condition,
    /// How long it must hold, milliseconds.
    #[serde(default)]
    pub debounce_ms: u32,
    /// In words, what makes it run.
    pub runs_when: String,
    /// Signals of its module that are recorded when the code is set; none: those it looks at.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub snapshot: Vec<SignalId>,
}

impl Vehicle {
    /// Signals that are recorded when a monitor sets its code, with their identifiers: its module's
    /// own, as far as they can be read.
    pub fn frame<'v>(&'v self, monitor: &'v Monitor) -> Vec<(u16, &'v Signal)> {
        let looks_at = monitor.fails.signals();
        let wanted: Vec<&str> = match monitor.snapshot.as_slice() {
            [] => looks_at,
            chosen => chosen.iter().map(SignalId::as_str).collect(),
        };
        let mut out: Vec<(u16, &Signal)> = Vec::new();
        for s in self.signals.iter().filter(|s| s.module == monitor.module) {
            if let Some(did) = s.did
                && wanted.contains(&s.id.as_str())
                && out.len() < MOST_RECORDED
            {
                out.push((did, s));
            }
        }
        out
    }
}

impl Vehicle {
    /// Whether somebody drives the vehicle in a state: nobody has a hand free beside it.
    pub fn is_driven(&self, state: &OperatingState) -> bool {
        let moves = |s: &&Stimulus| state.stimulus(&s.id, s.rest) != s.rest;
        self.stimuli.iter().filter(|s| s.driving).any(|s| moves(&s))
    }
}

/// Most signals recorded with a code.
const MOST_RECORDED: usize = 16;

/// An operating state with a name.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NamedState {
    /// Unique name.
    pub id: String,
    /// What a technician calls it.
    pub name: String,
    /// Minutes to bring the vehicle into it.
    #[serde(default)]
    pub minutes: f64,
    /// The state itself.
    #[serde(default)]
    pub state: OperatingState,
}
