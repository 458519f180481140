//! What a probe and eight bits add.

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// Noise of a passive probe beside a running vehicle, one standard deviation, volts.
const NOISE: f32 = 0.015;
/// Steps of a converter with eight bits over the range that holds the signal.
const STEPS: f32 = 256.0;
/// Least range, volts.
const RANGE: f32 = 5.0;

/// Adds noise and rounds to the converter's steps.
pub(super) fn add(volts: &mut [f32], seed: u64) {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let least = volts.iter().copied().fold(f32::INFINITY, f32::min);
    let most = volts.iter().copied().fold(f32::NEG_INFINITY, f32::max);
    let range = if (most - least).is_finite() { (1.25 * (most - least)).max(RANGE) } else { RANGE };
    let step = range / STEPS;
    for v in volts {
        // The sum of four evenly spread numbers is near enough to a normal one.
        let sum: f32 = (0..4).map(|_| rng.random::<f32>() - 0.5).sum();
        *v = ((*v + NOISE * sum * 1.732) / step).round() * step;
    }
}
