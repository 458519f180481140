//! How fast a CAN bus comes back to rest, as measured and as predicted. It follows from the same resistance
//! between the lines as the levels do, and from a capacitance that is known roughly: shown beside them, and not
//! weighed a second time.

use crate::model::{Model, ModelError};
use circuit::{Change, Sweep};
use vehicle::{OperatingState, PartIx};

/// An exponential falls from nine tenths to one tenth in so many of its time constants: the logarithm of
/// nine.
const NINE_TO_ONE_TENTH: f64 = 2.197_224_577;

/// Seconds in which a bus falls from nine tenths to one tenth of its step, under each of some sets of
/// changes; none for one that is no CAN bus.
///
/// # Errors
/// [`ModelError::Unknown`] for a bus that does not exist.
pub fn returns(
    model: &Model,
    state: &OperatingState,
    bus: &str,
    sets: &[&[Change]],
) -> Result<Option<Vec<f64>>, ModelError> {
    let c = &model.circuit;
    let number = crate::network::on_bus(c, bus)?;
    let b = &c.vehicle.buses[number];
    if b.kind == vehicle::BusKind::Lin {
        return Ok(None);
    }
    let members: Vec<_> = c
        .transceivers(bus)
        .filter_map(|d| {
            let part = c.devices[d].part;
            Some((part, c.ear(d)?, c.dominant(bus, part)?))
        })
        .collect();
    let of = |changes: &&[Change]| {
        let mut rest = model.predict(state).sweep.clone();
        let nodes = [circuit::BODY; 1];
        let at_rest = rest.solve_at(changes, &nodes);
        let alive: Vec<bool> = members.iter().map(|(part, ..)| at_rest.alive[*part]).collect();
        let working = members.iter().zip(&alive).filter(|(_, alive)| **alive);
        let across: Vec<(PartIx, f64)> = working
            .map(|((part, ear, sends), _)| {
                let mut held = Sweep::new(c, state, sends);
                let p = held.solve_at(changes, &ear.nodes);
                (*part, p.volts[ear.nodes[0]] - p.volts[ear.nodes[1]])
            })
            .collect();
        NINE_TO_ONE_TENTH * c.edges(b, across.len(), &across).back_s()
    };
    Ok(Some(sets.iter().map(of).collect()))
}
