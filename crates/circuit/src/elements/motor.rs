//! Permanent-magnet motor with a load that grows with speed; mode 1 is blocked.

use super::{Device, Failure, Local, Placing};
use crate::compile::Builder;
use crate::fault::ohms_text;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element, typical};

#[derive(Debug)]
struct Motor {
    ohms: f64,
    breakaway: f64,
    slope: f64,
    rated_emf: f64,
    rated_volts: f64,
    rated_amps: f64,
    /// What it draws at its rating, as a resistance.
    rated_ohms: f64,
}

impl Placing for element::Motor {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { plus, minus, winding_ohms, rated_volts, rated_amps, breakaway_amps, .. } = self;
        b.branch(plus, minus);
        let winding =
            winding_ohms.unwrap_or_else(|| typical::motor_winding_ohms(*rated_volts, *rated_amps));
        let breakaway =
            breakaway_amps.unwrap_or_else(|| typical::motor_breakaway_amps(*rated_amps));
        let rated_emf = rated_volts - rated_amps * winding;
        Box::new(Motor {
            ohms: winding,
            breakaway,
            rated_volts: *rated_volts,
            rated_amps: *rated_amps,
            rated_ohms: rated_volts / rated_amps,
            slope: rated_emf / (rated_amps - breakaway),
            rated_emf,
        })
    }
    fn rate(&self) -> Rate {
        rates::MOTOR
    }
}

/// What worn brushes add, in proportion to what the running motor draws: `rated volts / rated amps`.
const BRUSHES: [f64; 4] = [0.15, 0.5, 1.5, 5.0];
/// How many times its rated current a motor draws at its rated voltage that drags: a dry bearing, a stiff
/// linkage.
const DRAGS: [f64; 4] = [1.4, 1.9, 2.5, 3.2];
/// Share of its winding that a shorted one has left.
const SHORTED: f64 = 0.3;

impl Motor {
    /// With so much friction that it draws `times` its rated current at its rated voltage. Its current
    /// there is `(volts + slope * breakaway) / (ohms + slope)`; the breakaway current follows from that.
    fn dragging(&self, times: f64) -> Law {
        let wanted = times * self.rated_amps * (self.ohms + self.slope) - self.rated_volts;
        let breakaway = (wanted / self.slope).max(self.breakaway);
        Law::Motor { ohms: self.ohms, breakaway, slope: self.slope }
    }
}

impl Device for Motor {
    fn law(&self, _role: usize, mode: u8, _state: &OperatingState) -> Law {
        match mode {
            0 => Law::Motor { ohms: self.ohms, breakaway: self.breakaway, slope: self.slope },
            _ => Law::Ohms(self.ohms),
        }
    }
    fn effect(&self, law: Law, volts: f64) -> Option<f64> {
        Some(law.back_emf(volts) / self.rated_emf)
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = vec![
            Failure::new("open", 1.2, "winding or brushes open", Local::Law(0, Law::OPEN)),
            Failure::new(
                "shorted",
                0.3,
                "winding shorted",
                Local::Law(0, Law::Ohms(SHORTED * self.ohms)),
            ),
            Failure::new("blocked", 0.8, "blocked", Local::Hold(1)),
        ];
        out.extend(Failure::grid(
            "drags",
            0.8,
            &DRAGS,
            number,
            |n| format!("drags, draws {n} times its rated current"),
            |n| Local::Law(0, self.dragging(n)),
        ));
        out.extend(Failure::grid(
            "brushes",
            1.2,
            &BRUSHES.map(|share| share * self.rated_ohms),
            number,
            |r| format!("worn brushes, {} more", ohms_text(r)),
            |r| Local::Series(0, r),
        ));
        out.push(Failure::new(
            "no_effect",
            1.0,
            "runs, but nothing comes of it (mechanical)",
            Local::NoEffect,
        ));
        out
    }
}
