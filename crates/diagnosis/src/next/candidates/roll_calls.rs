//! Who answers: every module asked once, as everything is plugged now, or with the bus led past a module or
//! over a spare leg.

use super::{Candidate, Field, What, unplugged};
use crate::posterior::Explains;
use circuit::reroute::{By, Reroute};

/// Minutes to ask every module.
pub(super) const MINUTES: f64 = 0.2;
/// Ways a bus may be led elsewhere that are weighed at a time.
const MOST: usize = 3;
/// Share of the suspicion that has to lie on a bus before it is worth it.
const WORTH: f64 = 0.05;

pub(super) fn generate(field: &Field<'_>, out: &mut Vec<Candidate>) {
    let model = field.model;
    let on_bus = |l: &&crate::posterior::Live| match l.what {
        Explains::Fault(h) => model.is_on_bus(h),
        _ => false,
    };
    let share: f64 = field.live.iter().filter(on_bus).map(|l| l.p).sum();
    if share < WORTH {
        return;
    }
    let Some((on, on_id)) = unplugged::telling(field) else { return };
    let (connectors, cavities) = unplugged::suspicion(field);
    let c = &model.circuit;
    let at = |r: &Reroute| match &r.by {
        By::Bridge => {
            let own = c.vehicle.connectors.iter();
            let own = own.filter(|x| x.part.as_ref() == Some(&c.vehicle.parts[r.part].id));
            own.filter_map(|x| connectors.get(x.id.as_str())).sum::<f64>()
        }
        // They say nothing to a tester: their master's codes tell, which a plan of the bus asks for.
        By::Exchange { .. } => 0.0,
        By::Spare { from, .. } => from.iter().filter_map(|cavity| cavities.get(cavity)).sum(),
    };
    let mut ways: Vec<(f64, &Reroute)> = c.reroutes.iter().map(|r| (at(r), r)).collect();
    ways.retain(|(p, _)| *p > WORTH);
    ways.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.id.cmp(&b.1.id)));
    for (_, r) in ways.into_iter().take(MOST) {
        let mut led = on.clone();
        if led.rerouted.insert(r.id.clone()) {
            out.push(Candidate::new(What::RollCall, led, on_id.as_str()));
        }
    }
    out.push(Candidate::new(What::RollCall, on, on_id.as_str()));
}
