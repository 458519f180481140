//! Frames as voltages on the two lines, with what a real line does to them: edges that take time,
//! ringing, noise, offsets, a meter's steps.

use super::bits::{Bit, Field};
use crate::trace::{Channel, Trace};

/// Bit times of a bus.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Rates {
    /// Nominal bit rate, bit/s.
    pub nominal: f64,
    /// Bit rate of the data phase of FD frames, bit/s.
    pub data: f64,
    /// Where in a bit it is sampled, as a share, nominal and in the data phase: there the rate changes.
    pub sample_points: (f64, f64),
}

impl Rates {
    /// A classic bus.
    pub fn classic(nominal: f64) -> Self {
        Self { nominal, data: nominal, sample_points: (0.75, 0.75) }
    }

    /// How long a bit is, seconds, after one that was `before` fast or not.
    fn seconds(&self, bit: Bit, before: bool, after: bool) -> f64 {
        let (slow, fast) = (1.0 / self.nominal, 1.0 / self.data);
        let (at, at_fast) = self.sample_points;
        match (bit.fast, before, after) {
            // The bit before the fast ones changes at its sample point, and so does the one after them.
            (false, _, true) => at * slow + (1.0 - at_fast) * fast,
            (false, true, false) => at_fast * fast + (1.0 - at) * slow,
            (false, false, false) => slow,
            (true, ..) => fast,
        }
    }
}

/// A line that swings after an edge.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Ringing {
    /// Share of the step.
    pub share: f64,
    /// How fast, hertz.
    pub hertz: f64,
    /// Time constant with which it dies away, seconds.
    pub decay_s: f64,
}

impl Ringing {
    /// None at all.
    pub const NONE: Self = Self { share: 0.0, hertz: 1e6, decay_s: 1e-6 };
}

/// What the lines rest and swing at, and how fast.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shape {
    /// High and low line, recessive, volts.
    pub recessive: [f64; 2],
    /// High and low line, dominant, volts.
    pub dominant: [f64; 2],
    /// Time constant of an edge to dominant, and back, seconds.
    pub edges: [f64; 2],
    /// Ringing after an edge.
    pub ringing: Ringing,
    /// In the acknowledge slot several drive: so much more of the swing.
    pub acknowledge: f64,
}

impl Default for Shape {
    /// A sound bus with its two terminators: 2.5 V, and 3.5 against 1.5 V.
    fn default() -> Self {
        Self {
            recessive: [2.5, 2.5],
            dominant: [3.5, 1.5],
            edges: [25e-9, 35e-9],
            ringing: Ringing::NONE,
            acknowledge: 0.15,
        }
    }
}

/// A line that goes to and fro: voltage at any time, one edge after the other.
struct Line {
    /// Level before the last edge as it had come to be, level after it, time of the edge, constant.
    from: f64,
    to: f64,
    at: f64,
    constant: f64,
}

impl Line {
    fn volts(&self, t: f64, ringing: Ringing) -> f64 {
        let since = t - self.at;
        let settled = self.to + (self.from - self.to) * (-since / self.constant).exp();
        let Ringing { share, hertz, decay_s } = ringing;
        if share == 0.0 {
            return settled;
        }
        let swing = (std::f64::consts::TAU * hertz * since).sin() * (-since / decay_s).exp();
        settled + share * (self.to - self.from) * swing
    }
}

/// The lines go to other levels.
struct Turn {
    at: f64,
    to: [f64; 2],
    constant: f64,
    ringing: Ringing,
}

/// One sender's bits from a time on.
#[derive(Debug, Clone)]
pub struct Sent {
    /// Its bits.
    pub bits: Vec<Bit>,
    /// When its first bit begins, seconds.
    pub at: f64,
    /// What it makes of the lines.
    pub shape: Shape,
    /// How much faster than nominal its clock is, as a share.
    pub clock: f64,
}

impl Sent {
    /// When its last bit ends, seconds.
    pub fn end(&self, rates: &Rates) -> f64 {
        self.starts(rates).1
    }

    /// When each bit begins, and the last one ends.
    pub fn starts(&self, rates: &Rates) -> (Vec<f64>, f64) {
        let mut t = self.at;
        let mut starts = Vec::with_capacity(self.bits.len());
        let mut before = false;
        for (k, bit) in self.bits.iter().enumerate() {
            starts.push(t);
            let after = self.bits.get(k + 1).is_some_and(|b| b.fast);
            t += rates.seconds(*bit, before, after) / (1.0 + self.clock);
            before = bit.fast;
        }
        (starts, t)
    }
}

/// Draws what is sent, one after the other, sampled every `step_s` seconds up to `seconds`.
pub fn draw(sent: &[Sent], rates: &Rates, resting: &Shape, step_s: f64, seconds: f64) -> Trace {
    let samples = (seconds / step_s).ceil() as usize;
    let line = |v: f64| Line { from: v, to: v, at: f64::NEG_INFINITY, constant: resting.edges[1] };
    let mut now = [line(resting.recessive[0]), line(resting.recessive[1])];
    let mut volts = [Vec::with_capacity(samples), Vec::with_capacity(samples)];
    let mut edges: Vec<Turn> = Vec::new();
    for one in sent {
        let (starts, end) = one.starts(rates);
        let mut was: Option<[f64; 2]> = None;
        let mut goes = |t: f64, to: [f64; 2], dominant: bool| {
            if was != Some(to) {
                let constant = one.shape.edges[usize::from(!dominant)];
                edges.push(Turn { at: t, to, constant, ringing: one.shape.ringing });
                was = Some(to);
            }
        };
        for (bit, t) in one.bits.iter().zip(starts) {
            let to = match (bit.dominant, bit.field) {
                (false, _) => one.shape.recessive,
                (true, Field::Acknowledge) => {
                    let more = |k: usize| {
                        let (r, d) = (one.shape.recessive[k], one.shape.dominant[k]);
                        r + (d - r) * (1.0 + one.shape.acknowledge)
                    };
                    [more(0), more(1)]
                }
                (true, _) => one.shape.dominant,
            };
            goes(t, to, bit.dominant);
        }
        goes(end, resting.recessive, false);
    }
    let mut next = edges.into_iter().peekable();
    let mut ringing = resting.ringing;
    for k in 0..samples {
        let t = k as f64 * step_s;
        while let Some(turn) = next.next_if(|e| e.at <= t) {
            let Turn { at, to, constant, .. } = turn;
            for (line, to) in now.iter_mut().zip(to) {
                let from = if line.at.is_finite() { line.volts(at, ringing) } else { line.from };
                *line = Line { from, to, at, constant };
            }
            ringing = turn.ringing;
        }
        for (line, volts) in now.iter().zip(&mut volts) {
            let v = if line.at.is_finite() { line.volts(t, ringing) } else { line.from };
            volts.push(v as f32);
        }
    }
    let [high, low] = volts;
    let channel = |name: &str, volts| Channel { name: name.to_owned(), volts };
    Trace {
        start_s: 0.0,
        step_s,
        channels: vec![channel("CAN high", high), channel("CAN low", low)],
    }
}
