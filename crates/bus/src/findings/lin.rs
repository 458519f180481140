//! What a LIN capture shows: slaves that do not answer, checks that do not fit, levels.

use super::{Finding, Kind};
use crate::lin::decode::{Decoded, Seen, Wrong};
use crate::trace::Trace;
use std::collections::BTreeMap;

/// A dominant level above this share of the supply may not be taken for one (ISO 17987-4: 0.4 of it at the
/// receiver, 0.2 from the driver).
const DOMINANT: f64 = 0.2;
const HEARD: f64 = 0.4;

/// Everything that is found.
pub fn of_lin(trace: &Trace, decoded: &Decoded) -> Vec<Finding> {
    let mut out = missing(trace, &decoded.frames);
    out.extend(errors(trace, &decoded.frames));
    out.extend(levels(trace, decoded));
    out
}

fn missing(trace: &Trace, frames: &[Seen]) -> Vec<Finding> {
    let mut by: BTreeMap<u8, (usize, usize, f64)> = BTreeMap::new();
    for f in frames.iter().filter(|f| !matches!(f.wrong, Some(Wrong::Cut | Wrong::Parity))) {
        let entry = by.entry(f.id).or_insert((0, 0, f.at));
        entry.1 += 1;
        if f.wrong == Some(Wrong::NoAnswer) {
            if entry.0 == 0 {
                entry.2 = f.at;
            }
            entry.0 += 1;
        }
    }
    let of = |(id, (silent, asked, at)): (u8, (usize, usize, f64))| {
        (silent > 0).then(|| Finding {
            kind: Kind::NoAnswer,
            text: format!("nobody answers {id:02X}: {silent} of {asked} times"),
            at_s: trace.time(at),
            measured: silent as f64,
            limit: 0.0,
            unit: "frames",
        })
    };
    by.into_iter().filter_map(of).collect()
}

fn errors(trace: &Trace, frames: &[Seen]) -> Option<Finding> {
    let wrong: Vec<(&Seen, Wrong)> = frames
        .iter()
        .filter_map(|f| Some((f, f.wrong?)))
        .filter(|(_, w)| matches!(w, Wrong::Check | Wrong::Parity | Wrong::Stop))
        .collect();
    let (first, what) = wrong.first()?;
    let text = format!(
        "{} of {} frames are spoilt; the first is {:02X}: {}",
        wrong.len(),
        frames.len(),
        first.id,
        what.words()
    );
    let measured = wrong.len() as f64;
    let at_s = trace.time(first.at);
    Some(Finding { kind: Kind::LinError, text, at_s, measured, limit: 0.0, unit: "frames" })
}

fn levels(trace: &Trace, decoded: &Decoded) -> Vec<Finding> {
    let supply = decoded.levels.rest;
    let high = |who: usize| {
        let all = decoded.frames.iter().filter_map(move |f| Some((f, f64::from(f.dominant[who]?))));
        all.filter(|(_, v)| *v > DOMINANT * supply).max_by(|a, b| a.1.total_cmp(&b.1))
    };
    let of = |who: usize| {
        let (frame, volts) = high(who)?;
        let name = match who {
            0 => "the master".to_owned(),
            _ => format!("who answers {:02X}", frame.id),
        };
        let heard = if volts > HEARD * supply { ", which nobody takes for a bit" } else { "" };
        Some(Finding {
            kind: Kind::LinLevel,
            text: format!(
                "{name} pulls the line down to {volts:.1} V only{heard}; it rests at {supply:.1} V"
            ),
            at_s: trace.time(frame.at),
            measured: volts,
            limit: DOMINANT * supply,
            unit: "V",
        })
    };
    (0..2).filter_map(of).collect()
}
