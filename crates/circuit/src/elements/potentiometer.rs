//! Potentiometer: two parts of one track, joined at the wiper. Branches: high to inside, inside to low,
//! inside to wiper.

use super::{Device, Failure, Felt, Local, Placing};
use crate::compile::Builder;
use crate::fault::ohms_text;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, at_table, element};

/// Smallest share of the track either side of the wiper.
const END: f64 = 0.005;

#[derive(Debug)]
struct Potentiometer {
    ohms: f64,
    wiper: f64,
    table: Vec<(f64, f64)>,
    felt: Felt,
}

impl Placing for element::Potentiometer {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { low, high, wiper, ohms, wiper_ohms, stimulus, table } = self;
        let inside = b.inside();
        b.branch_to(high, inside);
        b.branch_to(low, inside);
        b.branch_to(wiper, inside);
        Box::new(Potentiometer {
            ohms: *ohms,
            wiper: *wiper_ohms,
            table: table.clone(),
            felt: Felt::new(b, stimulus),
        })
    }
    fn rate(&self) -> Rate {
        rates::POTENTIOMETER
    }
}

impl Device for Potentiometer {
    fn law(&self, role: usize, _mode: u8, state: &OperatingState) -> Law {
        let fraction = at_table(&self.table, self.felt.now(state)).clamp(END, 1.0 - END);
        Law::Ohms(match role {
            0 => self.ohms * (1.0 - fraction),
            1 => self.ohms * fraction,
            _ => self.wiper,
        })
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = vec![
            Failure::new("wiper_open", 0.8, "wiper lifts off its track", Local::Law(2, Law::OPEN)),
            Failure::new(
                "track_open",
                0.4,
                "track broken towards its supply",
                Local::Law(0, Law::OPEN),
            ),
            Failure::new(
                "ground_open",
                0.4,
                "track broken towards its ground",
                Local::Law(1, Law::OPEN),
            ),
        ];
        out.extend(Failure::grid(
            "shorted_track",
            0.2,
            &[20.0, 60.0, 200.0, 600.0],
            number,
            |r| format!("track shorted to {}", ohms_text(r)),
            |r| Local::Law(1, Law::Ohms(r)),
        ));
        out
    }
}
