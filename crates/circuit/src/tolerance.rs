//! Real parts are not the model: their values drawn within tolerance.

use vehicle::Vehicle;

/// Draws every part value of a vehicle; `gauss` yields standard normal numbers.
pub fn draw(vehicle: &mut Vehicle, gauss: &mut dyn FnMut() -> f64) {
    for part in &mut vehicle.parts {
        for element in &mut part.elements {
            let spreads: Vec<f64> =
                element.numbers().iter().map(|(field, _)| element.spread(field)).collect();
            for ((_, value), spread) in element.numbers_mut().into_iter().zip(spreads) {
                let deviation = spread * gauss().clamp(-2.5, 2.5);
                *value *= 1.0 + deviation;
            }
        }
    }
    for wire in &mut vehicle.wires {
        wire.length_m *= 1.0 + 0.05 * gauss().clamp(-2.5, 2.5);
    }
}
