//! Real parts are not the model: their values drawn within tolerance.

use vehicle::{Element, Vehicle};

/// One standard deviation of a number of an element, as a fraction of it.
pub fn spread(element: &Element, field: &str) -> f64 {
    match (element, field) {
        (Element::Battery { .. }, "open_volts") => 0.012,
        (Element::Motor { .. }, "rated_amps") => 0.06,
        (Element::Generator { .. }, "set_volts") => 0.007,
        // A regulator holds its set voltage far closer than a part its resistance.
        (Element::Reference { .. }, "volts") => 0.005,
        (_, "rating_amps" | "min_volts" | "max_volts" | "rated_volts" | "limit_amps") => 0.0,
        (_, "contact_ohms" | "internal_ohms") => 0.15,
        _ => 0.04,
    }
}

/// Draws every part value of a vehicle; `gauss` yields standard normal numbers.
pub fn draw(vehicle: &mut Vehicle, gauss: &mut dyn FnMut() -> f64) {
    for part in &mut vehicle.parts {
        for element in &mut part.elements {
            let copy = element.clone();
            for (field, value) in element.numbers_mut() {
                let deviation = spread(&copy, field) * gauss().clamp(-2.5, 2.5);
                *value *= 1.0 + deviation;
            }
        }
    }
    for wire in &mut vehicle.wires {
        wire.length_m *= 1.0 + 0.05 * gauss().clamp(-2.5, 2.5);
    }
}
