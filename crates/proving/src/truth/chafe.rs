//! A conductor chafed to ground anywhere along its length.

use super::Truth;
use crate::between;
use diagnosis::Model;
use rand::Rng;
use rand::seq::IndexedRandom;
use rand_chacha::ChaCha8Rng;
use vehicle::{FaultId, Item, Minutes, Splice, Wire, WireIx};

/// What a chafed spot may have, ohms.
const OHMS: (f64, f64) = (0.03, 3000.0);
/// Name of the spot.
const SPOT: &str = "chafed spot";

pub(super) fn drawn(model: &Model, rng: &mut ChaCha8Rng) -> Option<Truth> {
    let mut vehicle = model.circuit.vehicle.clone();
    let long: Vec<WireIx> =
        vehicle.wires.keys().filter(|w| vehicle.wires[*w].length_m > 0.3).collect();
    let at = *long.choose(rng)?;
    let share = rng.random_range(0.05..0.95);
    let whole = vehicle.wires[at].clone();
    let place =
        whole.route.first().cloned().or_else(|| Some(vehicle.places.first()?.id.clone()))?;
    vehicle.splices.push(Splice {
        id: SPOT.into(),
        name: SPOT.into(),
        place,
        rail: false,
        minutes: Minutes::default(),
    });
    let second = Wire {
        id: format!("{} behind the spot", whole.id).into(),
        from: SPOT.into(),
        length_m: whole.length_m * (1.0 - share),
        ..whole.clone()
    };
    vehicle.wires[at] = Wire { to: SPOT.into(), length_m: whole.length_m * share, ..whole.clone() };
    vehicle.wires.push(second);
    let ohms = between(OHMS.0, OHMS.1, rng);
    Some(Truth {
        vehicle,
        faults: vec![FaultId::new(Item::wire(&whole.id), "ground_far", Some(super::rounded(ohms)))],
        aged: Vec::new(),
        right: vec![Item::wire(&whole.id)],
        foreign: false,
        text: format!(
            "conductor {} chafed at {:.0} % of its length through {ohms:.2} ohms",
            whole.id,
            100.0 * share
        ),
    })
}
