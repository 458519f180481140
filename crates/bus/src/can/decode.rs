//! A trace decoded: which line is which, at what rate, what was sent, and at what levels.

use super::receive::{Received, Wrong, receive};
use super::wave::Rates;
use crate::edges::{Edge, Slicer, Thresholds, without_glitches};
use crate::levels::{Levels, levels};
use crate::trace::Trace;

/// Bit rates in use, bit/s, the faster first: half a rate fits the edges of a rate as well.
const NOMINAL: [f64; 12] = [
    1_000_000.0,
    800_000.0,
    500_000.0,
    250_000.0,
    125_000.0,
    100_000.0,
    83_333.3,
    50_000.0,
    40_000.0,
    33_333.3,
    20_000.0,
    10_000.0,
];
/// Bit rates of FD data phases, bit/s.
const DATA: [f64; 5] = [2_000_000.0, 5_000_000.0, 1_000_000.0, 4_000_000.0, 8_000_000.0];
/// Two levels of a line lie at least so far apart, volts: a third of a weak receiver's threshold.
const LEAST_SWING: f64 = 0.25;
/// Where between the levels a bit is dominant: receivers take 0.7 of 2 V (ISO 11898-2: 0.5 to 0.9 V), so that
/// a weak sender is heard beside a strong one.
const THRESHOLD: f64 = 0.35;
/// A rate that was only measured must be understood so much better than one in use.
const BETTER: f64 = 1.02;
/// A way of reading the lines must be understood so much better than one that is tried before it: the
/// difference of two lines, which is what receivers hear, is not left for a frame more or less.
const CLEARER: f64 = 1.1;
/// A measured rate is one in use if it lies so near.
const NEAR: f64 = 0.1;
/// A pulse shorter than this share of a bit is a glitch.
const GLITCH: f64 = 0.3;
/// Edges by which lines and rates are chosen.
const TRIED: usize = 6000;
/// Samples that are put together at once.
const PIECE: usize = 4096;

/// What a line is read from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Read {
    /// The difference of two channels: the first one less the second one.
    Both(usize, usize),
    /// A channel that rises when dominant: high, or a difference.
    Rising(usize),
    /// A channel that falls when dominant: low, or a difference upside down.
    Falling(usize),
}

/// Levels of a frame's sender, high and low line, volts.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize)]
pub struct Sender {
    /// While recessive.
    pub recessive: [f32; 2],
    /// While dominant.
    pub dominant: [f32; 2],
}

impl Sender {
    /// Difference of the two lines while dominant, volts.
    pub fn swing(&self) -> f64 {
        f64::from(self.dominant[0] - self.dominant[1])
    }

    /// Middle of the two lines, recessive and dominant, volts.
    pub fn middle(&self) -> [f64; 2] {
        [self.recessive, self.dominant].map(|x| 0.5 * f64::from(x[0] + x[1]))
    }
}

/// A trace decoded.
#[derive(Debug, Clone)]
pub struct Decoded {
    /// What it was read from.
    pub read: Read,
    /// At which rates.
    pub rates: Rates,
    /// Levels of the line that was read: at rest and dominant, volts.
    pub levels: Levels,
    /// Edges of that line.
    pub edges: Vec<Edge>,
    /// What was received.
    pub received: Vec<Received>,
    /// The levels of each, in the same order; none for frames that were cut short, and with one line
    /// alone, where both are that line.
    pub senders: Vec<Option<Sender>>,
}

impl Decoded {
    /// What came through without an error.
    pub fn sound(&self) -> impl Iterator<Item = &Received> {
        self.received.iter().filter(|r| r.fault.is_none())
    }

    /// Share of the time that the bus is taken.
    pub fn load(&self, trace: &Trace) -> f64 {
        let taken: f64 = self.received.iter().map(|r| r.end - r.at).sum();
        (taken / trace.len().max(1) as f64).clamp(0.0, 1.0)
    }
}

/// Why a trace tells nothing.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum Undecoded {
    /// No channel.
    #[error("there is no line in the capture")]
    Empty,
    /// Every line stays at one level.
    #[error(
        "no line changes by a quarter of a volt: the bus is silent, or the probes are not on it"
    )]
    Silent,
    /// Edges, but no frame at any rate.
    #[error("the lines change, but no frame can be read at any bit rate{0}")]
    NoFrame(String),
}

/// Values of a line, turned so that dominant is up.
fn value(trace: &Trace, read: Read, k: usize) -> f32 {
    let volts = |c: usize| trace.channels[c].volts[k];
    match read {
        Read::Both(a, b) => volts(a) - volts(b),
        Read::Rising(c) => volts(c),
        Read::Falling(c) => -volts(c),
    }
}

/// The levels of a line read so, its resting one first: a difference rests near zero, whatever it is at
/// most of the time.
fn levels_of(trace: &Trace, read: Read, len: usize) -> Option<Levels> {
    let found = levels(len, LEAST_SWING, |k| value(trace, read, k))?;
    let (low, high) = (found.rest.min(found.other), found.rest.max(found.other));
    Some(Levels { rest: low, other: high })
}

/// Edges of the first `len` samples.
fn edges_of(trace: &Trace, read: Read, levels: &Levels, len: usize) -> Vec<Edge> {
    let mut slicer = Slicer::new(Thresholds::at(levels.rest, levels.other, THRESHOLD));
    let mut piece = vec![0f32; PIECE];
    let mut from = 0;
    while from < len {
        let n = PIECE.min(len - from);
        let at = from..from + n;
        match read {
            Read::Both(a, b) => {
                let (a, b) = (&trace.channels[a].volts[at.clone()], &trace.channels[b].volts[at]);
                for ((to, a), b) in piece.iter_mut().zip(a).zip(b) {
                    *to = a - b;
                }
            }
            Read::Rising(c) => piece[..n].copy_from_slice(&trace.channels[c].volts[at]),
            Read::Falling(c) => {
                for (to, v) in piece.iter_mut().zip(&trace.channels[c].volts[at]) {
                    *to = -v;
                }
            }
        }
        slicer.push(&piece[..n]);
        from += n;
    }
    slicer.finish()
}

/// How lines can be read, the likeliest first.
fn ways(trace: &Trace) -> Vec<Read> {
    let n = trace.channels.len();
    let mut ways = Vec::new();
    for a in 0..n.min(4) {
        ways.extend((a + 1..n.min(4)).flat_map(|b| [Read::Both(a, b), Read::Both(b, a)]));
    }
    ways.extend((0..n.min(4)).flat_map(|c| [Read::Rising(c), Read::Falling(c)]));
    ways
}

/// Bit rates to try beside those in use: by the shortest time between two edges that occurs often, and by
/// that between two of the same direction, which is two bits however much later a line rises than it falls.
fn measured(edges: &[Edge], step_s: f64) -> Vec<f64> {
    let shortest = |apart: usize| {
        let mut gaps: Vec<f64> = edges.windows(apart + 1).map(|w| w[apart].at - w[0].at).collect();
        if gaps.len() < 20 {
            return None;
        }
        gaps.sort_by(f64::total_cmp);
        let short = gaps[gaps.len() / 20];
        let alike: Vec<f64> =
            gaps.into_iter().filter(|g| (0.75..1.25).contains(&(g / short))).collect();
        let bit = alike.iter().sum::<f64>() / (alike.len() * apart) as f64;
        (bit > 1.0).then(|| 1.0 / (bit * step_s))
    };
    [1, 2].into_iter().filter_map(shortest).collect()
}

/// How well a line is understood at some rates: sound frames with half the weight of an error against
/// them, and FD frames with more weight, since their checks are longer.
fn score(received: &[Received]) -> f64 {
    let sound = received.iter().filter(|r| r.fault.is_none());
    let bits: f64 =
        sound.map(|r| r.frame.as_ref().map_or(0.0, |f| 40.0 + 8.0 * f.data.len() as f64)).sum();
    let wrong = |r: &&Received| r.fault.is_some_and(|f| f.wrong != Wrong::Cut);
    bits - 5.0 * received.iter().filter(wrong).count() as f64
}

/// The rates at which a line is understood best, with the score; edges as they were sliced.
fn rates_of(
    edges: &[Edge],
    len: usize,
    step_s: f64,
    wanted: Option<Rates>,
) -> Option<(Rates, f64)> {
    // Silence after the last edge belongs to the last frame, unless more edges follow.
    let len = match edges.get(TRIED) {
        Some(next) => (next.at as usize).min(len),
        None => len,
    };
    let edges = &edges[..edges.len().min(TRIED)];
    let tried = |rates: Rates| {
        let clean =
            without_glitches(edges.to_vec(), GLITCH / (rates.data.max(rates.nominal) * step_s));
        (rates, score(&receive(&clean, len, step_s, &rates)))
    };
    if let Some(rates) = wanted {
        return Some(tried(rates));
    }
    // Slower than the samples can show a bit, five of them, is no rate.
    let fits = |rate: &f64| 1.0 / (rate * step_s) >= 3.0;
    let own: Vec<f64> = measured(edges, step_s).into_iter().filter(fits).collect();
    let best = |all: &[Rates]| {
        let all = all.iter().map(|r| tried(*r));
        all.fold(None, |best: Option<(Rates, f64)>, t| match best {
            Some(b) if BETTER * b.1 >= t.1 => Some(b),
            _ => Some(t),
        })
    };
    // In use first, so that a measured one must be better.
    let nominal: Vec<f64> = NOMINAL.into_iter().filter(fits).chain(own.iter().copied()).collect();
    let classic: Vec<Rates> = nominal.iter().map(|r| Rates::classic(*r)).collect();
    // The shortest time between two edges is a bit of the data phase, where there is one.
    let near = |own: &f64| {
        let own = *own;
        DATA.into_iter().filter(move |r| (own / r - 1.0).abs() < NEAR).chain([own])
    };
    let fast: Vec<f64> = own.iter().flat_map(near).filter(fits).collect();
    let flexible = nominal.iter().flat_map(|nominal| {
        let faster = fast.iter().filter(move |data| **data > 1.2 * nominal);
        faster.map(|data| Rates { data: *data, ..Rates::classic(*nominal) })
    });
    let all: Vec<Rates> = classic.into_iter().chain(flexible).collect();
    best(&all)
}

/// Decodes a trace; `wanted` are its rates where they are known.
///
/// # Errors
/// [`Undecoded`].
pub fn decode(trace: &Trace, wanted: Option<Rates>) -> Result<Decoded, Undecoded> {
    let len = trace.len();
    if len == 0 {
        return Err(Undecoded::Empty);
    }
    let mut best: Option<(f64, Read, Levels, Rates)> = None;
    let mut moves = false;
    for read in ways(trace) {
        let Some(levels) = levels_of(trace, read, len) else { continue };
        moves = true;
        // As many samples as have the edges that are tried.
        let mut looked = len.min(1 << 20);
        let mut edges = edges_of(trace, read, &levels, looked);
        while edges.len() < TRIED && looked < len {
            looked = (4 * looked).min(len);
            edges = edges_of(trace, read, &levels, looked);
        }
        let Some((rates, score)) = rates_of(&edges, looked, trace.step_s, wanted) else { continue };
        if score > 0.0 && best.as_ref().is_none_or(|b| score > CLEARER * b.0) {
            best = Some((score, read, levels, rates));
        }
    }
    let Some((_, read, levels, rates)) = best else {
        return Err(match (moves, wanted) {
            (false, _) => Undecoded::Silent,
            (true, None) => Undecoded::NoFrame(String::new()),
            (true, Some(r)) => Undecoded::NoFrame(format!(" (tried {} bit/s)", r.nominal)),
        });
    };
    let shortest = GLITCH / (rates.data.max(rates.nominal) * trace.step_s);
    let edges = without_glitches(edges_of(trace, read, &levels, len), shortest);
    let received = receive(&edges, len, trace.step_s, &rates);
    let senders = received.iter().map(|r| sender(trace, read, r)).collect();
    Ok(Decoded { read, rates, levels, edges, received, senders })
}

/// The levels of a frame, from the samples at which its bits were told.
fn sender(trace: &Trace, read: Read, r: &Received) -> Option<Sender> {
    let (high, low) = match read {
        Read::Both(a, b) => (a, b),
        Read::Rising(c) | Read::Falling(c) => (c, c),
    };
    let mean = |channel: usize, dominant: bool| {
        let volts = &trace.channels[channel].volts;
        let all = r.sampled.iter().filter(|(_, d)| *d == dominant);
        let (sum, n) = all
            .filter_map(|(at, _)| volts.get(*at as usize))
            .fold((0.0, 0u32), |(sum, n), v| (sum + v, n + 1));
        (n >= 3).then(|| sum / n as f32)
    };
    Some(Sender {
        recessive: [mean(high, false)?, mean(low, false)?],
        dominant: [mean(high, true)?, mean(low, true)?],
    })
}
