//! Chances of a check's outcomes.

use crate::words;
use circuit::Instrument;
use statrs::function::erf::erf;
use std::sync::OnceLock;

/// A check's outcomes in words; those of a reading are put together only when someone asks.
#[derive(Debug, Clone)]
pub(super) enum Words {
    /// As they are.
    Given(Vec<String>),
    /// Ranges between edges, and perhaps over limit.
    Ranges { instrument: Instrument, edges: Vec<f64>, over: bool },
    /// What is recorded: stays in a range, or goes there and back.
    Held(Box<Words>),
}

impl Words {
    pub(super) fn of<const N: usize>(words: [&str; N]) -> Self {
        Self::Given(words.map(str::to_owned).to_vec())
    }

    pub(super) fn len(&self) -> usize {
        match self {
            Self::Given(words) => words.len(),
            Self::Ranges { edges, over, .. } => edges.len() + 1 + usize::from(*over),
            Self::Held(ranges) => 2 * ranges.len(),
        }
    }

    pub(super) fn list(&self) -> Vec<String> {
        match self {
            Self::Given(words) => words.clone(),
            Self::Ranges { instrument, edges, over } => {
                let mut words = range_words(*instrument, edges);
                words.extend(over.then(|| words::value(*instrument, f64::INFINITY)));
                words
            }
            Self::Held(ranges) => {
                let words = ranges.list();
                let stays = words.iter().map(|w| format!("stays {w}"));
                stays.chain(words.iter().map(|w| format!("goes {w} and back"))).collect()
            }
        }
    }
}

pub(super) fn range_words(instrument: Instrument, edges: &[f64]) -> Vec<String> {
    let text = |v: f64| words::value(instrument, v);
    let mut out = Vec::new();
    for k in 0..=edges.len() {
        out.push(match (k.checked_sub(1).map(|i| edges[i]), edges.get(k)) {
            (None, Some(high)) => format!("below {}", text(*high)),
            (Some(low), None) => format!("above {}", text(low)),
            (Some(low), Some(high)) => words::range(instrument, low, *high),
            (None, None) => "any".to_owned(),
        });
    }
    out
}

/// Chance of each outcome under each explanation, and the outcomes in words.
#[derive(Debug, Clone)]
pub(in crate::next) struct Table {
    /// Chance of each outcome, one explanation after the other.
    pub(super) chances: Vec<f64>,
    pub(super) words: Words,
}

impl Table {
    /// The likeliest outcome of each explanation.
    pub(in crate::next) fn likeliest(&self) -> Vec<u8> {
        let rows = self.chances.chunks_exact(self.words.len());
        rows.map(|row| {
            let better = |best: usize, k: usize| if row[k] >= row[best] { k } else { best };
            (1..row.len()).fold(0, better) as u8
        })
        .collect()
    }
}

/// Steps of the table of [`phi`] for each standard deviation, and how many of these it covers.
const STEPS: usize = 256;
const FAR: usize = 6;

/// Standard normal distribution function to a millionth: between the entries of a table.
pub(super) fn phi(z: f64) -> f64 {
    static TABLE: OnceLock<Vec<f64>> = OnceLock::new();
    let far = FAR as f64;
    if z <= -far || z >= far {
        return f64::from(u8::from(z > 0.0));
    }
    let table = TABLE.get_or_init(|| {
        let at = |k: usize| k as f64 / STEPS as f64 - far;
        let exact = |k| 0.5 * (1.0 + erf(at(k) / std::f64::consts::SQRT_2));
        (0..=2 * FAR * STEPS + 1).map(exact).collect()
    });
    let x = (z + far) * STEPS as f64;
    let k = x as usize;
    table[k] + (x - k as f64) * (table[k + 1] - table[k])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_normal_distribution_is_right_to_a_millionth() {
        // Tabulated values: 0.5, 0.841344746, 0.977249868, 0.998650102.
        for (z, exact) in
            [(0.0, 0.5), (1.0, 0.841_344_746), (-1.0, 0.158_655_254), (2.0, 0.977_249_868)]
        {
            assert!((phi(z) - exact).abs() < 1e-6, "{z}: {}", phi(z));
        }
        assert!((phi(0.123_4) - 0.549_105).abs() < 2e-6, "{}", phi(0.123_4));
        assert_eq!((phi(-9.0), phi(9.0), phi(f64::INFINITY)), (0.0, 1.0, 1.0));
    }
}
