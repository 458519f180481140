//! Messages that came regularly and stopped.

use super::{Finding, Kind};
use crate::can::frame::Id;
use crate::levels::median;
use std::collections::BTreeMap;

/// Times a message must have come before it is called regular.
const LEAST: usize = 6;
/// Periods after which one that does not come has stopped.
const MISSED: f64 = 4.0;
/// How far half of the gaps may lie off the period, as a share.
const REGULAR: f64 = 0.2;

/// What stopped before `end`, from when each message came, in the order of time; seconds.
pub fn find(times: &[(Id, f64)], end: f64) -> Vec<Finding> {
    let mut by: BTreeMap<Id, Vec<f64>> = BTreeMap::new();
    for (id, at) in times {
        by.entry(*id).or_default().push(*at);
    }
    let of = |(id, at): (Id, Vec<f64>)| {
        let gaps: Vec<f64> = at.windows(2).map(|w| w[1] - w[0]).collect();
        let (last, period) = (*at.last()?, median(gaps.clone())?);
        let off = median(gaps.into_iter().map(|g| (g - period).abs()).collect())?;
        let stopped = end - last > MISSED * period && off < REGULAR * period;
        (at.len() >= LEAST && stopped).then(|| Finding {
            kind: Kind::Stopped,
            text: format!(
                "{id} came every {:.0} ms and stops at {last:.3} s, {:.0} ms before the end",
                1e3 * period,
                1e3 * (end - last)
            ),
            at_s: last,
            measured: end - last,
            limit: MISSED * period,
            unit: "s",
        })
    };
    by.into_iter().filter_map(of).collect()
}
