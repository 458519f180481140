//! Modules that are never awake.

use super::{OfPart, Tried, problem};

pub(super) fn doubts(tried: &Tried<'_>) -> Vec<OfPart> {
    let c = tried.circuit;
    let parts = c.vehicle.parts.iter_enumerated().filter(|(_, part)| part.module.is_some());
    let of = |(p, part): (vehicle::PartIx, &vehicle::Part)| {
        if tried.states.iter().any(|s| s.solution.alive(c, p)) {
            return None;
        }
        let feed = part.elements.iter().find_map(|e| e.feed());
        let (what, mend) = match feed {
            Some(feed) => {
                let end =
                    |pin: &str| Some((tried.pin(p, pin), *c.pin_node.get(&(p, pin.to_owned()))?));
                let ((plus, from), (minus, to)) = (end(feed.plus)?, end(feed.minus)?);
                tried.amiss([(&plus, from), (&minus, to)])
            }
            None => ("it has no supply".to_owned(), "give it a supply element".to_owned()),
        };
        let what = format!("{} {} never wakes: {what}", part.name, part.id);
        Some(OfPart { part: p, problem: problem(format!("parts[{p}]"), what, mend) })
    };
    parts.filter_map(of).collect()
}
