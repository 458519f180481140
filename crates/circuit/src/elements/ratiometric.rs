//! Three-wire sensor: its output stage is a divider of its own supply. With output resistance `Ro` and
//! fraction `f` the two resistors are `Ro / f` to the supply and `Ro / (1 - f)` to ground, which gives
//! `f Vs` behind `Ro` and lets a dead sensor load its lines as a real one does.

use super::{Device, Failure, Felt, Local, Placing};
use crate::compile::Builder;
use crate::fault::ohms_text;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, at_table, element};

/// Slopes of a sensor that has drifted, as a share of the sound one, by mode from 2 on.
const SLOPES: [f64; 2] = [0.6, 1.3];
/// Supply voltage at which the draw is stated, volts.
const REFERENCE_VOLTS: f64 = 5.0;

#[derive(Debug)]
struct Ratiometric {
    draw_ohms: f64,
    output_ohms: f64,
    table: Vec<(f64, f64)>,
    felt: Felt,
}

impl Placing for element::Ratiometric {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { supply, ground, output, draw_amps, output_ohms, stimulus, table } = self;
        b.branch(supply, ground);
        b.branch(supply, output);
        b.branch(output, ground);
        Box::new(Ratiometric {
            draw_ohms: REFERENCE_VOLTS / draw_amps,
            output_ohms: *output_ohms,
            table: table.clone(),
            felt: Felt::new(b, stimulus),
        })
    }
    fn rate(&self) -> Rate {
        rates::SENSOR
    }
}

impl Ratiometric {
    fn at(&self, role: usize, fraction: f64) -> Law {
        let fraction = fraction.clamp(0.005, 0.995);
        Law::Ohms(match role {
            0 => self.draw_ohms,
            1 => self.output_ohms / fraction,
            _ => self.output_ohms / (1.0 - fraction),
        })
    }
}

impl Device for Ratiometric {
    fn law(&self, role: usize, mode: u8, state: &OperatingState) -> Law {
        if mode == 1 && role > 0 {
            return Law::OPEN;
        }
        let sound = at_table(&self.table, self.felt.now(state));
        // A drifted slope turns about the end of the table where the output is lowest.
        let low = self.table.iter().map(|t| t.1).fold(f64::INFINITY, f64::min);
        let slope = SLOPES.get(usize::from(mode).wrapping_sub(2)).copied().unwrap_or(1.0);
        self.at(role, low + slope * (sound - low))
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = Failure::grid(
            "loads_supply",
            0.6,
            &[2.5, 5.0, 10.0, 20.0, 40.0, 80.0],
            number,
            |r| format!("loads its supply, {} inside", ohms_text(r)),
            |r| Local::Law(0, Law::Ohms(r)),
        );
        for (mode, name) in [(2, "slope_low"), (3, "slope_high")] {
            let text = format!("answers too {}", if mode == 2 { "little" } else { "strongly" });
            out.push(Failure::new(name, 0.2, &text, Local::Hold(mode)));
        }
        out.push(Failure::new("output_open", 0.5, "output open", Local::Hold(1)));
        // One resistor of the stage decides where the output hangs: nearly at ground or at supply.
        out.push(Failure::new(
            "stuck_low",
            0.5,
            "output stuck low",
            Local::Law(2, Law::Ohms(10.0)),
        ));
        out.push(Failure::new(
            "stuck_high",
            0.5,
            "output stuck high",
            Local::Law(1, Law::Ohms(10.0)),
        ));
        out.extend(Failure::grid(
            "offset",
            0.4,
            &[0.3, 0.6, 1.7, 3.0],
            number,
            |n| format!("output shifted, its lower resistor {n} times its value"),
            |n| {
                let rest = at_table(&self.table, self.felt.rest);
                match self.at(2, rest) {
                    Law::Ohms(r) => Local::Law(2, Law::Ohms(r * n)),
                    _ => Local::Hold(0),
                }
            },
        ));
        out
    }
}
