//! What a capture shows to be wrong, each from one measure with its limit and where the limit comes from;
//! one file each.

mod acknowledge;
pub mod amplitude;
mod clock;
mod errors;
mod fixed;
mod lin;
mod mirror;
mod offset;
pub mod returns;
mod ringing;
pub mod stopped;

use crate::can::decode::{Decoded, Read, Sender};
use crate::can::frame::Id;
use crate::levels::median;
use crate::trace::Trace;
use std::collections::BTreeMap;

pub use lin::of_lin;

/// What is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// A line that does not move while its partner does.
    Fixed,
    /// The two lines do not move as each other's mirror.
    Mirror,
    /// A sender drives too little.
    Amplitude,
    /// A sender's resting level, or that of the bus, is not where it should be.
    Offset,
    /// The line comes back to rest too slowly.
    Returns,
    /// It swings after an edge.
    Ringing,
    /// Nobody acknowledges.
    Acknowledge,
    /// Frames with errors.
    Errors,
    /// A sender's clock is off.
    Clock,
    /// A message that came regularly and stopped.
    Stopped,
    /// Nobody answers on LIN.
    NoAnswer,
    /// A LIN level is not where it should be.
    LinLevel,
    /// A LIN frame with a wrong check, parity or stop bit.
    LinError,
}

/// A finding with the numbers behind it.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Finding {
    /// What.
    pub kind: Kind,
    /// In words, with the numbers.
    pub text: String,
    /// Where in the capture to look, seconds.
    pub at_s: f64,
    /// What was measured.
    pub measured: f64,
    /// What it should not be beyond.
    pub limit: f64,
    /// Unit of both.
    pub unit: &'static str,
}

/// Share of what most senders drive from which on one drives fully.
const FULLY: f64 = 0.93;

/// What the searches look at.
struct Seen<'a> {
    trace: &'a Trace,
    decoded: &'a Decoded,
}

impl Seen<'_> {
    /// High and low line, where there are two.
    fn pair(&self) -> Option<[usize; 2]> {
        match self.decoded.read {
            Read::Both(high, low) => Some([high, low]),
            Read::Rising(_) | Read::Falling(_) => None,
        }
    }

    /// Samples of a nominal bit.
    fn bit(&self) -> f64 {
        1.0 / (self.decoded.rates.nominal * self.trace.step_s)
    }

    /// The line that was read, at a sample, turned so that dominant is up.
    fn line(&self, k: usize) -> f64 {
        let volts = |c: usize| f64::from(self.trace.channels[c].volts[k]);
        match self.decoded.read {
            Read::Both(a, b) => volts(a) - volts(b),
            Read::Rising(c) => volts(c),
            Read::Falling(c) => -volts(c),
        }
    }

    /// Whether a sender drives as far as most do: what then moves it is its ground, not its way.
    fn drives_fully(&self, senders: &BTreeMap<Id, (Sender, f64)>, s: &Sender) -> bool {
        let usual = median(senders.values().map(|(s, _)| s.swing()).collect());
        usual.is_some_and(|usual| s.swing() > FULLY * usual)
    }

    /// Levels of each sender: the mean over its sound frames, with the first one's time in samples.
    fn senders(&self) -> BTreeMap<Id, (Sender, f64)> {
        let mut sums: BTreeMap<Id, (Sender, f64, f32)> = BTreeMap::new();
        for (r, sender) in self.decoded.received.iter().zip(&self.decoded.senders) {
            let (Some(frame), Some(s), None) = (&r.frame, sender, r.fault) else { continue };
            let zero = Sender { recessive: [0.0; 2], dominant: [0.0; 2] };
            let sum = sums.entry(frame.id).or_insert((zero, r.at, 0.0));
            for k in 0..2 {
                sum.0.recessive[k] += s.recessive[k];
                sum.0.dominant[k] += s.dominant[k];
            }
            sum.2 += 1.0;
        }
        sums.into_iter()
            .map(|(id, (s, at, n))| {
                let mean = |x: [f32; 2]| x.map(|x| x / n);
                (id, (Sender { recessive: mean(s.recessive), dominant: mean(s.dominant) }, at))
            })
            .collect()
    }
}

/// Identifiers, a few of them by name.
fn names(ids: &[Id]) -> String {
    const MOST: usize = 6;
    let shown: Vec<String> = ids.iter().take(MOST).map(Id::to_string).collect();
    match ids.len() > MOST {
        true => format!("{} and {} more", shown.join(", "), ids.len() - MOST),
        false => shown.join(", "),
    }
}

/// Everything that is found in a CAN capture.
pub fn of_can(trace: &Trace, decoded: &Decoded) -> Vec<Finding> {
    let seen = Seen { trace, decoded };
    let mut out: Vec<Finding> = Vec::new();
    out.extend(fixed::find(&seen));
    out.extend(mirror::find(&seen));
    out.extend(amplitude::find(&seen));
    out.extend(offset::find(&seen));
    out.extend(returns::find(&seen));
    out.extend(ringing::find(&seen));
    out.extend(acknowledge::find(&seen));
    out.extend(errors::find(&seen));
    out.extend(clock::find(&seen));
    let times: Vec<(Id, f64)> =
        decoded.sound().filter_map(|r| Some((r.frame.as_ref()?.id, trace.time(r.at)))).collect();
    out.extend(stopped::find(&times, trace.time(trace.len() as f64)));
    out
}
