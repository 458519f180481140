//! Back to rest the line is pulled by the terminators alone: without them, or against much capacitance, it
//! takes too long.

use super::{Finding, Kind, Seen};
use crate::can::decode::Decoded;
use crate::levels::median;
use crate::trace::Trace;

/// From nine tenths to a tenth of the swing in more than this share of a bit is too slow: the sample point and
/// the way there and back need the rest.
const SHARE: f64 = 0.2;
/// Edges that are looked at.
const EDGES: usize = 400;

/// How long the line takes from nine tenths to a tenth of its step, seconds, and the first edge it was
/// measured at, in samples; none where no edge stands alone.
fn measured(seen: &Seen<'_>) -> Option<(f64, f64)> {
    let bit = seen.bit();
    let (rest, swing) = (seen.decoded.levels.rest, seen.decoded.levels.swing());
    let len = seen.trace.len();
    let edges = &seen.decoded.edges;
    let falls: Vec<(f64, f64)> = edges
        .windows(3)
        .filter(|w| !w[1].active && w[1].at - w[0].at > 0.8 * bit && w[2].at - w[1].at > 0.8 * bit)
        .take(EDGES)
        .filter_map(|w| {
            let at = w[1].at as usize;
            let far = (2.0 * bit) as usize;
            let from = (at.saturating_sub(far)..=at.min(len - 1)).rev();
            let high = from.clone().find(|k| seen.line(*k) > rest + 0.9 * swing)?;
            let low = (at..len.min(at + far)).find(|k| seen.line(*k) < rest + 0.1 * swing);
            // Not back before the next bit: at least so long.
            let low = low.unwrap_or(at + far);
            Some(((low - high) as f64 * seen.trace.step_s, w[1].at))
        })
        .collect();
    let typical = median(falls.iter().map(|f| f.0).collect())?;
    Some((typical, falls.first()?.1))
}

/// The same of a trace that was decoded, seconds.
pub fn of(trace: &Trace, decoded: &Decoded) -> Option<f64> {
    measured(&Seen { trace, decoded }).map(|m| m.0)
}

pub(super) fn find(seen: &Seen<'_>) -> Option<Finding> {
    let (seconds, at) = measured(seen)?;
    let share = seconds * seen.decoded.rates.nominal;
    if share <= SHARE {
        return None;
    }
    let text = format!(
        "the line takes {:.0} ns, {share:.2} of a bit, from dominant back to rest: a terminator is missing, or something loads the bus with capacitance",
        seconds * 1e9
    );
    let at_s = seen.trace.time(at);
    Some(Finding { kind: Kind::Returns, text, at_s, measured: share, limit: SHARE, unit: "bit" })
}
