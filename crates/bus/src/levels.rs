//! The two levels a line rests at, found robustly: noise, ringing and a bus that is idle nearly all the
//! time must not move them.

/// Samples that are looked at, at most; of a longer line every so many.
const LOOKED_AT: usize = 1 << 20;
/// Bins of the histogram.
const BINS: usize = 256;
/// A second level lies at least this share of the line's span away from the first.
const APART: f64 = 0.3;
/// Share of the samples that a level holds at least: one short frame in a second of silence.
const HELD: f64 = 2e-5;
/// Share of samples at either end that glitches may fill.
const OUTLIERS: f64 = 1e-5;

/// Two levels of a line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Levels {
    /// The one it is at more of the time, volts.
    pub rest: f64,
    /// The other one, volts.
    pub other: f64,
}

impl Levels {
    /// Half way between them, volts.
    pub fn middle(&self) -> f64 {
        0.5 * (self.rest + self.other)
    }

    /// How far they lie apart, volts.
    pub fn swing(&self) -> f64 {
        (self.other - self.rest).abs()
    }
}

/// Median of some numbers; none of none.
pub(crate) fn median(mut all: Vec<f64>) -> Option<f64> {
    let middle = all.len() / 2;
    (!all.is_empty()).then(|| *all.select_nth_unstable_by(middle, f64::total_cmp).1)
}

/// The levels of a line whose value at a sample is told; none where it stays at one level (`least` volts
/// and more apart are two).
pub fn levels(len: usize, least: f64, value: impl Fn(usize) -> f32) -> Option<Levels> {
    let stride = len.div_ceil(LOOKED_AT).max(1);
    let mut seen: Vec<f32> =
        (0..len).step_by(stride).map(value).filter(|v| v.is_finite()).collect();
    if seen.len() < 8 {
        return None;
    }
    let cut = (seen.len() as f64 * OUTLIERS) as usize;
    let last = seen.len() - 1;
    let low = f64::from(*seen.select_nth_unstable_by(cut, f32::total_cmp).1);
    let high = f64::from(*seen.select_nth_unstable_by(last - cut, f32::total_cmp).1);
    if high - low < least {
        return None;
    }
    let width = (high - low) / BINS as f64;
    let mut bins = [0u32; BINS];
    for v in &seen {
        let bin = ((f64::from(*v) - low) / width).clamp(0.0, BINS as f64 - 1.0);
        bins[bin as usize] += 1;
    }
    // A level is a hill a few bins wide.
    let hill = |k: usize| -> u32 { bins[k.saturating_sub(2)..(k + 3).min(BINS)].iter().sum() };
    let highest = |range: &mut dyn Iterator<Item = usize>| range.max_by_key(|k| hill(*k));
    let first = highest(&mut (0..BINS))?;
    let apart = (APART * BINS as f64) as usize;
    let second = highest(&mut (0..BINS).filter(|k| k.abs_diff(first) >= apart))?;
    if f64::from(hill(second)) < HELD * seen.len() as f64 {
        return None;
    }
    // The middle of the hill, weighed.
    let middle = |k: usize| {
        let range = k.saturating_sub(4)..(k + 5).min(BINS);
        let sum: f64 = range.clone().map(|k| f64::from(bins[k])).sum();
        let at: f64 = range.map(|k| f64::from(bins[k]) * (k as f64 + 0.5)).sum();
        low + width * at / sum.max(1.0)
    };
    Some(Levels { rest: middle(first), other: middle(second) })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_short_frame_in_a_long_silence_has_two_levels() {
        // 2.5 V with 20 mV of ripple; 60 samples in a million at 3.5 V.
        let line = |k: usize| {
            let ripple = 0.02 * ((k % 7) as f32 - 3.0) / 3.0;
            if (500_000..500_060).contains(&k) { 3.5 + ripple } else { 2.5 + ripple }
        };
        let found = levels(1_000_000, 0.2, line).unwrap();
        assert!((found.rest - 2.5).abs() < 0.03 && (found.other - 3.5).abs() < 0.03, "{found:?}");
        assert!((found.middle() - 3.0).abs() < 0.03);
    }

    #[test]
    fn a_line_that_stays_has_one() {
        assert_eq!(levels(10_000, 0.2, |k| 2.5 + 0.01 * (k % 3) as f32), None);
        assert_eq!(levels(0, 0.2, |_| 0.0), None);
        assert_eq!(levels(1000, 0.2, |_| f32::NAN), None);
    }
}
