//! A line that stays while its partner moves: broken, or held at a supply or at ground.

use super::{Finding, Kind, Seen};
use crate::levels::levels;

/// A line that moves by less than this share of its partner's swing stays.
const STAYS: f64 = 0.15;

pub(super) fn find(seen: &Seen<'_>) -> Option<Finding> {
    let pair = seen.pair()?;
    let own = pair.map(|c| {
        let volts = &seen.trace.channels[c].volts;
        levels(volts.len(), 0.02, |k| volts[k])
    });
    let swing = own.map(|l| l.map_or(0.0, |l| l.swing()));
    let stays = (0..2).find(|k| swing[*k] < STAYS * swing[1 - *k])?;
    let volts = &seen.trace.channels[pair[stays]].volts;
    let mean = volts.iter().map(|v| f64::from(*v)).sum::<f64>() / volts.len() as f64;
    let name = ["high", "low"][stays];
    let text = format!(
        "CAN {name} stays at {mean:.2} V while the other line moves by {:.2} V: this line is broken, or held",
        swing[1 - stays]
    );
    let limit = STAYS * swing[1 - stays];
    let at_s = seen.trace.time(seen.decoded.received.first().map_or(0.0, |r| r.at));
    Some(Finding { kind: Kind::Fixed, text, at_s, measured: swing[stays], limit, unit: "V" })
}
