//! Sensor ground: a track to the module's ground.

use super::{Device, Failure, Local};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState};

#[derive(Debug)]
struct SensorGround(f64);

pub(super) fn place(element: &Element, b: &mut Builder) -> Option<Box<dyn Device>> {
    let Element::SensorGround { pin, ground, ohms } = element else {
        return None;
    };
    b.branch(pin, ground);
    Some(Box::new(SensorGround(*ohms)))
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
