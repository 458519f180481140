//! Fuses that blow, or carry more than they are made for, in a healthy vehicle.

use super::{OfPart, Tried, problem};
use crate::compile::DeviceIx;

pub(super) fn doubts(tried: &Tried<'_>) -> Vec<OfPart> {
    let c = tried.circuit;
    let of = |(d, placed): (DeviceIx, &crate::compile::Placed)| {
        let part = &c.vehicle.parts[placed.part];
        let rating_amps = part.elements[placed.element].rating_amps()?;
        let branch = *placed.branches.first()?;
        let path = format!("parts[{}].elements[{}].rating_amps", placed.part, placed.element);
        let told = |problem| Some(OfPart { part: placed.part, problem });
        let named = || tried.states.iter().filter(|s| s.is_named);
        if let Some(state) = named().find(|s| placed.device.latched(s.solution.modes[d])) {
            let amps = state.solution.peak_amps[branch];
            return told(problem(
                path,
                format!(
                    "fuse {} of {rating_amps} A would blow {}: {amps:.0} A flow through it in a healthy vehicle",
                    part.id, state.name
                ),
                "see its rating, the ratings of what it feeds, and whether a conductor behind it ends at ground",
            ));
        }
        let carried = named().map(|s| (s, s.solution.amps(c, branch).abs()));
        let (state, most) = carried.max_by(|a, b| a.1.total_cmp(&b.1))?;
        if most <= rating_amps {
            return None;
        }
        told(problem(
            path,
            format!(
                "fuse {} of {rating_amps} A carries {most:.1} A {} in a healthy vehicle",
                part.id, state.name
            ),
            "see its rating, and the ratings of what it feeds",
        ))
    };
    c.devices.iter_enumerated().filter_map(of).collect()
}
