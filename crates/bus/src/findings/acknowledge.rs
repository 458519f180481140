//! Frames that nobody acknowledges: their sender is alone on what is left of the bus.

use super::{Finding, Kind, Seen, names};
use crate::can::frame::Id;
use std::collections::BTreeSet;

pub(super) fn find(seen: &Seen<'_>) -> Option<Finding> {
    let sound: Vec<_> = seen.decoded.sound().collect();
    let alone: Vec<_> = sound.iter().filter(|r| !r.acknowledged).collect();
    let first = alone.first()?;
    let ids: BTreeSet<Id> = alone.iter().filter_map(|r| Some(r.frame.as_ref()?.id)).collect();
    let ids: Vec<Id> = ids.into_iter().collect();
    let text = format!(
        "{} of {} frames ({}) are acknowledged by nobody: their sender hears nobody else",
        alone.len(),
        sound.len(),
        names(&ids)
    );
    let at_s = seen.trace.time(first.at);
    let measured = alone.len() as f64;
    Some(Finding { kind: Kind::Acknowledge, text, at_s, measured, limit: 0.0, unit: "frames" })
}
