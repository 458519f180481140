//! Rates read while something turns (N33): four wheels that roll. Nobody holds a speed to the per cent, so how
//! fast it really turned is left open about what the state says, the same for all of them: what one counts
//! tells how fast, and the others have to agree.

use super::signal::{STEP, WRONG};
use super::together::LiveReading;
use crate::counted::{Counted, Which, rate};
use crate::model::{HypIx, Model, ModelError};
use circuit::Change;
use rayon::prelude::*;
use vehicle::{OperatingState, PartIx, SignalIx, SignalSource, TiVec, Vehicle};

/// How far the real speed lies from what the state says, one standard deviation as a share, and how far it is
/// looked for either way, with the steps.
const HELD: f64 = 0.12;
const FURTHEST: f64 = 0.5;
const STEPS: usize = 400;
/// Standard deviation of a rate that was read a moment before or after the others, as a share, and of what is
/// counted, hertz; beside what tyres differ.
const MOMENT: f64 = 0.008;
const TYRES: f64 = 0.004;
const FLOOR_HERTZ: f64 = 0.3;
/// Range of a rate that follows nothing, hertz.
pub(crate) const SPAN_HERTZ: f64 = 1000.0;

/// Rates that were read together.
#[derive(Debug)]
pub(crate) struct Rolling {
    read: Vec<(SignalIx, PartIx, f64)>,
}

/// What turns the ring that a signal counts.
pub(crate) fn turned_by<'v>(v: &'v Vehicle, signal: &vehicle::Signal) -> Option<&'v str> {
    let SignalSource::Rate { ring, .. } = &signal.from else { return None };
    let part = v.parts.iter().find(|p| p.id == *ring)?;
    part.elements.iter().find_map(|e| e.turns()).map(|t| t.stimulus)
}

/// Standard deviation of a rate about what is predicted, hertz.
pub(crate) fn sigma(predicted: f64, sound: f64) -> f64 {
    FLOOR_HERTZ.hypot(MOMENT.hypot(TYRES) * predicted).hypot(STEP * (predicted - sound))
}

impl Rolling {
    /// Reads a finding; none where it tells of no rate.
    ///
    /// # Errors
    /// [`ModelError::Unknown`] for signals that are none, for rates beside other values, for rings that
    /// different things turn, and where nothing turns.
    pub(super) fn new(
        model: &Model,
        state: &OperatingState,
        values: &[LiveReading],
    ) -> Result<Option<Self>, ModelError> {
        let v = &model.circuit.vehicle;
        let unknown = |what, id: &str| ModelError::Unknown { what, id: id.to_owned() };
        let (mut read, mut turned) = (Vec::new(), Vec::new());
        for LiveReading { signal, value } in values {
            let number = v.signals.position(|s| s.id == *signal);
            let number = number.ok_or_else(|| unknown("signal", signal))?;
            let of = &v.signals[number];
            turned.push(turned_by(v, of));
            read.push((number, super::part(model, &of.module)?, *value));
        }
        let Some(Some(first)) = turned.first() else {
            return match turned.iter().all(Option::is_none) {
                true => Ok(None),
                false => Err(unknown("rate that goes with values of another kind", "")),
            };
        };
        if turned.iter().any(|t| *t != Some(*first)) {
            return Err(unknown("value that is counted of the same as", first));
        }
        if model.circuit.teeth_on(state).is_none() {
            return Err(unknown("state in which something turns, as told for", first));
        }
        Ok(Some(Self { read }))
    }

    /// Log-likelihood of the rates, given what is predicted at the speed of the state; none of a module that
    /// does not work.
    fn score(&self, sound: &[f64], predicted: &[Option<f64>]) -> f64 {
        let out_of_place = WRONG / SPAN_HERTZ;
        let mut sum = 0.0;
        let mut weight = 0.0;
        for k in 0..STEPS {
            let by = FURTHEST * ((2 * k + 1) as f64 / STEPS as f64 - 1.0);
            let prior = (-0.5 * (by / HELD).powi(2)).exp();
            let one =
                |((_, _, value), (sound, predicted)): (&(_, _, f64), (&f64, &Option<f64>))| {
                    predicted.map_or(out_of_place, |p| {
                        let (sound, p) = (sound * (1.0 + by), p * (1.0 + by));
                        let sigma = sigma(p, sound);
                        let z = (value - p) / sigma;
                        let close =
                            (-0.5 * z * z).exp() / (sigma * (2.0 * std::f64::consts::PI).sqrt());
                        (1.0 - WRONG) * close + out_of_place
                    })
                };
            sum +=
                prior * self.read.iter().zip(sound.iter().zip(predicted)).map(one).product::<f64>();
            weight += prior;
        }
        (sum / weight).ln()
    }

    /// If they could be anything.
    pub(super) fn any(&self) -> f64 {
        -(self.read.len() as f64) * SPAN_HERTZ.ln()
    }

    /// Log-likelihood under every hypothesis, and with nothing wrong.
    pub(super) fn all(&self, model: &Model, state: &OperatingState) -> (TiVec<HypIx, f64>, f64) {
        let c = &model.circuit;
        let nothing = || (vec![0.0; model.faults.len()].into(), 0.0);
        let Some(counted) = Counted::of(model, state, Which::All) else { return nothing() };
        let p = model.predict_all(state);
        let sound: Vec<f64> = self.read.iter().map(|(k, ..)| counted.sound(c, *k)).collect();
        let as_ever: Vec<Option<f64>> = sound.iter().copied().map(Some).collect();
        let away = self.score(&sound, &as_ever);
        let of = |h: usize| {
            let h = HypIx::from(h);
            let Some(s) = p.fault(h) else { return away };
            let one = |(k, module, _): &(SignalIx, PartIx, f64)| {
                s.alive(*module).then(|| counted.under(c, *k, h)).flatten()
            };
            let predicted: Vec<Option<f64>> = self.read.iter().map(one).collect();
            if predicted == as_ever { away } else { self.score(&sound, &predicted) }
        };
        let there: Vec<f64> = (0..model.faults.len()).into_par_iter().map(of).collect();
        (there.into(), away)
    }

    /// Log-likelihood under changes.
    pub(super) fn under(&self, model: &Model, state: &OperatingState, changes: &[Change]) -> f64 {
        let c = &model.circuit;
        let Some(counted) = Counted::of(model, state, Which::Sound) else { return 0.0 };
        let sound: Vec<f64> = self.read.iter().map(|(k, ..)| counted.sound(c, *k)).collect();
        let [now, on] = [state, &counted.state_on].map(|s| model.snapshot(s, changes));
        let one = |(k, module, _): &(SignalIx, PartIx, f64)| {
            now.alive(*module).then(|| rate(c, *k, &now, &on))
        };
        self.score(&sound, &self.read.iter().map(one).collect::<Vec<_>>())
    }
}
