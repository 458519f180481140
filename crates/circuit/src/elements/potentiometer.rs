//! Potentiometer: two parts of one track, joined at the wiper. Branches: high to inside, inside to low,
//! inside to wiper.

use super::{Device, Failure, Felt, Local};
use crate::compile::Builder;
use crate::fault::ohms_text;
use crate::law::Law;
use vehicle::{Element, OperatingState, at_table};

/// Smallest share of the track either side of the wiper.
const END: f64 = 0.005;

#[derive(Debug)]
struct Potentiometer {
    ohms: f64,
    wiper: f64,
    table: Vec<(f64, f64)>,
    felt: Felt,
}

pub(super) fn place(element: &Element, b: &mut Builder) -> Option<Box<dyn Device>> {
    let Element::Potentiometer { low, high, wiper, ohms, wiper_ohms, stimulus, table } = element
    else {
        return None;
    };
    let inside = b.inside();
    b.branch_to(high, inside);
    b.branch_to(low, inside);
    b.branch_to(wiper, inside);
    Some(Box::new(Potentiometer {
        ohms: *ohms,
        wiper: *wiper_ohms,
        table: table.clone(),
        felt: Felt::new(b, stimulus),
    }))
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
