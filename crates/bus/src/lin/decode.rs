//! A LIN line decoded: breaks, bit rate from the synchronisation byte, identifiers, answers.

use super::frame::{DIAGNOSTIC, Sum, checksum, protected};
use crate::edges::{Edge, Slicer, Thresholds, without_glitches};
use crate::levels::{Levels, levels};
use crate::trace::Trace;

/// Two levels of a line lie at least so far apart, volts.
const LEAST_SWING: f64 = 2.0;
/// A break is dominant for so many bits at least (ISO 17987-3: 13 sent, 11 taken).
const BREAK: f64 = 10.5;
/// Edges that are needed for a break and the synchronisation byte.
const HEAD: usize = 11;
/// How far the bits of the synchronisation byte may differ, as a share.
const UNEVEN: f64 = 0.2;
/// Bits that pass between two bytes of an answer at most.
const PAUSE: f64 = 20.0;
/// Data bytes of an answer at most.
const MOST: usize = 8;

/// What is wrong with a frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Wrong {
    /// The identifier's parity.
    Parity,
    /// Neither check sum fits.
    Check,
    /// Nobody answers.
    NoAnswer,
    /// A byte without its stop bit: the line is held, or two send at once.
    Stop,
    /// The capture ends here.
    Cut,
}

impl Wrong {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Parity => "the identifier's parity does not fit",
            Self::Check => "the check sum does not fit",
            Self::NoAnswer => "nobody answers",
            Self::Stop => "a stop bit is missing",
            Self::Cut => "the capture ends here",
        }
    }
}

/// A frame as it was seen.
#[derive(Debug, Clone, PartialEq)]
pub struct Seen {
    /// Where its break begins, in samples.
    pub at: f64,
    /// Where it ends, in samples.
    pub end: f64,
    /// Identifier, six bits.
    pub id: u8,
    /// Data of the answer.
    pub data: Vec<u8>,
    /// Which check sum fits.
    pub sum: Option<Sum>,
    /// What is wrong.
    pub wrong: Option<Wrong>,
    /// Bit rate by its synchronisation byte, bit/s.
    pub bit_rate: f64,
    /// Length of the break, bits.
    pub break_bits: f64,
    /// From the identifier to the answer, bits.
    pub pause_bits: f64,
    /// Dominant level of the master and of who answers, volts.
    pub dominant: [Option<f32>; 2],
}

/// A line decoded.
#[derive(Debug, Clone)]
pub struct Decoded {
    /// The channel.
    pub channel: usize,
    /// Its levels: recessive and dominant, volts.
    pub levels: Levels,
    /// Edges; active is dominant.
    pub edges: Vec<Edge>,
    /// Frames.
    pub frames: Vec<Seen>,
}

/// Decodes a channel; none where it stays at one level.
pub fn decode(trace: &Trace, channel: usize) -> Option<Decoded> {
    let volts = &trace.channels.get(channel)?.volts;
    let found = levels(volts.len(), LEAST_SWING, |k| volts[k])?;
    let (low, high) = (found.rest.min(found.other), found.rest.max(found.other));
    let mut slicer = Slicer::new(Thresholds::between(-high, -low));
    let mut piece = Vec::with_capacity(4096);
    for part in volts.chunks(4096) {
        piece.clear();
        piece.extend(part.iter().map(|v| -v));
        slicer.push(&piece);
    }
    let edges = without_glitches(slicer.finish(), 2.5);
    let frames = frames(trace, volts, &edges);
    Some(Decoded { channel, levels: Levels { rest: high, other: low }, edges, frames })
}

/// The length of a bit, in samples, of the synchronisation byte that begins with an edge; none where there
/// is no such byte.
fn synchronised(edges: &[Edge], k: usize) -> Option<f64> {
    let all = edges.get(k..k + 10)?;
    // Start bit and 55: dominant and recessive by turns, ten bits with the stop bit.
    let bit = (all[8].at - all[0].at) / 8.0;
    let even = all[..9].windows(2).all(|w| ((w[1].at - w[0].at) / bit - 1.0).abs() < UNEVEN);
    (all[0].active && even && bit > 2.0).then_some(bit)
}

fn frames(trace: &Trace, volts: &[f32], edges: &[Edge]) -> Vec<Seen> {
    // Where breaks with their synchronisation byte begin, and the bit's length.
    let heads: Vec<(usize, f64)> = (0..edges.len().saturating_sub(HEAD))
        .filter(|k| edges[*k].active)
        .filter_map(|k| {
            let bit = synchronised(edges, k + 2)?;
            (edges[k + 1].at - edges[k].at > BREAK * bit).then_some((k, bit))
        })
        .collect();
    let after = |n: usize| heads.get(n + 1).map_or(f64::INFINITY, |h| edges[h.0].at);
    heads.iter().enumerate().map(|(n, h)| frame(trace, volts, edges, *h, after(n))).collect()
}

/// Reads bytes from edges.
struct Bytes<'a> {
    edges: &'a [Edge],
    bit: f64,
    at: f64,
    end: f64,
    /// Sample times at which the line was dominant.
    dominant: Vec<usize>,
}

impl Bytes<'_> {
    fn level(&self, at: f64) -> bool {
        let k = self.edges.partition_point(|e| e.at <= at);
        k > 0 && self.edges[k - 1].active
    }

    /// The next byte that starts before `until`: where it starts, and its value or what is wrong.
    fn byte(&mut self, until: f64) -> Option<(f64, Result<u8, Wrong>)> {
        let k = self.edges.partition_point(|e| e.at < self.at - 0.3 * self.bit);
        let start = self.edges[k..].iter().find(|e| e.active).filter(|e| e.at < until)?.at;
        let mut value = 0u8;
        for n in 0..10 {
            let at = start + (n as f64 + 0.5) * self.bit;
            if at >= self.end {
                return Some((start, Err(Wrong::Cut)));
            }
            let dominant = self.level(at);
            if dominant {
                self.dominant.push(at as usize);
            }
            match n {
                0 => {}
                9 if dominant => return Some((start, Err(Wrong::Stop))),
                9 => {}
                _ => value |= u8::from(!dominant) << (n - 1),
            }
        }
        self.at = start + 9.5 * self.bit;
        Some((start, Ok(value)))
    }

    fn mean(&mut self, volts: &[f32]) -> Option<f32> {
        let all: Vec<f32> =
            self.dominant.drain(..).filter_map(|at| volts.get(at).copied()).collect();
        (!all.is_empty()).then(|| all.iter().sum::<f32>() / all.len() as f32)
    }
}

fn frame(trace: &Trace, volts: &[f32], edges: &[Edge], head: (usize, f64), next: f64) -> Seen {
    let (k, bit) = head;
    let at = edges[k].at;
    let end = (trace.len() as f64).min(next);
    let mut bytes = Bytes { edges, bit, at: edges[k + 2].at, end, dominant: Vec::new() };
    let mut seen = Seen {
        at,
        end: at,
        id: 0,
        data: Vec::new(),
        sum: None,
        wrong: None,
        bit_rate: 1.0 / (bit * trace.step_s),
        break_bits: (edges[k + 1].at - at) / bit,
        pause_bits: 0.0,
        dominant: [None, None],
    };
    let within = |b: &Bytes<'_>| b.at + PAUSE * bit;
    // The synchronisation byte gave the bit's length; then the identifier.
    let until = within(&bytes);
    bytes.byte(until);
    let until = within(&bytes);
    let pid = match bytes.byte(until) {
        Some((_, Ok(pid))) => pid,
        Some((_, Err(wrong))) => {
            seen.wrong = Some(wrong);
            return seen;
        }
        None => {
            seen.wrong = Some(Wrong::Cut);
            return seen;
        }
    };
    seen.id = pid & 0x3F;
    seen.dominant[0] = bytes.mean(volts);
    if protected(seen.id) != pid {
        seen.wrong = Some(Wrong::Parity);
    }
    let identified = bytes.at + 0.5 * bit;
    let mut all = Vec::new();
    while all.len() <= MOST {
        let until = within(&bytes).min(next - bit);
        match bytes.byte(until) {
            Some((start, Ok(byte))) => {
                if all.is_empty() {
                    seen.pause_bits = (start - identified) / bit;
                }
                all.push(byte);
            }
            Some((_, Err(wrong))) => {
                seen.wrong = seen.wrong.or(Some(wrong));
                break;
            }
            None => break,
        }
    }
    seen.dominant[1] = bytes.mean(volts);
    seen.end = bytes.at;
    let cut = bytes.at + PAUSE * bit > trace.len() as f64;
    match all.split_last() {
        None if cut => seen.wrong = seen.wrong.or(Some(Wrong::Cut)),
        None => seen.wrong = seen.wrong.or(Some(Wrong::NoAnswer)),
        Some((sum, data)) => {
            let fits = |kind| checksum(kind, pid, data) == *sum;
            seen.sum = match DIAGNOSTIC.contains(&seen.id) {
                true => [Sum::Classic].into_iter().find(|k| fits(*k)),
                false => [Sum::Enhanced, Sum::Classic].into_iter().find(|k| fits(*k)),
            };
            if seen.sum.is_none() {
                seen.wrong = seen.wrong.or(Some(Wrong::Check));
            }
            seen.data = data.to_vec();
        }
    }
    seen
}
