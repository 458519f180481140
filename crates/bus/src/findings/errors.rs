//! Frames that break off: how many, where in the frame, and after whose identifier.

use super::{Finding, Kind, Seen, names};
use crate::can::frame::Id;
use crate::can::receive::Wrong;
use std::collections::BTreeMap;

pub(super) fn find(seen: &Seen<'_>) -> Option<Finding> {
    let wrong: Vec<_> = seen
        .decoded
        .received
        .iter()
        .filter_map(|r| Some((r, r.fault.filter(|f| f.wrong != Wrong::Cut)?)))
        .collect();
    let (_, first) = wrong.first()?;
    let mut places: BTreeMap<(&str, &str), usize> = BTreeMap::new();
    for (_, fault) in &wrong {
        *places.entry((fault.field.words(), fault.wrong.words())).or_default() += 1;
    }
    let ((field, what), n) = places.into_iter().max_by_key(|(_, n)| *n)?;
    let mut ids: Vec<Id> = wrong.iter().filter_map(|(r, _)| Some(r.frame.as_ref()?.id)).collect();
    ids.sort();
    ids.dedup();
    let whose = match ids.is_empty() {
        true => String::new(),
        false => format!(", in {}", names(&ids)),
    };
    let all = seen.decoded.received.len();
    let text = format!(
        "{} of {all} frames break off; {n} of them in the {field}: {what}{whose}",
        wrong.len()
    );
    let at_s = seen.trace.time(first.at);
    let measured = wrong.len() as f64;
    Some(Finding { kind: Kind::Errors, text, at_s, measured, limit: 0.0, unit: "frames" })
}
