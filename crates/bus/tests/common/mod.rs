//! Traffic to draw, and what real probes and instruments do to it.
#![allow(missing_docs, dead_code, clippy::unwrap_used)]

use bus::can::bits::bits;
use bus::can::wave::{Rates, Sent, Shape, draw};
use bus::{Fd, Frame, Id, Trace};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// Recessive bits between two frames beside the intermission, at least.
const PAUSE_BITS: f64 = 4.0;

pub fn id(rng: &mut ChaCha8Rng) -> Id {
    match rng.random() {
        true => Id::Standard(rng.random_range(0..0x800)),
        false => Id::Extended(rng.random_range(0..0x2000_0000)),
    }
}

pub fn classic(rng: &mut ChaCha8Rng) -> Frame {
    let id = id(rng);
    if rng.random_range(0..20) == 0 {
        return Frame { id, remote: true, fd: None, dlc: rng.random_range(0..9), data: vec![] };
    }
    let len = rng.random_range(0..9);
    // Long runs of one kind are what stuffing is about.
    let data: Vec<u8> = match rng.random_range(0..4) {
        0 => vec![0x00; len],
        1 => vec![0xFF; len],
        _ => (0..len).map(|_| rng.random()).collect(),
    };
    Frame::classic(id, &data)
}

pub fn flexible(rng: &mut ChaCha8Rng) -> Frame {
    let fd = Fd { switched: rng.random_range(0..4) > 0, passive: rng.random_range(0..6) == 0 };
    let len = rng.random_range(0..65);
    let fill: u8 = rng.random();
    let data: Vec<u8> = match rng.random_range(0..3) {
        0 => vec![fill; len],
        _ => (0..len).map(|_| rng.random()).collect(),
    };
    Frame::flexible(id(rng), fd, &data)
}

/// What the way from the sender to the file does.
#[derive(Debug, Clone)]
pub struct Way {
    pub rates: Rates,
    /// Samples of a nominal bit.
    pub samples: f64,
    /// Clock error of every sender, as a share, either way.
    pub clock: f64,
    /// Standard deviation of the noise of each line, volts, and of both together.
    pub noise: f64,
    pub common: f64,
    /// Steps of the instrument, volts; 0: none.
    pub step: f64,
    /// It shows nothing beyond these, volts.
    pub clip: (f64, f64),
    pub shape: Shape,
}

impl Way {
    pub fn plain(rate: f64, samples: f64) -> Self {
        Self {
            rates: Rates::classic(rate),
            samples,
            clock: 0.0,
            noise: 0.0,
            common: 0.0,
            step: 0.0,
            clip: (-100.0, 100.0),
            shape: Shape { edges: [0.02 / rate, 0.04 / rate], ..Shape::default() },
        }
    }

    /// The lines while frames are sent one after the other.
    pub fn trace(&self, frames: &[Frame], rng: &mut ChaCha8Rng) -> Trace {
        let bit = 1.0 / self.rates.nominal;
        let mut at = 15.0 * bit;
        let sent: Vec<Sent> = frames
            .iter()
            .map(|f| {
                let clock = self.clock * (2.0 * rng.random::<f64>() - 1.0);
                let one = Sent { bits: bits(f, true), at, shape: self.shape, clock };
                at = one.end(&self.rates) + bit * (PAUSE_BITS + 20.0 * rng.random::<f64>());
                one
            })
            .collect();
        let step = bit / self.samples;
        let mut trace = draw(&sent, &self.rates, &self.shape, step, at + 15.0 * bit);
        let gauss =
            |rng: &mut ChaCha8Rng| (0..6).map(|_| rng.random::<f64>()).sum::<f64>() * 1.414 - 4.243;
        for k in 0..trace.len() {
            let common = self.common * gauss(rng);
            for c in &mut trace.channels {
                let v = f64::from(c.volts[k]) + common + self.noise * gauss(rng);
                let v = if self.step > 0.0 { (v / self.step).round() * self.step } else { v };
                c.volts[k] = v.clamp(self.clip.0, self.clip.1) as f32;
            }
        }
        trace
    }
}

pub fn rng(seed: u64) -> ChaCha8Rng {
    ChaCha8Rng::seed_from_u64(seed)
}
