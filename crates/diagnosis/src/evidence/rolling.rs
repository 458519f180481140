//! Rates read while something turns (N33): four wheels that roll. Nobody holds a speed to the per cent, so how
//! fast it really turned is left open about what the state says, the same for all of them: what one counts
//! tells how fast, and the others have to agree.

use super::at_once::AtOnce;
use super::signal::{STEP, WRONG, density};
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
/// counted, hertz; beside what sound vehicles scatter.
const MOMENT: f64 = 0.008;
const FLOOR_HERTZ: f64 = 0.3;
/// Range of a rate that follows nothing, hertz.
pub(crate) const SPAN_HERTZ: f64 = 1000.0;

/// Rates that were read together.
#[derive(Debug)]
pub(crate) struct Rolling {
    read: Vec<Read>,
}

#[derive(Debug)]
struct Read {
    signal: SignalIx,
    module: PartIx,
    value: f64,
    /// What a sound vehicle counts at the speed of the state, hertz, and how far sound vehicles scatter about
    /// it, a share.
    sound: f64,
    tolerance: f64,
}

/// What turns the ring that a signal counts.
pub(crate) fn turned_by<'v>(v: &'v Vehicle, signal: &vehicle::Signal) -> Option<&'v str> {
    let SignalSource::Rate { ring, .. } = &signal.from else { return None };
    let part = v.parts.iter().find(|p| p.id == *ring)?;
    part.elements.iter().find_map(|e| e.turns()).map(|t| t.stimulus)
}

/// Standard deviation of a rate about what is predicted, hertz, where sound vehicles scatter by a share.
pub(crate) fn sigma(predicted: f64, sound: f64, tolerance: f64) -> f64 {
    FLOOR_HERTZ.hypot(MOMENT.hypot(tolerance) * predicted).hypot(STEP * (predicted - sound))
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
            let module = super::part(model, &of.module)?;
            read.push(Read { signal: number, module, value: *value, sound: 0.0, tolerance: 0.0 });
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
        let Some(counted) = Counted::of(model, state, Which::Sound) else {
            return Err(unknown("state in which something turns, as told for", first));
        };
        for r in &mut read {
            r.sound = counted.sound(&model.circuit, r.signal);
            r.tolerance = counted.tolerance(model, state, r.signal);
        }
        Ok(Some(Self { read }))
    }

    /// Log-likelihood of the rates, given what is predicted at the speed of the state; none of a module that
    /// does not work.
    fn score(&self, predicted: &[Option<f64>]) -> f64 {
        let out_of_place = WRONG / SPAN_HERTZ;
        let mut sum = 0.0;
        let mut weight = 0.0;
        for k in 0..STEPS {
            let by = FURTHEST * ((2 * k + 1) as f64 / STEPS as f64 - 1.0);
            let prior = (-0.5 * (by / HELD).powi(2)).exp();
            let faster = 1.0 + by;
            let one = |(r, predicted): (&Read, &Option<f64>)| {
                predicted.map_or(out_of_place, |p| {
                    let p = faster * p;
                    let sigma = sigma(p, faster * r.sound, r.tolerance);
                    density(r.value, p, sigma, out_of_place)
                })
            };
            sum += prior * self.read.iter().zip(predicted).map(one).product::<f64>();
            weight += prior;
        }
        (sum / weight).ln()
    }
}

impl AtOnce for Rolling {
    fn any(&self) -> f64 {
        -(self.read.len() as f64) * SPAN_HERTZ.ln()
    }

    fn all(&self, model: &Model, state: &OperatingState) -> (TiVec<HypIx, f64>, f64) {
        let c = &model.circuit;
        let nothing = || (vec![0.0; model.faults.len()].into(), 0.0);
        let Some(counted) = Counted::of(model, state, Which::All) else { return nothing() };
        let p = model.predict_all(state);
        let as_ever: Vec<Option<f64>> = self.read.iter().map(|r| Some(r.sound)).collect();
        let away = self.score(&as_ever);
        let of = |h: usize| {
            let h = HypIx::from(h);
            let Some(s) = p.fault(h) else { return away };
            let one = |r: &Read| s.alive(r.module).then(|| counted.under(c, r.signal, h)).flatten();
            let predicted: Vec<Option<f64>> = self.read.iter().map(one).collect();
            if predicted == as_ever { away } else { self.score(&predicted) }
        };
        let there: Vec<f64> = (0..model.faults.len()).into_par_iter().map(of).collect();
        (there.into(), away)
    }

    fn under(&self, model: &Model, state: &OperatingState, changes: &[Change]) -> f64 {
        let c = &model.circuit;
        let Some(on) = c.teeth_on(state) else { return 0.0 };
        let [now, on] = [state, &on].map(|s| model.snapshot(s, changes));
        let one = |r: &Read| now.alive(r.module).then(|| rate(c, r.signal, &now, &on));
        self.score(&self.read.iter().map(one).collect::<Vec<_>>())
    }
}
