//! Module supply input: mode 0 off or out of range, 1 awake, 2 resetting. It draws by its mode and
//! carries the module's life.
//!
//! On a supply too weak to carry it a module starts, pulls its own supply below its lowest voltage,
//! resets and starts again, faster than a meter follows: on the average it holds its supply at that
//! voltage and takes what the supply can give. Mode 2 is that average; the module does not work.

use super::{Device, Failure, Local, Placing, Seen};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

/// Pull-down of a wake-up input, ohms.
const WAKE_OHMS: f64 = 47_000.0;
/// Voltage at which the draw is stated, volts.
const STATED_VOLTS: f64 = 12.0;
/// Slope of a resetting module's average, ohms, and how far below its lowest voltage it gives up.
const RESETTING_OHMS: f64 = 0.05;
const GIVES_UP_VOLTS: f64 = 0.02;

#[derive(Debug)]
struct Supply {
    awake_ohms: f64,
    asleep_ohms: f64,
    min: f64,
    max: f64,
    has_wake: bool,
    bus_wake: bool,
}

impl Placing for element::Supply {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { plus, minus, wake, awake_amps, asleep_amps, min_volts, max_volts, bus_wake } =
            self;
        b.branch(plus, minus);
        if let Some(wake) = wake {
            b.branch(wake, minus);
        }
        Box::new(Supply {
            awake_ohms: STATED_VOLTS / awake_amps,
            asleep_ohms: STATED_VOLTS / asleep_amps,
            min: *min_volts,
            max: *max_volts,
            has_wake: wake.is_some(),
            bus_wake: *bus_wake,
        })
    }
}

impl Device for Supply {
    fn law(&self, role: usize, mode: u8, _state: &OperatingState) -> Law {
        match (role, mode) {
            (0, 1) => Law::Ohms(self.awake_ohms),
            (0, 2) => Law::Limited {
                volts: self.min,
                ohms: RESETTING_OHMS,
                gives: 0.0,
                takes: self.min / self.awake_ohms,
            },
            (0, _) => Law::Ohms(self.asleep_ohms),
            _ => Law::Ohms(WAKE_OHMS),
        }
    }
    fn next(&self, mode: u8, seen: &Seen<'_>) -> u8 {
        let supply = seen.volts[0];
        let by_pin = self.has_wake && seen.volts[1] > 0.5 * supply;
        let by_bus = self.bus_wake && seen.bus_awake;
        let woken = by_pin || by_bus || !(self.has_wake || self.bus_wake);
        let full = self.min + RESETTING_OHMS * self.min / self.awake_ohms;
        match mode {
            _ if !woken || supply > self.max => 0,
            1 if supply < self.min => 2,
            // Less than it takes asleep: it does not even try to start.
            2 if supply < self.min - GIVES_UP_VOLTS => 0,
            2 if seen.amps[0] < self.min / self.asleep_ohms => 0,
            2 if supply <= full => 2,
            _ => u8::from(supply >= self.min),
        }
    }
    fn alive(&self, mode: u8) -> Option<bool> {
        Some(mode == 1)
    }
    fn margin(&self, mode: u8, seen: &Seen<'_>) -> f64 {
        let supply = seen.volts[0];
        let limits = (supply - self.min).abs().min((self.max - supply).abs());
        let wake = if self.has_wake { (seen.volts[1] - 0.5 * supply).abs() } else { limits };
        if mode == 2 { 0.0 } else { limits.min(0.5 * wake) }
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        vec![
            Failure::new("dead", 0.3, "does not work though supplied", Local::Hold(0)),
            Failure::new("sleepless", 0.05, "does not sleep", Local::Hold(1)),
        ]
    }
}
