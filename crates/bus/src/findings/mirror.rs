//! High goes up as far as low goes down: else one of them is loaded or driven too weakly.

use super::{Finding, Kind, Seen, names};
use crate::can::frame::Id;

/// Common mode while dominant against recessive, volts. ISO 11898-2 lets the driver be off by 0.4 V
/// (V_SYM 0.9 to 1.1 of the supply of 5 V, halved, with its tolerance).
const OFF: f64 = 0.4;

pub(super) fn find(seen: &Seen<'_>) -> Option<Finding> {
    seen.pair()?;
    let senders = seen.senders();
    let all_off: Vec<(Id, f64, f64, bool)> = senders
        .iter()
        .map(|(id, (s, at))| {
            let [rest, driven] = s.middle();
            (*id, driven - rest, *at, seen.drives_fully(&senders, s))
        })
        .filter(|(_, off, ..)| off.abs() > OFF)
        .collect();
    // One alone that drives as far as the others has another ground, which is another finding.
    let every = 2 * all_off.len() > senders.len();
    let off: Vec<(Id, f64, f64)> =
        all_off.into_iter().filter(|o| every || !o.3).map(|o| (o.0, o.1, o.2)).collect();
    let (_, most, at) = *off.iter().max_by(|a, b| a.1.abs().total_cmp(&b.1.abs()))?;
    let ids: Vec<Id> = off.iter().map(|o| o.0).collect();
    let weak = if most > 0.0 {
        "low goes down less than high goes up"
    } else {
        "high goes up less than low goes down"
    };
    let text = format!("{weak}: the middle of the two moves by {most:+.2} V in {}", names(&ids));
    let at_s = seen.trace.time(at);
    Some(Finding { kind: Kind::Mirror, text, at_s, measured: most, limit: OFF, unit: "V" })
}
