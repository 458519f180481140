//! What a module holds that no wire shows. It is solved like everything else, by the usual likeness: the value is
//! the voltage of a node of its own against the body, and one that is wrong is another voltage.

use super::{Device, Failure, Local, Placing};
use crate::compile::{BODY, Builder};
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

/// What it is behind, ohms: nothing loads it.
const OHMS: f64 = 1e2;

/// The law of a setting that holds a value.
pub(crate) fn holds(value: f64) -> Law {
    Law::Source { volts: value, ohms: OHMS }
}

#[derive(Debug)]
struct Setting(element::Setting);

impl Placing for element::Setting {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let value = b.inside();
        b.branch_between(value, BODY);
        Box::new(Setting(self.clone()))
    }
    fn rate(&self) -> Rate {
        rates::SETUP
    }
}

impl Device for Setting {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        holds(self.0.sound)
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        let of = |w: &element::WronglySet| Failure {
            mode: w.mode.clone().into(),
            number: None,
            weight: 1.0,
            text: format!("{} {}", self.0.name, w.text),
            local: Local::Law(0, holds(w.value)),
        };
        self.0.wrong.iter().map(of).collect()
    }
}
