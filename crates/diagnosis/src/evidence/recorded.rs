//! A meter left on with its lowest and highest value held, while whatever may bring the fault about is
//! done: moved, heated, loaded, driven.
//!
//! What comes and goes shows as two values far apart, the sound one and that with the fault there; what is
//! steady, and what was not there at all, as two that are next to each other.

use super::reading::{self, Expected, Unsure, normal};
use super::{BAD_PROBE, Likelihood};
use crate::model::ModelError;
use circuit::{Fault, Probe};

/// Chance that a fault that comes and goes does both while it is recorded.
pub(crate) const CAUGHT: f64 = 0.85;
/// Chance that it is there all the time.
const THERE_ALL_ALONG: f64 = 0.05;
/// Chance that a lead lost its point for a moment, which shows as a value next to nothing.
const LOST: f64 = 0.02;
/// Chance of any two values whatever: knocked leads, a starter, an ignition spark.
const ANYTHING: f64 = 0.002;
/// What a sound vehicle swings meanwhile, as a share: batteries tire, motors warm up.
const SWING: f64 = 0.015;

/// A recording in its state.
pub(super) struct Recording {
    probe: Probe,
    low: f64,
    high: f64,
}

impl Recording {
    /// Of two values in any order.
    pub(super) fn new(probe: Probe, values: [f64; 2]) -> Result<Self, ModelError> {
        // What the circuit itself drives; an ohmmeter holds nothing that comes and goes.
        let held = probe.instrument.leaves_alone();
        if !held || values.iter().any(|v| !v.is_finite()) {
            return Err(ModelError::NotRecorded(probe.instrument.name()));
        }
        let [low, high] = [values[0].min(values[1]), values[0].max(values[1])];
        Ok(Self { probe, low, high })
    }

    pub(super) fn probe(&self) -> &Probe {
        &self.probe
    }

    fn middle(&self) -> f64 {
        0.5 * (self.low + self.high)
    }

    /// Density of the swing of what stays where it is.
    fn still(&self) -> f64 {
        let sigma = self.probe.instrument.sigma(self.middle()).hypot(SWING * self.middle());
        2.0 * normal(self.high - self.low, sigma)
    }

    /// Density with all of it at one value.
    fn held(&self, (value, sigma): (f64, f64)) -> f64 {
        normal(self.middle() - value, sigma) * self.still()
    }

    /// Density with it at one value and at another.
    fn went(&self, a: (f64, f64), b: (f64, f64)) -> f64 {
        let (low, high) = if a.0 <= b.0 { (a, b) } else { (b, a) };
        normal(self.low - low.0, low.1) * normal(self.high - high.0, high.1)
    }

    /// With leads that may have slipped.
    fn slip(&self, close: f64, value: (f64, f64)) -> f64 {
        let i = self.probe.instrument;
        let (near, far) = match self.low.abs() < self.high.abs() {
            true => (self.low, self.high),
            false => (self.high, self.low),
        };
        let lost = LOST * i.slipped(near) * normal(far - value.0, value.1);
        let slipped = BAD_PROBE * i.slipped(self.middle()) * self.still();
        let anything = ANYTHING * i.any(self.low) * i.any(self.high);
        ((1.0 - BAD_PROBE - LOST - ANYTHING) * close + lost + slipped + anything).ln()
    }

    /// Log-likelihood with what is steadily there reading a value.
    fn steady(&self, value: (f64, f64)) -> f64 {
        self.slip(self.held(value), value)
    }

    /// Log-likelihood with what comes and goes making it one value, and another while it is away.
    fn wavering(&self, there: (f64, f64), away: (f64, f64)) -> f64 {
        let missed = 1.0 - CAUGHT - THERE_ALL_ALONG;
        let close = CAUGHT * self.went(there, away)
            + missed * self.held(away)
            + THERE_ALL_ALONG * self.held(there);
        self.slip(close, away)
    }

    /// Log-likelihood under every hypothesis.
    pub(super) fn all(&self, expected: &Expected) -> Likelihood {
        let sound = (expected.healthy, expected.sigma);
        let away = self.steady(sound);
        let i = self.probe.instrument;
        let any = 0.5 * i.any(self.middle()) * self.still();
        let both = |x: &(f64, f64)| match *x == sound {
            // Most faults leave most readings alone.
            true => (away, away),
            false => (self.steady(*x), self.wavering(*x, sound)),
        };
        let (there, wavering) = expected.faults.iter().map(both).unzip();
        let any = any + 0.5 * i.any(self.low) * i.any(self.high);
        let elsewhere = super::unforeseen(away, any.ln());
        Likelihood { there, away, elsewhere, wavering: Some(wavering), read: None }
    }

    /// Log-likelihood under steady faults at once that read a value.
    pub(super) fn under(&self, expected: &Expected, faults: &[&Fault], value: f64) -> f64 {
        let share = faults.iter().map(|f| crate::grids::share_of(f)).fold(0.0, f64::max);
        let (healthy, tolerance) = (expected.healthy, expected.tolerance);
        let unsure = Unsure::alone(share);
        let sigma = reading::sigma(self.probe.instrument, value, healthy, tolerance, unsure);
        self.steady((value, sigma))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn recording(a: f64, b: f64) -> Recording {
        Recording::new(Probe::volts("A", "B"), [a, b]).unwrap()
    }

    #[test]
    fn two_values_far_apart_are_no_steady_fault() {
        let (sound, faulty) = ((12.3, 0.06), (5.0, 0.05));
        let both = recording(5.02, 12.31);
        assert!(both.wavering(faulty, sound) > both.steady(sound) + 5.0);
        assert!(both.wavering(faulty, sound) > both.steady(faulty) + 5.0);
        let still = recording(12.28, 12.31);
        // It may have stayed away: one in ten.
        let missed = still.wavering(faulty, sound) - still.steady(sound);
        assert!((missed - 0.1f64.ln()).abs() < 0.1, "{missed}");
    }

    #[test]
    fn what_cannot_be_held_is_refused() {
        let ohms =
            Probe { instrument: circuit::Instrument::Ohms, red: "A".into(), black: "B".into() };
        assert!(Recording::new(ohms, [1.0, 2.0]).is_err());
        assert!(Recording::new(Probe::volts("A", "B"), [1.0, f64::INFINITY]).is_err());
    }

    proptest! {
        #[test]
        fn any_two_values_weigh_something_in_any_order(
            a in -20.0..20.0f64, b in -20.0..20.0f64, there in -20.0..20.0f64, away in -20.0..20.0f64,
        ) {
            let weigh = |r: Recording| [r.steady((there, 0.1)), r.wavering((there, 0.1), (away, 0.1))];
            let one = weigh(recording(a, b));
            prop_assert_eq!(one, weigh(recording(b, a)));
            prop_assert!(one.iter().all(|l| l.is_finite()), "{:?}", one);
        }
    }
}
