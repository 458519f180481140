//! Relay: mode 1 is pulled in; between the two thresholds it keeps its mode. Branches: coil with its
//! suppression resistor, make contact, and the break contact when there is one.

use super::{Device, Failure, Local, Placing, Seen};
use crate::compile::Builder;
use crate::fault::ohms_text;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct Relay {
    coil_ohms: f64,
    pull_in: f64,
    drop_out: f64,
    contact_ohms: f64,
}

impl Placing for element::Relay {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self {
            coil_plus,
            coil_minus,
            common,
            make,
            rest,
            coil_ohms,
            pull_in_volts,
            drop_out_volts,
            contact_ohms,
            suppression_ohms,
        } = self;
        b.branch(coil_plus, coil_minus);
        b.branch(common, make);
        if let Some(rest) = rest {
            b.branch(common, rest);
        }
        let coil_ohms = match suppression_ohms {
            Some(r) => 1.0 / (1.0 / coil_ohms + 1.0 / r),
            None => *coil_ohms,
        };
        Box::new(Relay {
            coil_ohms,
            pull_in: *pull_in_volts,
            drop_out: *drop_out_volts,
            contact_ohms: *contact_ohms,
        })
    }
    fn rate(&self) -> Rate {
        rates::RELAY
    }
}

impl Relay {
    /// What the armature feels, as volts on a sound coil: its current makes the field, and in
    /// shorted turns it makes none.
    fn pull(&self, seen: &Seen<'_>) -> f64 {
        seen.volts[0].abs().min(seen.amps[0].abs() * self.coil_ohms)
    }
}

/// What a burnt contact adds, in proportion to the sound one: a large contact is ruined by little.
const BURNT: [f64; 4] = [10.0, 50.0, 250.0, 1200.0];

impl Device for Relay {
    fn law(&self, role: usize, mode: u8, _state: &OperatingState) -> Law {
        match (role, mode) {
            (0, _) => Law::Ohms(self.coil_ohms),
            (1, 1) | (2, 0) => Law::Ohms(self.contact_ohms),
            _ => Law::OPEN,
        }
    }
    fn next(&self, mode: u8, seen: &Seen<'_>) -> u8 {
        let coil = self.pull(seen);
        if coil >= self.pull_in {
            1
        } else if coil <= self.drop_out {
            0
        } else {
            mode
        }
    }
    fn remembers(&self, _mode: u8, seen: &Seen<'_>) -> bool {
        let coil = self.pull(seen);
        coil > self.drop_out && coil < self.pull_in
    }
    fn margin(&self, mode: u8, seen: &Seen<'_>) -> f64 {
        let coil = self.pull(seen);
        if mode == 1 { coil - self.pull_in } else { self.pull_in - coil }
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = vec![
            Failure::new("coil_open", 0.8, "coil open", Local::Law(0, Law::OPEN)),
            Failure::new("contact_open", 1.2, "contact does not close", Local::Law(1, Law::OPEN)),
            Failure::new(
                "welded",
                0.5,
                "contact welded",
                Local::Law(1, Law::Ohms(self.contact_ohms)),
            ),
        ];
        out.extend(Failure::drifted("coil_drifted", 0.1, number, "coil"));
        out.extend(Failure::grid(
            "contact_series",
            0.9,
            &BURNT.map(|times| times * self.contact_ohms),
            number,
            |r| format!("contact burnt, {}", ohms_text(r)),
            |r| Local::Series(1, r),
        ));
        out
    }
}
