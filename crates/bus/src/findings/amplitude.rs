//! Senders that drive the bus too little: all of them, and something loads it; one, and it is that one, or
//! its way to the bus.

use super::{Finding, Kind, Seen, names};
use crate::can::frame::Id;

/// A receiver is sure of a dominant bit from this on, volts (ISO 11898-2).
const HEARD: f64 = 0.9;
/// Least difference of a sender wherever it is tapped, volts. At its own pins it drives 1.5 V into 50 to 65
/// ohms (ISO 11898-2); couplers with resistors in their legs take some of that, and what is left must be a
/// third more than receivers need.
pub const LEAST: f64 = 1.2;

pub(super) fn find(seen: &Seen<'_>) -> Option<Finding> {
    seen.pair()?;
    let senders = seen.senders();
    let weak: Vec<(Id, f64, f64)> = senders
        .iter()
        .map(|(id, (s, at))| (*id, s.swing(), *at))
        .filter(|(_, swing, _)| *swing < LEAST)
        .collect();
    let (_, least, at) = *weak.iter().min_by(|a, b| a.1.total_cmp(&b.1))?;
    let ids: Vec<Id> = weak.iter().map(|w| w.0).collect();
    let who = match weak.len() == senders.len() {
        true => "every sender drives".to_owned(),
        false => format!("{} of {} senders ({}) drive", weak.len(), senders.len(), names(&ids)),
    };
    let heard = if least < HEARD { "; receivers need 0.9 V" } else { "" };
    let text =
        format!("{who} less than {LEAST} V between the lines, {least:.2} V at the least{heard}");
    let at_s = seen.trace.time(at);
    Some(Finding { kind: Kind::Amplitude, text, at_s, measured: least, limit: LEAST, unit: "V" })
}
