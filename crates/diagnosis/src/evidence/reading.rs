//! A meter reading: normal around the prediction, with the meter's accuracy, the
//! parts' tolerance and the hypothesis' own uncertainty, plus a small chance of a
//! probe that did not touch.

use super::BAD_PROBE;
use crate::cache::{Keep, Wanted};
use crate::model::{HypIx, Model, ModelError, Predictions, Snapshot, high_ohmic, shown};
use circuit::{
    BranchId, Change, Circuit, Extra, Fault, Instrument, Law, NodeId, Probe, Solution, Sweep,
    meter::Leads,
};
use std::collections::HashMap;
use std::sync::Arc;
use vehicle::{OperatingState, TiVec};

/// What moves no voltage by more than this leaves a tool's reading alone, volts: a hundredth of an
/// ohm at an ohmmeter's milliampere.
pub(crate) const UNTOUCHED_VOLTS: f64 = 1e-5;
/// A point that a fault has left hanging moves by more than this, volts.
const HANGING_VOLTS: f64 = 0.1;

/// A meter that changes a voltage by more than this spoils what it reads, volts.
const SPOILED_VOLTS: f64 = 0.05;
/// Voltages nearer than this to each other are the same to the meter's own load, volts.
const SAME_VOLTS: f64 = 1e-4;

/// Resistances below this are all the same to an ohmmeter, ohms.
pub(crate) const LEAST_OHMS: f64 = 0.05;

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
    pub faults: TiVec<HypIx, (f64, f64)>,
}

impl Expected {
    /// Log-likelihood of a reading under faults at once that predict a value.
    pub(super) fn under(&self, i: Instrument, faults: &[&Fault], read: f64, value: f64) -> f64 {
        let share = faults.iter().map(|f| crate::grids::share_of(f)).fold(0.0, f64::max);
        let sigma = sigma(i, value, self.healthy, self.tolerance, Unsure::alone(share));
        log_likelihood(i, read, value, sigma)
    }
}

/// How unsure a hypothesis is of how far it moves a reading.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Unsure {
    /// Of the number it stands for, as a share: half the way to its neighbours on the grid; of the
    /// parts' tolerance where it has no number.
    pub(crate) share: f64,
    /// How far any number of this fault moves the reading, in its unit; infinite where unknown. A
    /// fault that has done all it can do is as sure as one without a number: in a divider of `R` and
    /// `Z` the share of `Z` moves with `ln R` by itself times what is left of it.
    pub(crate) furthest: f64,
}

impl Unsure {
    /// Without a number, or with others of its kind unknown.
    pub(crate) fn alone(share: f64) -> Self {
        Self { share, furthest: f64::INFINITY }
    }
}

/// Scatter of a resistance that a sound vehicle shows as over limit, as a share.
const OPENED: f64 = 0.05;

impl Keep for Expected {
    fn bytes(&self) -> usize {
        16 * self.faults.len()
    }
}

impl Model {
    /// Predictions of a reading, from the cache when they are there.
    ///
    /// # Errors
    /// [`ModelError`] for points that do not exist.
    pub fn expect(
        &self,
        state: &OperatingState,
        probe: &Probe,
    ) -> Result<Arc<Expected>, ModelError> {
        let wanted = |id| Wanted::Reading(id, state, probe);
        if let Some(hit) = self.kept(wanted) {
            return Ok(hit);
        }
        let made = Arc::new(expected(self, state, probe)?);
        self.keep(wanted, &made);
        Ok(made)
    }

    /// What a meter shows under any changes of the circuit; infinite is over limit.
    ///
    /// # Errors
    /// [`ModelError`] for points that do not exist.
    pub fn reads(
        &self,
        state: &OperatingState,
        changes: &[Change],
        probe: &Probe,
    ) -> Result<f64, ModelError> {
        Ok(read(self, state, changes, probe.leads(&self.circuit)?))
    }
}

/// Combined standard deviation of a reading that a hypothesis moves from `healthy` to `value`.
pub(crate) fn sigma(
    instrument: Instrument,
    value: f64,
    healthy: f64,
    tolerance: f64,
    unsure: Unsure,
) -> f64 {
    if !value.is_finite() {
        return 1.0;
    }
    let moved = if healthy.is_finite() { (value - healthy).abs() } else { value.abs() };
    // Neither voltage, current nor resistance is less sure than it is large.
    let (own, parts) = match instrument {
        Instrument::Ohms => {
            let scatter = if healthy.is_finite() && healthy != 0.0 {
                tolerance / healthy.abs()
            } else {
                OPENED
            };
            (moved.min(value.abs()), scatter * value.abs())
        }
        _ => {
            let left = (1.0 - moved / unsure.furthest).max(0.0);
            ((moved * left).min(value.abs()), tolerance)
        }
    };
    let (meter, number) = (instrument.sigma(value), unsure.share * own);
    (meter * meter + parts * parts + number * number).sqrt()
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
    let sigma = sigma(instrument, healthy, healthy, tolerance, Unsure::alone(0.0));
    Ok(Sound { healthy, sigma, tolerance })
}

/// What a meter shows under any changes of the circuit, averaged over the phases of the state.
pub(crate) fn read(model: &Model, state: &OperatingState, changes: &[Change], leads: Leads) -> f64 {
    reads(model, state, [changes], leads)[0]
}

/// The same for sets of changes, one after the other.
pub(crate) fn reads<'s>(
    model: &Model,
    state: &OperatingState,
    sets: impl IntoIterator<Item = &'s [Change]>,
    leads: Leads,
) -> Vec<f64> {
    let c = &model.circuit;
    let p = model.predict(state);
    let nodes = leads.nodes(c);
    let mut rest = p.sweep.clone();
    let mut phases: Vec<(f64, Sweep)> = match leads {
        Leads::Between(Instrument::Volts, a, b) => {
            p.phases(c, state, (a, b)).map(|(share, sweep)| (share, sweep.clone())).collect()
        }
        _ => Vec::new(),
    };
    let of = |changes: &[Change]| {
        let all: Vec<Change> = changes.iter().copied().chain(leads.change()).collect();
        let shown = |sweep: &mut Sweep| leads.shown_at(&sweep.solve_at(&all, &nodes)).value();
        let resting = shown(&mut rest);
        let more = phases.iter_mut().map(|(share, sweep)| *share * (shown(sweep) - resting));
        resting + more.sum::<f64>()
    };
    sets.into_iter().map(of).collect()
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
    // A tool that loads what it touches is solved by itself, whatever the rest of the vehicle does.
    let p = match probe.instrument.leaves_alone() {
        true => model.predict_all(state),
        false => model.predict(state),
    };
    let instrument = probe.instrument;
    let Sound { healthy, sigma: own, tolerance } = sound(model, state, probe)?;
    let values: TiVec<HypIx, f64> = match leads {
        Leads::Around(_) => p.all().map(|s| shown(leads, c, s)).collect(),
        Leads::Between(Instrument::Volts, a, b) => volts(model, state, &p, leads, (a, b)),
        // Every other tool loads what it touches.
        Leads::Between(..) => {
            let reads = |p: circuit::Point<'_>| leads.shown_at(&p).value();
            let at = leads.nodes(c);
            let with = with_tool(c, &p, leads);
            let joined = c.joined(state, &at);
            let touches = |h: HypIx| {
                let changes = &model.faults[h].changes;
                let apart = joined.as_ref().is_some_and(|joined| joined.is_apart_from(c, changes));
                !apart && !c.untouched_to(&with, changes, UNTOUCHED_VOLTS)
            };
            model.sweep_all(&p.sweep, leads.change(), Some(&at), touches, healthy, reads)
        }
    };
    let grids = &model.grids;
    let moved = |h: HypIx| (values[h] - healthy).abs();
    let furthest: Vec<f64> =
        (0..grids.members.len()).map(|grid| grids.furthest(grid, moved)).collect();
    let unsure = |h: HypIx| Unsure {
        share: grids.share[h],
        furthest: grids.of[h].map_or(f64::INFINITY, |grid| furthest[grid]),
    };
    let faults = values
        .iter_enumerated()
        .map(|(h, value)| {
            let sigma = sigma(instrument, *value, healthy, tolerance, unsure(h));
            (*value, sigma.hypot(grids.along(h, |h| values[h])))
        })
        .collect();
    Ok(Expected { healthy, sigma: own, tolerance, faults })
}

/// The sound vehicle with a tool on: what changes nothing there shows what a sound vehicle shows.
pub(crate) fn with_tool(c: &Circuit, p: &Predictions, leads: Leads) -> Solution {
    let change: Vec<Change> = leads.change().into_iter().collect();
    let mut sweep = p.sweep.clone();
    let point = sweep.solve(&change);
    let mut with = p.solution.clone();
    with.volts = point.volts.to_vec();
    with.laws = point.laws.to_vec();
    for (peak, v) in with.peak_volts.iter_mut().zip(point.volts) {
        *peak = peak.max(v.abs());
    }
    for k in c.branches.keys() {
        with.peak_amps[k] = with.peak_amps[k].max(with.amps(c, k).abs());
    }
    with
}

/// What a tool that loads the circuit shows under sets of changes, one after the other; infinite is
/// over limit.
pub(crate) fn tool_shows<'a>(
    c: &'a Circuit,
    p: &'a Predictions,
    leads: Leads,
) -> impl FnMut(&[Change]) -> f64 + use<'a> {
    let with = with_tool(c, p, leads);
    let (mut sweep, nodes) = (p.sweep.clone(), leads.nodes(c));
    let mut of = move |changes: &[Change]| {
        let all: Vec<Change> = changes.iter().copied().chain(leads.change()).collect();
        leads.shown_at(&sweep.solve_at(&all, &nodes)).value()
    };
    let healthy = of(&[]);
    move |changes| match c.untouched_to(&with, changes, UNTOUCHED_VOLTS) {
        true => healthy,
        false => of(changes),
    }
}

/// Whether a voltmeter's own load changes what it reads on a sound vehicle: such a reading is a trap.
pub(crate) fn is_spoiled(model: &Model, state: &OperatingState, probe: &Probe) -> bool {
    let Ok(leads @ Leads::Between(Instrument::Volts, a, b)) = probe.leads(&model.circuit) else {
        return false;
    };
    let p = model.predict(state);
    let change: Vec<Change> = leads.change().into_iter().collect();
    let mut sweep = p.sweep.clone();
    let point = sweep.solve_at(&change, &[a, b]);
    (point.volts[a] - point.volts[b] - p.healthy.between(a, b)).abs() > SPOILED_VOLTS
}

/// Among whom a fault may stand for others.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Among {
    Chain(usize),
    Branch(BranchId),
    Fault(HypIx),
}

/// What is put on two points to see what holds them where they are.
const PULL_VOLTS: f64 = 10.0;
const PULL_OHMS: f64 = 10.0;
/// A branch that takes less than this share of the pull holds nothing.
const HOLDS: f64 = 1e-3;

/// Branches that hold two points of a sound vehicle where they are: those through which a current flows
/// that is let into the points. Opened they leave them hanging, even where no voltage moves by that.
fn held_by(model: &Model, p: &Predictions, (a, b): (NodeId, NodeId)) -> TiVec<BranchId, bool> {
    let (c, rest) = (&model.circuit, &p.solution);
    let volts = rest.volts[a] - rest.volts[b] + PULL_VOLTS;
    let pull = Change::Meter(Extra::new(a, b, Law::Source { volts, ohms: PULL_OHMS }));
    let mut sweep = p.sweep.clone();
    let with = sweep.solve(&[pull]);
    let amps = (volts - (with.volts[a] - with.volts[b])) / PULL_OHMS;
    let takes = |k: BranchId| (with.amps(k) - rest.amps(c, k)).abs() > HOLDS * amps.abs();
    c.branches.keys().map(takes).collect()
}

/// Whom the voltmeter's own load matters to. Its ten megohms show only where a fault has left a point
/// hanging by more than some kilohms: one that moves it, or one that opens what holds it where it is.
pub(crate) struct Hanging<'m> {
    model: &'m Model,
    healthy: f64,
    /// On a sound vehicle: how a point hangs tells only the meter.
    sound: bool,
    unplugged: bool,
    holds: TiVec<BranchId, bool>,
}

impl<'m> Hanging<'m> {
    /// For leads on two points.
    pub(crate) fn of(
        model: &'m Model,
        state: &OperatingState,
        p: &Predictions,
        leads: Leads,
        (a, b): (NodeId, NodeId),
    ) -> Self {
        let healthy = p.healthy.between(a, b);
        let unplugged = !state.is_plugged();
        // Where there is no voltage the meter pulls at nothing.
        let meter = leads.change().filter(|_| healthy.abs() > HANGING_VOLTS);
        let Some(meter) = meter else {
            return Self { model, healthy, sound: false, unplugged, holds: TiVec::new() };
        };
        let mut sweep = p.sweep.clone();
        let point = sweep.solve_at(&[meter], &[a, b]);
        let sound = (point.volts[a] - point.volts[b] - healthy).abs() > SPOILED_VOLTS;
        Self { model, healthy, sound, unplugged, holds: held_by(model, p, (a, b)) }
    }

    /// Whether a hypothesis that reads so much without the load leaves a point hanging that it moves.
    fn moves(&self, h: HypIx, volts: f64) -> bool {
        (self.unplugged || high_ohmic(&self.model.faults[h].changes))
            && (volts - self.healthy).abs() > HANGING_VOLTS
    }

    /// Whether it leaves one hanging that it does not move.
    fn lets_go(&self, h: HypIx) -> bool {
        let changes = &self.model.faults[h].changes;
        high_ohmic(changes)
            && changes.iter().any(|change| match change {
                Change::Branch(k, _) | Change::Series(k, _) | Change::Times(k, _) => {
                    self.holds.get(*k).copied().unwrap_or(false)
                }
                _ => false,
            })
    }

    /// Whether the load matters under a hypothesis that reads so much without it.
    pub(crate) fn matters(&self, h: HypIx, volts: f64) -> bool {
        self.sound || self.moves(h, volts) || self.lets_go(h)
    }
}

/// A voltmeter's readings under every hypothesis, averaged over the phases of the state.
fn volts(
    model: &Model,
    state: &OperatingState,
    p: &Predictions,
    leads: Leads,
    (a, b): (NodeId, NodeId),
) -> TiVec<HypIx, f64> {
    let c = &model.circuit;
    let quick = |s: &Snapshot| s.between(a, b);
    let across = |p: circuit::Point<'_>| p.volts[a] - p.volts[b];
    let hanging = Hanging::of(model, state, p, leads, (a, b));
    // Faults of one chain that leave both ends of the meter at the very same voltages have done the same
    // to them: one stands for all.
    let ends = |s: &Snapshot| [a, b].map(|n| (s.volts(n) / SAME_VOLTS).round() as i64);
    let chain = |h: HypIx, volts: f64| match model.faults[h].changes[..] {
        [Change::Branch(k, _)] if !hanging.sound && hanging.moves(h, volts) => {
            c.chains.of[k].map_or(Among::Branch(k), Among::Chain)
        }
        _ => Among::Fault(h),
    };
    let mut stands: HashMap<(Among, [i64; 2]), HypIx> = HashMap::new();
    let mut stands_for: TiVec<HypIx, Option<HypIx>> = vec![None; model.faults.len()].into();
    let all = model.faults.keys().zip(p.all().map(|s| (s, quick(s))));
    for (h, (s, volts)) in all.filter(|(h, (_, volts))| hanging.matters(*h, *volts)) {
        stands_for[h] = Some(*stands.entry((chain(h, volts), ends(s))).or_insert(h));
    }
    let first = |h: HypIx| stands_for[h] == Some(h);
    let metered = model.sweep_all(&p.sweep, leads.change(), Some(&[a, b]), first, f64::NAN, across);
    let value =
        |(h, s): (HypIx, &Snapshot)| stands_for[h].map_or_else(|| quick(s), |first| metered[first]);
    let mut values: TiVec<HypIx, f64> = model.faults.keys().zip(p.all()).map(value).collect();
    for (share, sweep) in p.phases(c, state, (a, b)) {
        let held = model.sweep_all(sweep, None, Some(&[a, b]), |_| true, f64::NAN, across);
        for ((value, held), s) in values.iter_mut().zip(held).zip(p.all()) {
            *value += share * (held - quick(s));
        }
    }
    values
}

/// Density of a normal distribution.
pub(super) fn normal(off: f64, sigma: f64) -> f64 {
    let z = off / sigma;
    (-0.5 * z * z).exp() / (sigma * (2.0 * std::f64::consts::PI).sqrt())
}

/// Log-likelihood of one value against one prediction.
pub(crate) fn log_likelihood(instrument: Instrument, read: f64, value: f64, sigma: f64) -> f64 {
    let slipped = BAD_PROBE * instrument.slipped(read);
    let close = match (read.is_finite(), value.is_finite()) {
        (false, false) => instrument.any(read),
        (true, true) => normal(read - value, sigma),
        _ => 0.0,
    };
    ((1.0 - BAD_PROBE) * close + slipped).ln()
}
