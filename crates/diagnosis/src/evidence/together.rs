//! Live values read at once of signals that feel the same, of which nobody knows how much there is of it
//! (N33): two tracks of a pedal, sensors that have stood through a cold night. What one says tells how much,
//! and the others have to agree: for every hypothesis the likelihood of all values together is averaged over
//! all that the stimulus could be.

use super::at_once::AtOnce;
use super::signal::{OUT_OF_PLACE, SPAN, STEP, density, sigma};
use crate::live::felt;
use crate::model::{HypIx, Model, ModelError};
use circuit::{Change, NodeId, Point, Sweep};
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::OnceLock;
use utoipa::ToSchema;
use vehicle::{Amount, OperatingState, PartIx, SignalId, TiVec};

/// What a module says of a signal.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct LiveReading {
    /// Id of the signal.
    pub signal: SignalId,
    /// In the signal's unit.
    pub value: f64,
}

/// Amounts of the stimulus at which the circuit is solved, and steps between two of them on straight lines.
const POINTS: usize = 13;
const FINE: usize = 20;
/// Of these amounts, how many apart those are at which it is looked how far sound vehicles scatter.
const SCATTERED: usize = 4;
/// A hypothesis that moves none of the values by so much near either end leaves them as
/// they are, volts.
const SAME_VOLTS: f64 = 0.005;

/// Values that were read together.
#[derive(Debug)]
pub(crate) struct Together {
    read: Vec<Read>,
    /// What they feel and the state does not say, with the range they have in common.
    stimuli: Vec<String>,
    range: [f64; 2],
    /// How far what they feel may lie apart, one standard deviation in its unit.
    apart: f64,
    grid: OnceLock<Vec<Amounts>>,
}

#[derive(Debug)]
struct Read {
    pins: (NodeId, NodeId),
    module: PartIx,
    value: f64,
}

/// The sound vehicle at one amount of the stimulus.
#[derive(Debug)]
struct Amounts {
    sweep: Sweep,
    /// Each value and how far sound vehicles scatter about it, volts.
    sound: Vec<[f64; 2]>,
}

/// What becomes of a value under a hypothesis.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Way {
    /// It is as on the sound vehicle.
    AsEver,
    /// Its module does not work.
    Silent,
    /// It is another one, or it is now this, now that.
    Moved,
}

/// The values that a hypothesis predicts at one amount; none of a module that does not work.
type Values = Vec<Option<f64>>;

fn unknown(what: &'static str, id: &str) -> ModelError {
    ModelError::Unknown { what, id: id.to_owned() }
}

impl Together {
    /// Reads a finding.
    ///
    /// # Errors
    /// [`ModelError::Unknown`] for signals that are none, that no sensor feels, or of which there is but one.
    pub(super) fn new(
        model: &Model,
        state: &OperatingState,
        values: &[LiveReading],
        apart: f64,
    ) -> Result<Self, ModelError> {
        if values.len() < 2 {
            return Err(unknown("values that feel the same", ""));
        }
        Self::of(model, state, values, apart)
    }

    /// One value of which nobody knows what it should be: it tells whether it can be at all.
    ///
    /// # Errors
    /// [`ModelError::Unknown`] for a signal that is none, or that no sensor feels.
    pub(super) fn alone(
        model: &Model,
        state: &OperatingState,
        signal: &SignalId,
        value: f64,
    ) -> Result<Self, ModelError> {
        Self::of(model, state, &[LiveReading { signal: signal.clone(), value }], 0.0)
    }

    fn of(
        model: &Model,
        state: &OperatingState,
        values: &[LiveReading],
        apart: f64,
    ) -> Result<Self, ModelError> {
        let v = &model.circuit.vehicle;
        let (mut read, mut stimuli) = (Vec::new(), Vec::new());
        let mut range = [f64::NEG_INFINITY, f64::INFINITY];
        for LiveReading { signal, value } in values {
            let number = v.signals.position(|s| s.id == *signal);
            let number = number.ok_or_else(|| unknown("signal", signal))?;
            let of = &v.signals[number];
            let pins = model.circuit.software.pins(number);
            let stimulus = felt(&v.signals.raw, of);
            let (Some(pins), Some(stimulus)) = (pins, stimulus) else {
                return Err(unknown("live value that a sensor feels", signal));
            };
            read.push(Read { pins, module: super::part(model, &of.module)?, value: *value });
            if state.stimuli.contains_key(stimulus) || stimuli.iter().any(|s| s == stimulus) {
                continue;
            }
            let own = v.stimuli.iter().find(|s| s.id == stimulus).and_then(|s| s.range);
            let [least, most] = own.ok_or_else(|| unknown("range of the stimulus", stimulus))?;
            range = [range[0].max(least), range[1].min(most)];
            stimuli.push(stimulus.to_owned());
        }
        if stimuli.is_empty() || range[0] >= range[1] {
            return Err(unknown(
                "values that feel the same and of which the state says nothing",
                "",
            ));
        }
        Ok(Self { read, stimuli, range, apart: apart.max(0.0), grid: OnceLock::new() })
    }

    fn grid(&self, model: &Model, state: &OperatingState) -> &[Amounts] {
        let pins: Vec<(NodeId, NodeId)> = self.read.iter().map(|r| r.pins).collect();
        let at = |k: usize| {
            let [least, most] = self.range;
            let amount = least + (most - least) * k as f64 / (POINTS - 1) as f64;
            let mut state = state.clone();
            for stimulus in &self.stimuli {
                state.stimuli.insert(stimulus.clone(), Amount(amount));
            }
            let sweep = Sweep::new(&model.circuit, &state, &[]);
            let scatter = match k % SCATTERED {
                0 => model.scatter_at(sweep.healthy(), &state, &pins),
                _ => vec![0.0; pins.len()],
            };
            let volts =
                |(a, b): &(NodeId, NodeId)| sweep.healthy().volts[*a] - sweep.healthy().volts[*b];
            let sound = pins.iter().map(volts).zip(scatter).map(|(v, s)| [v, s]).collect();
            Amounts { sweep, sound }
        };
        if let Some(grid) = self.grid.get() {
            return grid;
        }
        // Solved before the cell is taken: whoever waits in rayon may be given work that wants it.
        let mut made: Vec<Amounts> = (0..POINTS).into_par_iter().map(at).collect();
        for k in (0..POINTS).filter(|k| k % SCATTERED != 0) {
            let (before, share) = (k - k % SCATTERED, (k % SCATTERED) as f64 / SCATTERED as f64);
            for i in 0..pins.len() {
                let [a, b] = [before, before + SCATTERED].map(|n| made[n].sound[i][1]);
                made[k].sound[i][1] = a + share * (b - a);
            }
        }
        self.grid.get_or_init(|| made)
    }

    /// Log-likelihood of the values, given what is predicted at each amount.
    fn score(&self, grid: &[Amounts], predicted: &[Values]) -> f64 {
        let step = (self.range[1] - self.range[0]) / (POINTS - 1) as f64;
        let mut sum = 0.0;
        let mut count = 0.0;
        for k in 0..predicted.len().saturating_sub(1) {
            for f in 0..FINE {
                let share = (f as f64 + 0.5) / FINE as f64;
                let between = |a: f64, b: f64| a + share * (b - a);
                let mut product = 1.0;
                for (i, r) in self.read.iter().enumerate() {
                    product *= match (predicted[k][i], predicted[k + 1][i]) {
                        (Some(a), Some(b)) => {
                            let [sound_a, tolerance] = grid[k].sound[i];
                            let sound = between(sound_a, grid[k + 1].sound[i][0]);
                            let value = between(a, b);
                            let own = sigma(value, tolerance, STEP * (value - sound));
                            let sigma = own.hypot(self.apart * (b - a) / step);
                            density(r.value, value, sigma, OUT_OF_PLACE)
                        }
                        _ => OUT_OF_PLACE,
                    };
                }
                sum += product;
                count += 1.0;
            }
        }
        (sum / f64::max(count, 1.0)).ln()
    }

    /// What a solved point shows of them.
    fn shown(&self, p: &Point<'_>) -> Values {
        let of = |r: &Read| p.alive[r.module].then(|| p.volts[r.pins.0] - p.volts[r.pins.1]);
        self.read.iter().map(of).collect()
    }
}

impl AtOnce for Together {
    fn any(&self) -> f64 {
        -(self.read.len() as f64) * SPAN.ln()
    }

    fn all(&self, model: &Model, state: &OperatingState) -> (TiVec<HypIx, f64>, f64) {
        let grid = self.grid(model, state);
        let sound: Vec<Values> =
            grid.iter().map(|g| g.sound.iter().map(|[v, _]| Some(*v)).collect()).collect();
        let away = self.score(grid, &sound);
        let nodes: Vec<NodeId> = self.read.iter().flat_map(|r| [r.pins.0, r.pins.1]).collect();
        // Near both ends first: what is as ever there, or says nothing, is so all the way.
        let near = |at: usize| {
            let g = &grid[at];
            let differs = |(v, [sound, _]): (&Option<f64>, &[f64; 2])| {
                v.is_none_or(|v| (v - sound).abs() > SAME_VOLTS)
            };
            let of = |p: Point<'_>| {
                let shown = self.shown(&p);
                shown.iter().zip(&g.sound).any(differs).then_some(shown)
            };
            model.sweep_all(&g.sweep, None, Some(&nodes), |_| true, None, of)
        };
        let ends = [1, POINTS - 2].map(|at| (at, near(at)));
        let way = |h: HypIx, i: usize| {
            let of = |(at, found): &(usize, TiVec<HypIx, Option<Values>>)| {
                let sound = grid[*at].sound[i][0];
                match found[h].as_ref().map(|v| v[i]) {
                    Some(None) => Way::Silent,
                    Some(Some(v)) if (v - sound).abs() > SAME_VOLTS => Way::Moved,
                    _ => Way::AsEver,
                }
            };
            let [a, b] = [of(&ends[0]), of(&ends[1])];
            if a == b { a } else { Way::Moved }
        };
        let ways: TiVec<HypIx, Option<Vec<Way>>> = (model.faults.keys())
            .map(|h| {
                let any = ends.iter().any(|(_, found)| found[h].is_some());
                any.then(|| (0..self.read.len()).map(|i| way(h, i)).collect())
            })
            .collect();
        let moved = |h: HypIx| ways[h].as_ref().is_some_and(|w| w.contains(&Way::Moved));
        // Of one amount after the other: neighbours share the most work.
        let mut values: TiVec<HypIx, Vec<Values>> = vec![Vec::new(); model.faults.len()].into();
        for g in grid {
            let of = |p: Point<'_>| Some(self.shown(&p));
            let found = model.sweep_all(&g.sweep, None, Some(&nodes), moved, None, of);
            for (h, own) in found.into_iter_enumerated() {
                values[h].extend(own);
            }
        }
        let score = |h: HypIx| match &ways[h] {
            None => away,
            Some(_) if !values[h].is_empty() => self.score(grid, &values[h]),
            Some(ways) => {
                let of = |v: &Values| {
                    v.iter().zip(ways).map(|(v, w)| v.filter(|_| *w == Way::AsEver)).collect()
                };
                self.score(grid, &sound.iter().map(of).collect::<Vec<Values>>())
            }
        };
        (model.faults.keys().map(score).collect(), away)
    }

    fn under(&self, model: &Model, state: &OperatingState, changes: &[Change]) -> f64 {
        let grid = self.grid(model, state);
        let nodes: Vec<NodeId> = self.read.iter().flat_map(|r| [r.pins.0, r.pins.1]).collect();
        let values: Vec<Values> =
            grid.iter().map(|g| self.shown(&g.sweep.clone().solve_at(changes, &nodes))).collect();
        self.score(grid, &values)
    }
}
