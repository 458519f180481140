//! A part whose own law has drifted: a sensor that reads too much, a winding or filament that has grown
//! weak.

use super::Truth;
use crate::between;
use diagnosis::Model;
use rand::Rng;
use rand::seq::IndexedRandom;
use rand_chacha::ChaCha8Rng;
use vehicle::{Element, Item, PartIx};

/// By how much a number drifts, either way.
const DRIFT: (f64, f64) = (1.25, 4.0);

pub(super) fn drawn(model: &Model, rng: &mut ChaCha8Rng) -> Option<Truth> {
    let mut vehicle = model.circuit.vehicle.clone();
    let drifts = |e: &Element| -> Option<&'static str> {
        Some(match e {
            Element::Thermistor(_) => "ohms_at_25",
            Element::Potentiometer(_)
            | Element::Heater(_)
            | Element::Solenoid(_)
            | Element::Resistor(_) => "ohms",
            Element::Motor(_) => "rated_amps",
            Element::Relay(_) => "coil_ohms",
            Element::Battery(_) => "internal_ohms",
            _ => return None,
        })
    };
    let parts = vehicle.parts.iter_enumerated().filter(|(_, p)| p.module.is_none());
    let all: Vec<(PartIx, usize, &'static str)> = parts
        .flat_map(|(k, p)| p.elements.iter().enumerate().map(move |(n, e)| (k, n, e)))
        .filter_map(|(k, n, e)| Some((k, n, drifts(e)?)))
        .collect();
    let (part, element, field) = *all.choose(rng)?;
    let by = between(DRIFT.0, DRIFT.1, rng);
    let by = if rng.random::<bool>() { by } else { 1.0 / by };
    let part = &mut vehicle.parts[part];
    let numbers = part.elements[element].numbers_mut();
    let (_, number) = numbers.into_iter().find(|(name, _)| *name == field)?;
    *number *= by;
    let text = format!("{} of {} times {by:.2}", field, part.id);
    let right = vec![Item::part(&part.id)];
    Some(Truth { vehicle, faults: Vec::new(), aged: Vec::new(), right, foreign: false, text })
}
