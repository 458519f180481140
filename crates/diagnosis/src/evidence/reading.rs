//! A meter reading: normal around the prediction, with the meter's accuracy, the
//! parts' tolerance and the hypothesis' own uncertainty, plus a small chance of a
//! probe that did not touch.

use super::BAD_PROBE;
use crate::model::{Model, ModelError, Predictions, Snapshot, high_ohmic, shown, slack};
use circuit::{Change, Instrument, Probe, Sweep, meter::Leads};
use vehicle::OperatingState;

/// What moves no voltage by more than this leaves a tool's reading alone, volts: a hundredth of an
/// ohm at an ohmmeter's milliampere.
const UNTOUCHED_VOLTS: f64 = 1e-5;
/// A point that a fault has left hanging moves by more than this, volts.
const HANGING_VOLTS: f64 = 0.1;

/// Prediction of a reading under the healthy vehicle and every hypothesis.
#[derive(Debug, Clone)]
pub struct Expected {
    /// Healthy value; infinite is over limit.
    pub healthy: f64,
    /// Scatter of sound vehicles together with the meter's accuracy, one standard deviation.
    pub sigma: f64,
    /// Scatter of sound vehicles alone, one standard deviation.
    pub tolerance: f64,
    /// Value and standard deviation per hypothesis.
    pub faults: Vec<(f64, f64)>,
}

/// Combined standard deviation of a reading that a hypothesis moves from `healthy` to `value`.
pub(crate) fn sigma(
    instrument: Instrument,
    value: f64,
    healthy: f64,
    tolerance: f64,
    slack: f64,
) -> f64 {
    if !value.is_finite() {
        return 1.0;
    }
    let own = if healthy.is_finite() { slack * (value - healthy) } else { slack * value };
    (instrument.sigma(value).powi(2) + tolerance.powi(2) + own.powi(2)).sqrt()
}

/// What a sound vehicle reads.
#[derive(Debug, Clone, Copy)]
pub struct Sound {
    /// Healthy value; infinite is over limit.
    pub healthy: f64,
    /// Scatter together with the meter's accuracy, one standard deviation.
    pub sigma: f64,
    tolerance: f64,
}

/// Predicts a reading on a sound vehicle alone.
///
/// # Errors
/// [`ModelError`] for points that do not exist.
pub fn sound(model: &Model, state: &OperatingState, probe: &Probe) -> Result<Sound, ModelError> {
    let c = &model.circuit;
    let leads = probe.leads(c)?;
    let p = model.predict(state);
    let instrument = probe.instrument;
    let healthy = read(model, state, &[], leads);
    let tolerance = match leads {
        Leads::Between(Instrument::Volts, a, b) => model.scatter(&p, state, |s| s.between(a, b)),
        Leads::Between(..) => model.tool_scatter(state, leads, healthy),
        Leads::Around(_) => model.scatter(&p, state, |s| shown(leads, c, s)),
    };
    let sigma = sigma(instrument, healthy, healthy, tolerance, 0.0);
    Ok(Sound { healthy, sigma, tolerance })
}

/// What a meter shows under any changes of the circuit, averaged over the phases of the state.
pub(crate) fn read(model: &Model, state: &OperatingState, changes: &[Change], leads: Leads) -> f64 {
    let c = &model.circuit;
    let p = model.predict(state);
    let all: Vec<Change> = changes.iter().copied().chain(leads.change()).collect();
    let nodes = leads.nodes(c);
    let shown = |sweep: &Sweep| leads.shown_at(&sweep.clone().solve_at(&all, &nodes)).value();
    let rest = shown(&p.sweep);
    match leads {
        Leads::Between(Instrument::Volts, a, b) => {
            let more = p.phases(c, state, (a, b)).map(|(share, s)| share * (shown(s) - rest));
            rest + more.sum::<f64>()
        }
        _ => rest,
    }
}

/// Predicts a reading; the meter's load is solved wherever it can matter.
///
/// # Errors
/// [`ModelError`] for points that do not exist.
pub fn expected(
    model: &Model,
    state: &OperatingState,
    probe: &Probe,
) -> Result<Expected, ModelError> {
    let c = &model.circuit;
    let leads = probe.leads(c)?;
    let p = model.predict_all(state);
    let instrument = probe.instrument;
    let Sound { healthy, sigma: own, tolerance } = sound(model, state, probe)?;
    let values: Vec<f64> = match leads {
        Leads::Around(_) => p.all().map(|s| shown(leads, c, s)).collect(),
        Leads::Between(Instrument::Volts, a, b) => volts(model, state, &p, leads, (a, b)),
        // Every other tool loads what it touches.
        Leads::Between(..) => {
            let reads = |p: circuit::Point<'_>| leads.shown_at(&p).value();
            let at = leads.nodes(c);
            // What changes nothing with the tool on shows what a sound vehicle shows.
            let with = c.solve(state, &[], leads.extra());
            let touches =
                |h: usize| !c.untouched_to(&with, &model.faults[h].changes, UNTOUCHED_VOLTS);
            model.sweep_all(&p.sweep, leads.change(), Some(&at), touches, healthy, reads)
        }
    };
    let faults = model
        .faults
        .iter()
        .zip(values)
        .map(|(f, value)| (value, sigma(instrument, value, healthy, tolerance, slack(f))))
        .collect();
    Ok(Expected { healthy, sigma: own, tolerance, faults })
}

/// A voltmeter's readings under every hypothesis, averaged over the phases of the state.
fn volts(
    model: &Model,
    state: &OperatingState,
    p: &Predictions,
    leads: Leads,
    (a, b): (usize, usize),
) -> Vec<f64> {
    let c = &model.circuit;
    let quick = |s: &Snapshot| s.between(a, b);
    let healthy = quick(&p.healthy);
    // The meter's ten megohms show only where a fault has left the point hanging by more than
    // some kilohms; one that leaves the point as it was leaves it as stiff as it was, too.
    let loads = |h: usize| {
        (high_ohmic(&model.faults[h].changes) || !state.unplugged.is_empty())
            && (p.fault(h).map_or(healthy, quick) - healthy).abs() > HANGING_VOLTS
    };
    let across = |p: circuit::Point<'_>| p.volts[a] - p.volts[b];
    let metered = model.sweep_all(&p.sweep, leads.change(), Some(&[a, b]), loads, f64::NAN, across);
    let mut values: Vec<f64> = metered
        .into_iter()
        .zip(p.all())
        .map(|(v, s)| if v.is_nan() { quick(s) } else { v })
        .collect();
    for (share, sweep) in p.phases(c, state, (a, b)) {
        let held = model.sweep_all(sweep, None, Some(&[a, b]), |_| true, f64::NAN, across);
        for ((value, held), s) in values.iter_mut().zip(held).zip(p.all()) {
            *value += share * (held - quick(s));
        }
    }
    values
}

/// Log-likelihood of one value against one prediction.
pub(crate) fn log_likelihood(instrument: Instrument, read: f64, value: f64, sigma: f64) -> f64 {
    let flat = BAD_PROBE / instrument.span();
    let close = match (read.is_finite(), value.is_finite()) {
        (false, false) => 1.0 / instrument.span(),
        (true, true) => {
            let z = (read - value) / sigma;
            (-0.5 * z * z).exp() / (sigma * (2.0 * std::f64::consts::PI).sqrt())
        }
        _ => 0.0,
    };
    ((1.0 - BAD_PROBE) * close + flat).ln()
}
