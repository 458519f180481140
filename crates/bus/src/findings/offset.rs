//! Where the lines rest: outside of 2 to 3 V something pulls the bus; one sender off the others has another
//! ground.

use super::{Finding, Kind, Seen, names};
use crate::can::frame::Id;
use crate::levels::median;

/// Recessive level of both lines, volts (ISO 11898-2).
const RESTS: (f64, f64) = (2.0, 3.0);
/// A sender off the others by so much has another ground, volts.
const GROUND: f64 = 0.25;

pub(super) fn find(seen: &Seen<'_>) -> Vec<Finding> {
    let mut out = Vec::new();
    if seen.pair().is_none() {
        return out;
    }
    let senders = seen.senders();
    let all: Vec<f64> = senders.values().map(|(s, _)| s.middle()[0]).collect();
    let Some(usual) = median(all) else { return out };
    if !(RESTS.0..=RESTS.1).contains(&usual) {
        let first = senders.values().map(|s| s.1).fold(f64::INFINITY, f64::min);
        let limit = if usual < RESTS.0 { RESTS.0 } else { RESTS.1 };
        out.push(Finding {
            kind: Kind::Offset,
            text: format!(
                "the lines rest at {usual:.2} V instead of 2 to 3 V: something pulls the bus"
            ),
            at_s: seen.trace.time(first),
            measured: usual,
            limit,
            unit: "V",
        });
    }
    // While dominant a sender's own ground shows, whatever holds the bus at rest.
    let driven: Vec<f64> = senders.values().map(|(s, _)| s.middle()[1]).collect();
    let Some(usual) = median(driven) else { return out };
    let off: Vec<(Id, f64, f64)> = senders
        .iter()
        .filter(|(_, (s, _))| seen.drives_fully(&senders, s))
        .map(|(id, (s, at))| (*id, s.middle()[1] - usual, *at))
        .filter(|(_, off, _)| off.abs() > GROUND)
        .collect();
    let Some((_, most, at)) = off.iter().max_by(|a, b| a.1.abs().total_cmp(&b.1.abs())) else {
        return out;
    };
    if 2 * off.len() < senders.len() {
        let ids: Vec<Id> = off.iter().map(|o| o.0).collect();
        out.push(Finding {
            kind: Kind::Offset,
            text: format!(
                "{} is sent {most:+.2} V off the others: its sender's ground is",
                names(&ids)
            ),
            at_s: seen.trace.time(*at),
            measured: *most,
            limit: GROUND,
            unit: "V",
        });
    }
    out
}
