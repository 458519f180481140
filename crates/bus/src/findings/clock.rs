//! A sender whose clock is off is misread at the end of its long frames.

use super::{Finding, Kind, Seen, names};
use crate::can::frame::Id;
use crate::levels::median;
use std::collections::BTreeMap;

/// Share by which a clock may be off (ISO 11898-1 with usual segments: about half a percent).
const OFF: f64 = 0.005;

pub(super) fn find(seen: &Seen<'_>) -> Option<Finding> {
    let mut by: BTreeMap<Id, (Vec<f64>, f64)> = BTreeMap::new();
    for r in seen.decoded.sound().filter(|r| r.stretch != 0.0) {
        if let Some(frame) = &r.frame {
            by.entry(frame.id).or_insert((Vec::new(), r.at)).0.push(r.stretch);
        }
    }
    let all: Vec<(Id, f64, f64)> =
        by.into_iter().filter_map(|(id, (s, at))| Some((id, median(s)?, at))).collect();
    // The instrument's own clock, or a rate that is not quite the usual one, moves all alike.
    let usual = median(all.iter().map(|a| a.1).collect())?;
    let off: Vec<&(Id, f64, f64)> = all.iter().filter(|a| (a.1 - usual).abs() > OFF).collect();
    let most = off.iter().max_by(|a, b| (a.1 - usual).abs().total_cmp(&(b.1 - usual).abs()))?;
    let ids: Vec<Id> = off.iter().map(|o| o.0).collect();
    let share = most.1 - usual;
    let slow = if share > 0.0 { "slow" } else { "fast" };
    let text = format!(
        "{} is sent {:.2} % too {slow} against the others",
        names(&ids),
        100.0 * share.abs()
    );
    let at_s = seen.trace.time(most.2);
    Some(Finding { kind: Kind::Clock, text, at_s, measured: share, limit: OFF, unit: "of a bit" })
}
