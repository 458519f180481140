//! Something looked at: what a fault that lies there would let one see.

use super::Sight;
use crate::model::{Model, ModelError};
use circuit::marks::{Mark, marks};
use circuit::{Fault, place};

/// Chance to see something although nothing that matters is wrong there: old dirt, an old repair.
const FALSE_SIGHT: f64 = 0.01;
/// How much less of it one sees by looking at a whole place than at the thing itself.
const FROM_AFAR: f64 = 0.5;

/// All that can be seen, in a fixed order.
pub(crate) const SIGHTS: [Sight; 5] =
    [Sight::Nothing, Sight::Damage, Sight::Corrosion, Sight::Water, Sight::PushedBack];

fn sight(mark: Mark) -> Sight {
    match mark {
        Mark::Damage => Sight::Damage,
        Mark::Corrosion => Sight::Corrosion,
        Mark::Water => Sight::Water,
        Mark::PushedBack => Sight::PushedBack,
    }
}

/// Chance of each of [`SIGHTS`] when looking at something, under a fault.
pub(crate) fn chances(model: &Model, at: &str, fault: &Fault) -> [f64; 5] {
    let mut chances = [0.0, FALSE_SIGHT, FALSE_SIGHT, FALSE_SIGHT, FALSE_SIGHT];
    if place::lies_at(&model.circuit, &fault.repair_item, at) {
        let afar = if model.circuit.names.place(at).is_some() { FROM_AFAR } else { 1.0 };
        for (mark, chance) in marks(fault) {
            if let Some(k) = SIGHTS.iter().position(|s| *s == sight(*mark)) {
                chances[k] += afar * chance;
            }
        }
    }
    chances[0] = 1.0 - chances[1..].iter().sum::<f64>();
    chances
}

type Scored<'a> = (super::OfFault<'a>, f64);

pub(super) fn scorer<'a>(
    model: &'a Model,
    at: &'a str,
    sight: Sight,
) -> Result<Scored<'a>, ModelError> {
    super::known_place(model, at)?;
    let k = SIGHTS.iter().position(|s| *s == sight).unwrap_or(0);
    let away = if k == 0 { 1.0 - 4.0 * FALSE_SIGHT } else { FALSE_SIGHT };
    Ok((Box::new(move |f| [chances(model, at, f)[k].ln(); 2]), away.ln()))
}
