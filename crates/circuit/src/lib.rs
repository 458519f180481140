//! The electrical model: everything that can be measured is computed here.
//!
//! A [`Circuit`] is compiled from a vehicle file; [`Circuit::solve`] finds the DC
//! operating point for an operating state, a set of [`Change`]s (faults) and an
//! attached meter, iterating relays, fuses, drivers and module aliveness to a
//! fixed point.

pub mod bus_lines;
pub mod chain;
pub mod chart;
pub mod compile;
mod doubts;
mod earth;
pub mod edges;
pub mod elements;
pub mod fault;
pub mod hearing;
mod joined;
pub mod law;
pub mod linear;
pub mod marks;
pub mod meter;
pub mod names;
mod partners;
pub mod phase;
pub mod place;
pub mod reroute;
mod settings;
pub mod software;
pub mod solve;
pub mod spice;
pub mod sweep;
mod teeth;
pub mod tolerance;

pub use compile::{BODY, Branch, BranchId, Circuit, CircuitError, DeviceIx, NodeId, Of};
pub use doubts::doubts;
pub use fault::{Change, Fault};
pub use joined::Joined;
pub use law::Law;
pub use meter::{Instrument, Probe, Shown};
pub use solve::{Extra, Solution};
pub use sweep::{Point, Sweep};

/// Leakage from every node to the body, siemens (1 GOhm): keeps floating nodes solvable.
pub const LEAK_SIEMENS: f64 = 1e-9;
/// Resistance that stands for "open", ohms: so far above the leaks that what hangs behind it reads
/// nothing, with a meter or without.
pub const OPEN_OHMS: f64 = 1e12;
