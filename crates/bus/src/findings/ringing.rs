//! Swinging after an edge: a long stub or a missing terminator throws it back.

use super::{Finding, Kind, Seen};
use crate::levels::median;

/// Beyond this share of the swing, once the line has come to rest, it rings: a receiver that sees 0.5 V of 2 V
/// may take another bit.
const SHARE: f64 = 0.25;
/// Edges that are looked at.
const EDGES: usize = 400;

pub(super) fn find(seen: &Seen<'_>) -> Option<Finding> {
    let bit = seen.bit();
    let (rest, swing) = (seen.decoded.levels.rest, seen.decoded.levels.swing());
    let len = seen.trace.len();
    let mut swings: Vec<(f64, f64, usize, f64)> = Vec::new();
    let edges = seen.decoded.edges.windows(2);
    for w in edges.filter(|w| !w[0].active && w[1].at - w[0].at > 1.5 * bit).take(EDGES) {
        let from = w[0].at as usize;
        let until = ((w[0].at + 1.2 * bit) as usize).min(len);
        let off = |k: usize| (seen.line(k) - rest) / swing;
        let Some(rested) = (from..until).find(|k| off(*k) < 0.05) else { continue };
        let most =
            (rested..until).map(off).fold(0.0, |m: f64, v| if v.abs() > m.abs() { v } else { m });
        let crossings: Vec<usize> =
            (rested + 1..until).filter(|k| (off(*k) > 0.05) != (off(*k - 1) > 0.05)).collect();
        let period = match crossings[..] {
            [first, .., last] => 2.0 * (last - first) as f64 / (crossings.len() - 1) as f64,
            _ => 0.0,
        };
        swings.push((most.abs(), w[0].at, crossings.len(), period));
    }
    let typical = median(swings.iter().map(|s| s.0).collect())?;
    if typical <= SHARE {
        return None;
    }
    let period = median(swings.iter().filter(|s| s.2 >= 2).map(|s| s.3).collect());
    let hertz = period.filter(|p| *p > 0.0).map(|p| 1.0 / (p * seen.trace.step_s));
    let how = hertz.map_or(String::new(), |h| format!(", about {:.1} MHz", h / 1e6));
    let text = format!(
        "after each edge back to rest the line swings by {:.0} % of its step{how}: a stub is long, or a terminator missing",
        100.0 * typical
    );
    let at_s = seen.trace.time(swings.first()?.1);
    Some(Finding {
        kind: Kind::Ringing,
        text,
        at_s,
        measured: typical,
        limit: SHARE,
        unit: "of the step",
    })
}
