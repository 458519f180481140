//! Two half bridges: mode 0 off, 1 forward (a high, b low), 2 backward, 3 latched off after overcurrent.
//! Branches: supply to a, a to ground, supply to b, b to ground.

use super::{Device, Failure, Local, Placing, Seen};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{OperatingState, OutputIx, Part, element};

#[derive(Debug)]
struct HBridge {
    forward: Option<OutputIx>,
    backward: Option<OutputIx>,
    on_ohms: f64,
    limit: f64,
    sense_ohms: f64,
}

impl Placing for element::HBridge {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self {
            supply,
            ground,
            a,
            b: other,
            forward,
            backward,
            on_ohms,
            limit_amps,
            sense_ohms,
        } = self;
        b.branch(supply, a);
        b.branch(a, ground);
        b.branch(supply, other);
        b.branch(other, ground);
        Box::new(HBridge {
            forward: b.output(forward),
            backward: b.output(backward),
            on_ohms: *on_ohms,
            limit: *limit_amps,
            sense_ohms: *sense_ohms,
        })
    }
}

impl Device for HBridge {
    fn law(&self, role: usize, mode: u8, _state: &OperatingState) -> Law {
        match (role, mode) {
            (0, 1) | (3, 1) | (1, 2) | (2, 2) => Law::Ohms(self.on_ohms),
            (1 | 3, _) => Law::Ohms(self.sense_ohms),
            _ => Law::OPEN,
        }
    }
    fn next(&self, mode: u8, seen: &Seen<'_>) -> u8 {
        let most = seen.amps.iter().fold(0.0f64, |m, i| m.max(i.abs()));
        match mode {
            3 if seen.alive => 3,
            1 | 2 if most > self.limit => 3,
            _ if !seen.alive => 0,
            // Both ways at once is refused by the software.
            _ => match (seen.wants(self.forward), seen.wants(self.backward)) {
                (true, false) => 1,
                (false, true) => 2,
                _ => 0,
            },
        }
    }
    fn margin(&self, mode: u8, seen: &Seen<'_>) -> f64 {
        let most = seen.amps.iter().fold(0.0f64, |m, i| m.max(i.abs()));
        if matches!(mode, 1 | 2) { (self.limit - most) * self.on_ohms } else { f64::INFINITY }
    }
    fn latched(&self, mode: u8) -> bool {
        mode == 3
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        vec![Failure::new("bridge_dead", 0.2, "the bridge does not drive", Local::Hold(0))]
    }
}
