//! One small file per element kind: its branches, its modes, its laws.
//!
//! A new kind is added by copying a file, adding its parameters to
//! `vehicle::Element` and one line to [`place`].

use crate::compile::Builder;
use crate::law::Law;
use std::fmt::Debug;
use vehicle::{Element, OperatingState, Part};

mod battery;
mod contact;
mod fuse;
mod generator;
mod input;
mod low_side;
mod motor;
mod relay;
mod resistor;
mod supply;

/// What a device sees of a solution when it decides on its next mode.
#[derive(Debug)]
pub struct Seen<'a> {
    /// Volts across each of its branches.
    pub volts: &'a [f64],
    /// Amperes through each of its branches.
    pub amps: &'a [f64],
    /// Whether the module it belongs to works.
    pub alive: bool,
    /// Whether the output it drives is asked for.
    pub asked: bool,
}

/// The behaviour of an element.
pub trait Device: Debug + Send + Sync {
    /// Mode at the start of a solution.
    fn start(&self, _state: &OperatingState) -> u8 {
        0
    }
    /// Law of its branch number `role` in a mode.
    fn law(&self, role: usize, mode: u8) -> Law;
    /// Mode after a solution; a device that returns the same mode has settled.
    fn next(&self, mode: u8, _seen: &Seen<'_>) -> u8 {
        mode
    }
    /// Whether it can feed the circuit.
    fn is_source(&self) -> bool {
        false
    }
    /// For a module supply: whether the mode means that the module works.
    fn alive(&self, _mode: u8) -> Option<bool> {
        None
    }
    /// The output it drives.
    fn output(&self) -> Option<&str> {
        None
    }
}

/// Places an element of a part into a circuit.
pub fn place(part: &Part, element: &Element, b: &mut Builder) -> Box<dyn Device> {
    match element {
        Element::Battery { .. } => battery::place(element, b),
        Element::Generator { .. } => generator::place(element, b),
        Element::Fuse { .. } => fuse::place(element, b),
        Element::Resistor { .. } => resistor::place(element, b),
        Element::Relay { .. } => relay::place(element, b),
        Element::Contact { .. } => contact::place(part, element, b),
        Element::Motor { .. } => motor::place(element, b),
        Element::Supply { .. } => supply::place(element, b),
        Element::Input { .. } => input::place(element, b),
        Element::LowSide { .. } => low_side::place(element, b),
    }
}

/// Stands in for an element handed to the wrong file; never placed by [`place`].
#[derive(Debug)]
struct Nothing;

impl Device for Nothing {
    fn law(&self, _role: usize, _mode: u8) -> Law {
        Law::OPEN
    }
}
