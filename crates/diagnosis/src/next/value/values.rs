//! What live values read together could show.

use super::reading::edges;
use super::table::{Table, Words, phi, range_words};
use super::{Held, MOST_BINS, Scales, by_weight};
use crate::counted::{self, Counted, Which};
use crate::evidence::rolling;
use crate::evidence::signal::{STEP, WRONG, sigma};
use crate::live;
use crate::model::{HypIx, Model};
use crate::next::candidates::Candidate;
use circuit::{Circuit, Instrument, NodeId};
use vehicle::{PartId, PartIx, SignalId, SignalIx};

/// What the values show when it is none of the likelier outcomes.
const NO_WORDS: &str = "anything else";

/// A value with the ranges it is told apart by.
struct Value {
    name: String,
    module: PartIx,
    module_id: PartId,
    from: From,
    sound: f64,
    tolerance: f64,
    /// Where what it feels is not said: the ends of what its module believes.
    believed: Option<[f64; 2]>,
    edges: Vec<f64>,
}

/// What a value follows.
enum From {
    /// Volts between two nodes.
    Pins(NodeId, NodeId),
    /// Teeth that pass.
    Counted(SignalIx),
}

/// What an explanation predicts for the state, and half a tooth on where something turns.
struct Predicted<'a> {
    now: Held<'a>,
    on: Option<Held<'a>>,
}

/// Number of the range each value is in; one more than there are ranges where its module is silent.
type Shows = Vec<usize>;

impl Value {
    fn of(model: &Model, c: &Candidate, id: &SignalId) -> Option<Self> {
        let v = &model.circuit.vehicle;
        let number = v.signals.position(|s| s.id == *id)?;
        let signal = &v.signals[number];
        let p = model.predict(&c.state);
        let software = &model.circuit.software;
        let (from, sound, tolerance) = match (software.pins(number), software.ring(number)) {
            (Some((a, b)), _) => {
                let tolerance = model.scatter(&p, &c.state, |s| s.between(a, b));
                (From::Pins(a, b), p.healthy.between(a, b), tolerance)
            }
            (None, Some(_)) => {
                let counted = Counted::of(model, &c.state, Which::Sound)?;
                let tolerance = counted.tolerance(model, &c.state, number);
                (From::Counted(number), counted.sound(&model.circuit, number), tolerance)
            }
            (None, None) => return None,
        };
        Some(Self {
            name: signal.name.clone(),
            module: model.circuit.part(&signal.module)?,
            module_id: signal.module.clone(),
            from,
            sound,
            tolerance,
            believed: match live::depends(&v.signals.raw, signal, &c.state) {
                true => Some(live::physical(&v.signals.raw, signal)?.valid?),
                false => None,
            },
            edges: Vec::new(),
        })
    }

    /// What is predicted, with its standard deviation as it will be weighed; none of a silent module.
    fn predicted(&self, c: &Circuit, s: &Predicted<'_>) -> Option<(f64, f64)> {
        s.now.alive(self.module).then(|| match self.from {
            From::Pins(a, b) => {
                let value = s.now.between(a, b);
                (value, sigma(value, self.tolerance, STEP * (value - self.sound)))
            }
            From::Counted(k) => {
                let value = s.on.as_ref().map_or(0.0, |on| counted::rate(c, k, &s.now, on));
                (value, rolling::sigma(value, self.sound, self.tolerance))
            }
        })
    }

    fn range_of(&self, c: &Circuit, s: &Predicted<'_>) -> usize {
        self.predicted(c, s).map_or(self.edges.len() + 1, |(v, _)| self.range(v))
    }

    fn range(&self, value: f64) -> usize {
        self.edges.partition_point(|e| *e <= value)
    }

    /// Chance of a range under a prediction.
    fn chance(&self, c: &Circuit, s: &Predicted<'_>, range: usize) -> f64 {
        let silent = self.edges.len() + 1;
        let wrong = WRONG / (silent + 1) as f64;
        let right = match self.predicted(c, s) {
            None => f64::from(u8::from(range == silent)),
            Some(_) if range == silent => 0.0,
            Some((value, sigma)) => {
                let below = |edge: Option<&f64>| edge.map(|e| phi((e - value) / sigma));
                let low = range.checked_sub(1).and_then(|k| below(self.edges.get(k)));
                below(self.edges.get(range)).unwrap_or(1.0) - low.unwrap_or(0.0)
            }
        };
        (1.0 - WRONG) * right + wrong
    }
}

impl Scales<'_> {
    /// Values read at once: its outcomes are what they show together.
    pub(super) fn values(&self, c: &Candidate, signals: &[SignalId]) -> Option<Table> {
        let p = self.model.predict(&c.state);
        let mut values: Vec<Value> =
            signals.iter().filter_map(|id| Value::of(self.model, c, id)).collect();
        let circuit = &self.model.circuit;
        // Solved half a tooth on only where teeth are counted.
        let counts = values.iter().any(|v| matches!(v.from, From::Counted(_)));
        let later = circuit.teeth_on(&c.state).filter(|_| counts).map(|state| {
            let at = Candidate { state: state.into(), ..c.clone() };
            let some: Vec<HypIx> = super::hypotheses(self.live).collect();
            (self.model.predict_some(&at.state, &some), at)
        });
        let held: Vec<Option<Predicted<'_>>> = (self.live.iter())
            .map(|l| {
                let now = self.snapshot(&p, c, l, false)?;
                let on = later.as_ref().and_then(|(p, at)| self.snapshot(p, at, l, false));
                Some(Predicted { now, on })
            })
            .collect();
        let healthy = Predicted {
            now: Held::Here(&p.healthy),
            on: later.as_ref().map(|(p, _)| Held::Here(&p.healthy)),
        };
        let snapshots = || held.iter().flatten().chain([&healthy]);
        for value in &mut values {
            value.edges = match value.believed {
                Some(ends) => ends.to_vec(),
                None => edges(snapshots().filter_map(|s| value.predicted(circuit, s)).collect()),
            };
        }
        let shows = |s: &Predicted<'_>| -> Shows {
            values.iter().map(|v| v.range_of(circuit, s)).collect()
        };
        let of_live =
            held.iter().zip(&self.weights).filter_map(|(s, w)| Some((shows(s.as_ref()?), *w)));
        let mut outcomes = by_weight(of_live.chain([(shows(&healthy), 0.0)]));
        if outcomes.len() < 2 {
            return None;
        }
        outcomes.truncate(MOST_BINS - 1);
        let row = |s: &Predicted<'_>| {
            let chance = |shows: &Shows| {
                values
                    .iter()
                    .zip(shows)
                    .map(|(v, range)| v.chance(circuit, s, *range))
                    .product::<f64>()
            };
            let mut chances: Vec<f64> = outcomes.iter().map(chance).collect();
            let rest = 1.0 - chances.iter().sum::<f64>();
            chances.push(rest.max(0.0));
            chances
        };
        let sound = row(&healthy);
        let mut words: Vec<String> =
            outcomes.iter().map(|shows| words(&values, &shows[..])).collect();
        words.push(NO_WORDS.to_owned());
        let mut k = 0;
        Some(self.rows(Words::Given(words), &sound, 0.0, |_, into| {
            let s = &held[k];
            k += 1;
            into.extend(s.iter().flat_map(&row));
            s.is_some()
        }))
    }
}

/// Which values are not where a sound vehicle has them, in words.
fn words(values: &[Value], shows: &[usize]) -> String {
    let mut out: Vec<String> = Vec::new();
    for (value, range) in values.iter().zip(shows) {
        let silent = *range > value.edges.len();
        if silent || *range != value.range(value.sound) {
            let word = match silent {
                true => format!("{} silent", value.module_id),
                false if matches!(value.from, From::Counted(_)) => {
                    let share = |edge: &f64| format!("{:.0}", 100.0 * edge / value.sound);
                    let low = range.checked_sub(1).and_then(|k| value.edges.get(k)).map(share);
                    match (low, value.edges.get(*range).map(share)) {
                        (Some(low), Some(high)) => {
                            format!("{} {low} to {high} % of the others", value.name)
                        }
                        (None, Some(high)) => {
                            format!("{} below {high} % of the others", value.name)
                        }
                        (Some(low), None) => format!("{} above {low} % of the others", value.name),
                        (None, None) => format!("{} any", value.name),
                    }
                }
                false => {
                    let range = &range_words(Instrument::Volts, &value.edges)[*range];
                    format!("{} {range}", value.name)
                }
            };
            if !out.contains(&word) {
                out.push(word);
            }
        }
    }
    match &out[..] {
        [] => "all as expected".to_owned(),
        [first, second, _, ..] => format!("{first}, {second} and {} more", out.len() - 2),
        few => few.join(" and "),
    }
}
