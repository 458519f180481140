//! One small file per element kind: its branches, its modes, its laws, its ways to fail.
//!
//! A new kind is added by copying a file, its parameters in `vehicle::element` likewise, and one line
//! in [`of`]; the compiler asks for each.

use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use std::borrow::Cow;
use std::collections::BTreeSet;
use std::fmt::Debug;
use vehicle::{Element, OperatingState, OutputIx, Part};

mod analog_input;
mod battery;
mod bus_link;
mod can_transceiver;
mod charger;
mod coded_switch;
mod contact;
mod current_input;
mod current_sensor;
mod diode;
pub(crate) mod fuse;
mod generator;
mod h_bridge;
mod hall_switch;
mod heater;
mod high_side;
mod input;
mod lamp;
mod led_lamp;
mod lin_transceiver;
mod low_side;
mod motor;
mod potentiometer;
mod ratiometric;
mod reference;
mod relay;
mod resistor;
mod sensor_ground;
pub(crate) mod setting;
mod solenoid;
mod supply;
mod table_sensor;
mod thermistor;
mod tone_ring;
mod zener;

/// What a device sees of a solution when it decides on its next mode.
#[derive(Debug)]
pub struct Seen<'a> {
    /// Volts across each of its branches.
    pub volts: &'a [f64],
    /// Amperes through each of its branches.
    pub amps: &'a [f64],
    /// Whether the module it belongs to works.
    pub alive: bool,
    /// Numbers of the outputs that are asked for.
    pub asked: &'a BTreeSet<OutputIx>,
    /// Whether another module keeps a bus of its module awake.
    pub bus_awake: bool,
    /// The operating state.
    pub state: &'a OperatingState,
}

impl Seen<'_> {
    /// Whether an output is asked for.
    pub fn wants(&self, output: Option<OutputIx>) -> bool {
        output.is_some_and(|o| self.asked.contains(&o))
    }
}

/// The behaviour of an element.
pub trait Device: Debug + Send + Sync {
    /// Mode at the start of a solution, from rest.
    fn start(&self, _state: &OperatingState) -> u8 {
        0
    }
    /// Law of its branch number `role` in a mode.
    fn law(&self, role: usize, mode: u8, state: &OperatingState) -> Law;
    /// Mode after a solution; a device that returns the same mode has settled.
    fn next(&self, mode: u8, _seen: &Seen<'_>) -> u8 {
        mode
    }
    /// Whether its mode depends on how it got there: a relay between its two thresholds.
    fn remembers(&self, _mode: u8, _seen: &Seen<'_>) -> bool {
        false
    }
    /// How far the voltages across its branches may change before its mode could, volts. A device
    /// whose mode does not follow its voltages says infinity.
    fn margin(&self, _mode: u8, _seen: &Seen<'_>) -> f64 {
        f64::INFINITY
    }
    /// Whether a mode stays although its cause has gone: a blown fuse, a driver latched off.
    fn latched(&self, _mode: u8) -> bool {
        false
    }
    /// Whether it can feed the circuit.
    fn is_source(&self) -> bool {
        false
    }
    /// For a module supply: whether the mode means that the module works.
    fn alive(&self, _mode: u8) -> Option<bool> {
        None
    }
    /// How strongly its effect shows, 1 at its rating; none when it has no effect anybody notices.
    /// Given the law and the voltage of its first branch.
    fn effect(&self, _law: Law, _volts: f64) -> Option<f64> {
        None
    }
    /// What can fail inside it. A mode with a number has one entry for each number of its grid,
    /// or a single one for `number` when that is given.
    fn failures(&self, number: Option<f64>) -> Vec<Failure>;
}

/// What a failure does to its own element.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Local {
    /// A branch gets another law.
    Law(usize, Law),
    /// A resistance in series with a branch.
    Series(usize, f64),
    /// The resistance of a branch is so many times what its law makes it.
    Times(usize, f64),
    /// Stuck in a mode.
    Hold(u8),
    /// The effect is lost mechanically.
    NoEffect,
}

/// A way an element fails.
#[derive(Debug, Clone, PartialEq)]
pub struct Failure {
    /// Name of the mode, as in the fault's id.
    pub mode: Cow<'static, str>,
    /// Its number: ohms or a fraction.
    pub number: Option<f64>,
    /// Relative weight before any evidence.
    pub weight: f64,
    /// In words.
    pub text: String,
    /// What it does.
    pub local: Local,
}

impl Failure {
    /// A failure without a number.
    pub fn new(mode: &'static str, weight: f64, text: &str, local: Local) -> Self {
        Self { mode: mode.into(), number: None, weight, text: text.to_owned(), local }
    }

    /// A failure with a number, one per grid point, the weight shared out.
    pub fn grid(
        mode: &'static str,
        weight: f64,
        grid: &[f64],
        number: Option<f64>,
        text: impl Fn(f64) -> String,
        local: impl Fn(f64) -> Local,
    ) -> Vec<Self> {
        let only = number.map(|n| [n]);
        let numbers = only.as_ref().map_or(grid, |n| n);
        numbers
            .iter()
            .map(|n| Self {
                mode: mode.into(),
                number: Some(*n),
                weight: weight / grid.len() as f64,
                text: text(*n),
                local: local(*n),
            })
            .collect()
    }

    /// A resistance that is so many times what it should be, whatever it should be at the moment: some
    /// turns of a winding shorted, an element partly burnt, a sensor grown old.
    fn drifted(mode: &'static str, weight: f64, number: Option<f64>, what: &str) -> Vec<Self> {
        Self::grid(
            mode,
            weight,
            &[0.2, 0.35, 0.6, 1.7, 3.0, 5.0],
            number,
            |n| format!("{what} {n} times its resistance"),
            |n| Local::Times(0, n),
        )
    }

    /// A load that is open, or whose branch shorts.
    fn open_or_short(open: f64, short: f64, short_ohms: f64, what: &str) -> Vec<Self> {
        vec![
            Self::new("open", open, &format!("{what} open"), Local::Law(0, Law::OPEN)),
            Self::new(
                "shorted",
                short,
                &format!("{what} shorted"),
                Local::Law(0, Law::Ohms(short_ohms)),
            ),
        ]
    }
}

/// What the circuit knows of a kind of element.
pub(crate) trait Placing {
    /// Places one of a part into a circuit: its branches, and the device that gives them their laws.
    fn place(&self, part: &Part, b: &mut Builder) -> Box<dyn Device>;
    /// How often it fails by itself where its part is no module.
    fn rate(&self) -> Rate {
        rates::MODULE
    }
}

/// The kind of an element: one line for each.
pub(crate) fn of(element: &Element) -> &dyn Placing {
    match element {
        Element::AnalogInput(kind) => kind,
        Element::Battery(kind) => kind,
        Element::BusLink(kind) => kind,
        Element::CanTransceiver(kind) => kind,
        Element::Charger(kind) => kind,
        Element::CodedSwitch(kind) => kind,
        Element::Contact(kind) => kind,
        Element::CurrentInput(kind) => kind,
        Element::CurrentSensor(kind) => kind,
        Element::Diode(kind) => kind,
        Element::Fuse(kind) => kind,
        Element::Generator(kind) => kind,
        Element::HBridge(kind) => kind,
        Element::HallSwitch(kind) => kind,
        Element::Heater(kind) => kind,
        Element::HighSide(kind) => kind,
        Element::Input(kind) => kind,
        Element::Lamp(kind) => kind,
        Element::LedLamp(kind) => kind,
        Element::LinTransceiver(kind) => kind,
        Element::LowSide(kind) => kind,
        Element::Motor(kind) => kind,
        Element::Potentiometer(kind) => kind,
        Element::Ratiometric(kind) => kind,
        Element::Reference(kind) => kind,
        Element::Relay(kind) => kind,
        Element::Resistor(kind) => kind,
        Element::SensorGround(kind) => kind,
        Element::Solenoid(kind) => kind,
        Element::Supply(kind) => kind,
        Element::TableSensor(kind) => kind,
        Element::Thermistor(kind) => kind,
        Element::ToneRing(kind) => kind,
        Element::Setting(kind) => kind,
        Element::Zener(kind) => kind,
    }
}

/// Something a sensor feels.
#[derive(Debug, Clone)]
struct Felt {
    id: String,
    rest: f64,
}

impl Felt {
    fn new(b: &Builder, id: &str) -> Self {
        Self { id: id.to_owned(), rest: b.rest(id) }
    }
    fn now(&self, state: &OperatingState) -> f64 {
        state.stimulus(&self.id, self.rest)
    }
}
