//! Something looked at: what a fault that lies there would let one see.

use super::Sight;
use crate::model::{Model, ModelError};
use circuit::Fault;
use circuit::marks::{Mark, found_at};

/// Chance to see each of [`SIGHTS`] although nothing that matters is wrong there: dull metal and old
/// damp are common, a terminal that has left its place is not.
const FALSE_SIGHTS: [f64; SIGHTS.len()] = [0.0, 0.01, 0.03, 0.02, 0.002, 0.005];

/// Share of the marks that one overlooks, however near one looks.
const OVERLOOKED: f64 = 0.12;

/// All that can be seen, in a fixed order.
pub(crate) const SIGHTS: [Sight; 6] = [
    Sight::Nothing,
    Sight::Damage,
    Sight::Corrosion,
    Sight::Water,
    Sight::PushedBack,
    Sight::Loose,
];

/// Its place in [`SIGHTS`].
fn place(sight: Sight) -> usize {
    match sight {
        Sight::Nothing => 0,
        Sight::Damage => 1,
        Sight::Corrosion => 2,
        Sight::Water => 3,
        Sight::PushedBack => 4,
        Sight::Loose => 5,
    }
}

fn sight(mark: Mark) -> Sight {
    match mark {
        Mark::Damage => Sight::Damage,
        Mark::Corrosion => Sight::Corrosion,
        Mark::Water => Sight::Water,
        Mark::PushedBack => Sight::PushedBack,
        Mark::Loose => Sight::Loose,
    }
}

/// Chance of each of [`SIGHTS`] when looking at something, under a fault.
pub(crate) fn chances(model: &Model, at: &str, fault: &Fault) -> [f64; SIGHTS.len()] {
    let mut own = [0.0; SIGHTS.len()];
    for (mark, chance) in found_at(&model.circuit, fault, at) {
        own[place(sight(mark))] += (1.0 - OVERLOOKED) * chance;
    }
    // What means nothing is seen where the fault's own marks are not.
    let unseen = 1.0 - own.iter().sum::<f64>();
    let mut chances = [0.0; SIGHTS.len()];
    for (k, chance) in chances.iter_mut().enumerate() {
        *chance = own[k] + unseen * FALSE_SIGHTS[k];
    }
    chances[0] = 1.0 - chances[1..].iter().sum::<f64>();
    chances
}

/// What one could see when looking at something, and how likely, under a fault.
pub fn sights(model: &Model, at: &str, fault: &Fault) -> Vec<(Sight, f64)> {
    SIGHTS.into_iter().zip(chances(model, at, fault)).collect()
}

type Scored<'a> = (super::OfFault<'a>, f64);

pub(super) fn scorer<'a>(
    model: &'a Model,
    at: &'a str,
    sight: Sight,
) -> Result<Scored<'a>, ModelError> {
    super::known_place(model, at)?;
    let k = place(sight);
    let away = if k == 0 { 1.0 - FALSE_SIGHTS.iter().sum::<f64>() } else { FALSE_SIGHTS[k] };
    Ok((Box::new(move |f| [chances(model, at, f)[k].ln(); 2]), away.ln()))
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn every_sight_has_its_place() {
        assert_eq!(SIGHTS.map(place), [0, 1, 2, 3, 4, 5]);
    }

    #[test]
    fn whatever_is_wrong_something_or_nothing_is_seen() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        let text = std::fs::read_to_string(path).unwrap();
        let model = Model::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
        let mut looked = 0;
        for f in &model.faults {
            let item = f.repair_item.thing().unwrap();
            for at in [item, vehicle::Point::of(item).owner] {
                let chances = chances(&model, at, f);
                let sum: f64 = chances.iter().sum();
                assert!(chances.iter().all(|c| *c >= 0.0), "{} at {at}: {chances:?}", f.id);
                assert!((sum - 1.0).abs() < 1e-9 && chances[0] > 0.05, "{}: {chances:?}", f.id);
                looked += usize::from(chances[0] < 0.5);
            }
        }
        assert!(looked > 100, "many faults show");
    }
}
