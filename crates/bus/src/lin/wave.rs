//! LIN frames as a voltage.

use super::frame::{Sum, checksum, protected};
use crate::trace::{Channel, Trace};

/// A frame to draw: what the master sends, and what a slave answers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Slot {
    /// Identifier, six bits.
    pub id: u8,
    /// The answer's data with the kind of its check sum; none where nobody answers.
    pub answer: Option<(Vec<u8>, Sum)>,
}

/// Levels and times of a line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shape {
    /// Recessive level, volts.
    pub recessive: f64,
    /// Dominant level, volts.
    pub dominant: f64,
    /// Time constant of the way up, seconds, and down.
    pub edges: [f64; 2],
    /// Dominant bits of the break.
    pub break_bits: f64,
    /// Bits between identifier and answer.
    pub pause_bits: f64,
    /// How much faster the slave's clock is, as a share.
    pub slave_clock: f64,
}

impl Default for Shape {
    fn default() -> Self {
        Self {
            recessive: 12.2,
            dominant: 0.8,
            edges: [3e-6, 1.5e-6],
            break_bits: 14.0,
            pause_bits: 2.0,
            slave_clock: 0.0,
        }
    }
}

/// Draws slots one after the other, one every `slot_s` seconds.
pub fn draw(slots: &[Slot], bit_rate: f64, slot_s: f64, shape: &Shape, step_s: f64) -> Trace {
    draw_answered(slots, bit_rate, slot_s, shape, step_s, |_| shape.dominant)
}

/// The same with the dominant level of whoever answers, by the number of the slot, volts.
pub fn draw_answered(
    slots: &[Slot],
    bit_rate: f64,
    slot_s: f64,
    shape: &Shape,
    step_s: f64,
    answered: impl Fn(usize) -> f64,
) -> Trace {
    let bit = 1.0 / bit_rate;
    // Times at which the line goes to a level, and whether that is dominant.
    let mut turns: Vec<(f64, bool, f64)> = Vec::new();
    for (k, slot) in slots.iter().enumerate() {
        let mut t = 0.5 * slot_s + k as f64 * slot_s;
        turns.push((t, true, shape.dominant));
        t += shape.break_bits * bit;
        turns.push((t, false, shape.recessive));
        t += 1.5 * bit;
        let mut byte = |value: u8, t: &mut f64, bit: f64, dominant: f64| {
            let bits = [false].into_iter().chain((0..8).map(|k| value >> k & 1 != 0)).chain([true]);
            for one in bits {
                turns.push((*t, !one, if one { shape.recessive } else { dominant }));
                *t += bit;
            }
        };
        byte(0x55, &mut t, bit, shape.dominant);
        let pid = protected(slot.id);
        byte(pid, &mut t, bit, shape.dominant);
        if let Some((data, sum)) = &slot.answer {
            t += shape.pause_bits * bit;
            let bit = bit / (1.0 + shape.slave_clock);
            let own = answered(k);
            data.iter().for_each(|b| byte(*b, &mut t, bit, own));
            byte(checksum(*sum, pid, data), &mut t, bit, own);
        }
    }
    let samples = ((slots.len() + 1) as f64 * slot_s / step_s).ceil() as usize;
    let mut next = turns.into_iter().peekable();
    let (mut volts, mut v) = (Vec::with_capacity(samples), shape.recessive);
    let (mut dominant, mut to) = (false, shape.recessive);
    for k in 0..samples {
        while let Some((_, driven, level)) = next.next_if(|(t, ..)| *t <= k as f64 * step_s) {
            (dominant, to) = (driven, level);
        }
        let constant = shape.edges[usize::from(dominant)];
        v += (to - v) * (1.0 - (-step_s / constant).exp());
        volts.push(v as f32);
    }
    Trace { start_s: 0.0, step_s, channels: vec![Channel { name: "LIN".into(), volts }] }
}
