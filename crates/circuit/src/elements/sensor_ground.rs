//! Sensor ground: a track to the module's ground.

use super::{Device, Failure, Local, Placing};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct SensorGround(f64);

impl Placing for element::SensorGround {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { pin, ground, ohms } = self;
        b.branch(pin, ground);
        Box::new(SensorGround(*ohms))
    }
}

impl Device for SensorGround {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        Law::Ohms(self.0)
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        vec![Failure::new(
            "ground_burnt",
            0.15,
            "sensor ground burnt inside",
            Local::Law(0, Law::OPEN),
        )]
    }
}
