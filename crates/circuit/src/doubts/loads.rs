//! Loads that never work, or only weakly, in a healthy vehicle.

use super::{OfPart, Tried, problem};
use vehicle::PartIx;

/// Below this share of its rating nobody notices that something works, and below that one it is weak.
const NOTHING: f64 = 0.08;
const WEAK: f64 = 0.8;

pub(super) fn doubts(tried: &Tried<'_>) -> Vec<OfPart> {
    let parts = tried.circuit.vehicle.parts.keys();
    parts.filter_map(|part| of(tried, part).map(|problem| OfPart { part, problem })).collect()
}

fn of(tried: &Tried<'_>, part: PartIx) -> Option<vehicle::Problem> {
    let c = tried.circuit;
    let shown = tried.states.iter().filter_map(|s| Some((s, s.solution.effect(c, part)?)));
    let (best, effect) = shown.max_by(|a, b| a.1.total_cmp(&b.1))?;
    let (own, path) = (&c.vehicle.parts[part], format!("parts[{part}]"));
    let mut placed = c.part_devices[part].iter().map(|d| &c.devices[*d]);
    let placed = placed.find(|d| own.elements[d.element].effect().is_some())?;
    let pins = own.elements[placed.element].pins();
    let end = |k: usize| {
        let (_, pin) = pins.get(k)?;
        Some((tried.pin(part, pin), *c.pin_node.get(&(part, (*pin).to_owned()))?))
    };
    let ((plus, from), (minus, to)) = (end(0)?, end(1)?);
    if effect < NOTHING {
        let (what, mend) = tried.amiss([(&plus, from), (&minus, to)]);
        return Some(problem(path, format!("{} {} never works: {what}", own.name, own.id), mend));
    }
    (effect < WEAK).then(|| {
        let volts = best.solution.volts[from] - best.solution.volts[to];
        problem(
            path,
            format!(
                "{} {} works weakly at best: {:.0} % {}, with {volts:.1} V across it",
                own.name,
                own.id,
                100.0 * effect,
                best.name
            ),
            "see its ratings, the cross-sections and lengths on its way, and whether a coil or another load lies in series with it",
        )
    })
}
