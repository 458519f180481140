//! What a check is worth: the expected fall of uncertainty over repair items.

use super::Outcome;
use super::candidates::{Candidate, What};
use crate::evidence::effect;
use crate::evidence::reading::sigma;
use crate::model::{Model, Predictions, Snapshot, shown, slack};
use crate::posterior::{Posterior, entropy};
use crate::words;
use circuit::{Instrument, Probe};
use statrs::function::erf::erf;

/// Most outcomes a reading is divided into.
const MOST_BINS: usize = 9;
/// Chance that any outcome comes up for no reason.
const SLIP: f64 = 0.02;

/// Chance of each outcome under each live hypothesis, and the outcomes in words.
struct Table {
    /// Chance of each outcome, one live hypothesis after the other.
    chances: Vec<f64>,
    words: Vec<String>,
}

/// Standard normal distribution function.
fn phi(z: f64) -> f64 {
    match z {
        z if z < -6.0 => 0.0,
        z if z > 6.0 => 1.0,
        z => 0.5 * (1.0 + erf(z / std::f64::consts::SQRT_2)),
    }
}

/// Value and standard deviation of a reading.
struct Predicted {
    /// On a sound vehicle.
    sound: (f64, f64),
    /// Under each live hypothesis; none where nothing is predicted.
    live: Vec<Option<(f64, f64)>>,
}

/// Prediction and deviation of a reading for each live hypothesis; `None` for "not in the file".
fn predicted(
    model: &Model,
    p: &Predictions,
    probe: &Probe,
    live: &[(usize, f64, usize)],
) -> Option<Predicted> {
    let c = &model.circuit;
    let leads = probe.leads(c).ok()?;
    let quick = |s: &Snapshot| shown(leads, c, s);
    let healthy = quick(&p.healthy);
    let least = 2.0 * probe.instrument.sigma(healthy);
    let moved = live
        .iter()
        .any(|(h, _, _)| p.fault(*h).is_some_and(|s| (quick(s) - healthy).abs() > least));
    if !moved {
        return None;
    }
    let tolerance = model.scatter(p, quick);
    let of =
        |value: f64, slack: f64| (value, sigma(probe.instrument, value, healthy, tolerance, slack));
    Some(Predicted {
        sound: of(healthy, 0.0),
        live: live
            .iter()
            .map(|(h, _, _)| Some(of(quick(p.fault(*h)?), slack(&model.faults[*h]))))
            .collect(),
    })
}

/// Edges between values that can be told apart.
fn edges(mut values: Vec<(f64, f64)>) -> Vec<f64> {
    values.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut edges = Vec::new();
    let mut start = values[0].0;
    for pair in values.windows(2) {
        let ((low, s_low), (high, s_high)) = (pair[0], pair[1]);
        let width = s_low.max(s_high);
        // A gap, or a spread wider than the instrument's blur.
        if high - low > 2.0 * width || high - start > 4.0 * width {
            edges.push(0.5 * (low + high));
            start = high;
        }
    }
    while edges.len() >= MOST_BINS {
        edges = edges.into_iter().step_by(2).collect();
    }
    edges
}

fn range_words(instrument: Instrument, edges: &[f64]) -> Vec<String> {
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

fn table(model: &Model, live: &[(usize, f64, usize)], c: &Candidate) -> Option<Table> {
    let p = model.predict(&c.state);
    match &c.what {
        What::Reading(probe) => {
            let predicted = predicted(model, &p, probe, live)?;
            let edges = edges(predicted.live.iter().flatten().copied().collect());
            if edges.is_empty() {
                return None;
            }
            let n = edges.len() + 1;
            let row = |(value, sigma): (f64, f64), into: &mut Vec<f64>| {
                let mut below = 0.0;
                for edge in edges.iter().map(Some).chain([None]) {
                    let up_to = edge.map_or(1.0, |e| phi((e - value) / sigma));
                    into.push((up_to - below) * (1.0 - SLIP) + SLIP / n as f64);
                    below = up_to;
                }
            };
            // Most hypotheses leave most readings alone: their row is worked out once.
            let (sound, mut common) = (predicted.sound, Vec::new());
            row(sound, &mut common);
            let mut chances = Vec::with_capacity(n * live.len());
            for x in &predicted.live {
                match *x {
                    None => chances.extend(std::iter::repeat_n(1.0 / n as f64, n)),
                    Some(x) if (x.0 - sound.0).abs() < 0.02 * sound.1 => chances.extend(&common),
                    Some(x) => row(x, &mut chances),
                }
            }
            Some(Table { chances, words: range_words(probe.instrument, &edges) })
        }
        What::Effect { part, .. } => {
            let at = model.circuit.part(part)?;
            let chances = live
                .iter()
                .flat_map(|(h, _, _)| match p.fault(*h) {
                    Some(s) => effect::chances(s.effect(at).unwrap_or(0.0)),
                    None => [1.0 / 3.0; 3],
                })
                .collect();
            let words = ["normal", "weak", "nothing"].map(str::to_owned).to_vec();
            Some(Table { chances, words })
        }
    }
}

/// Weight of each repair item, dense, for one outcome.
fn by_item(model: &Model, live: &[(usize, f64, usize)], table: &Table, bin: usize) -> Vec<f64> {
    let mut sums = vec![0.0; model.items.len()];
    for ((_, p, item), row) in live.iter().zip(table.chances.chunks_exact(table.words.len())) {
        sums[*item] += p * row[bin];
    }
    sums
}

/// Expected fall of the entropy over repair items, bits.
pub(super) fn information(model: &Model, live: &[(usize, f64, usize)], c: &Candidate) -> f64 {
    let Some(table) = table(model, live, c) else {
        return 0.0;
    };
    let total: f64 = live.iter().map(|l| l.1).sum();
    let mut now = vec![0.0; model.items.len()];
    for (_, p, item) in live {
        now[*item] += p;
    }
    let before = entropy(&now);
    let mut after = 0.0;
    for bin in 0..table.words.len() {
        let items = by_item(model, live, &table, bin);
        after += items.iter().sum::<f64>() / total * entropy(&items);
    }
    (before - after).max(0.0)
}

/// How plainly a check would refute the leading item: how far its prediction lies from a sound
/// vehicle's, in standard deviations, as a number of bits that saturates. Roughly: whatever else
/// could imitate it.
pub(super) fn refutation(
    model: &Model,
    posterior: &Posterior,
    top: usize,
    c: &Candidate,
    roughly: bool,
) -> f64 {
    let Some(best) = posterior.best_of(model, top) else {
        return 0.0;
    };
    let p = match posterior.best_of(model, top) {
        Some(best) if roughly => model.predict_some(&c.state, &[best]),
        _ => model.predict_all(&c.state),
    };
    let What::Reading(probe) = &c.what else {
        return 0.0;
    };
    let Ok(leads) = probe.leads(&model.circuit) else {
        return 0.0;
    };
    let quick = |s: &Snapshot| shown(leads, &model.circuit, s);
    let (healthy, value) = (quick(&p.healthy), p.fault(best).map_or(f64::NAN, quick));
    let tolerance = model.scatter(&p, quick);
    let blur = sigma(probe.instrument, healthy, healthy, tolerance, 0.0);
    let z = (value - healthy).abs() / blur;
    if roughly {
        return if z < 4.0 { 0.0 } else { (z / 8.0).min(1.0) * 4.0 };
    }
    // How little the rest of the vehicle could imitate it: the share of other hypotheses, weighed
    // by their prior, that move this reading at all.
    let (mut moved, mut all) = (0.0, 0.0);
    for (h, s) in p.all().enumerate() {
        if model.item_of[h] != top {
            all += model.faults[h].prior;
            if (quick(s) - healthy).abs() > 3.0 * blur {
                moved += model.faults[h].prior;
            }
        }
    }
    if z < 4.0 { 0.0 } else { (z / 8.0).min(1.0) * (1.0 - moved / all).powi(8) * 4.0 }
}

/// The likely outcomes with what each would leave.
pub(super) fn outcomes(model: &Model, live: &[(usize, f64, usize)], c: &Candidate) -> Vec<Outcome> {
    let Some(table) = table(model, live, c) else {
        return Vec::new();
    };
    let total: f64 = live.iter().map(|l| l.1).sum();
    let mut out = Vec::new();
    for (bin, when) in table.words.iter().enumerate() {
        let items = by_item(model, live, &table, bin);
        let weight: f64 = items.iter().sum();
        let probability = weight / total;
        let mut ranked: Vec<(usize, f64)> = items.into_iter().enumerate().collect();
        ranked.sort_by(|a, b| b.1.total_cmp(&a.1));
        let means: Vec<String> = ranked
            .iter()
            .take(2)
            .filter(|(_, w)| w / weight > 0.1)
            .map(|(item, w)| format!("{} {:.0} %", short(&model.items[*item]), 100.0 * w / weight))
            .collect();
        if probability > 0.02 {
            out.push(Outcome { when: when.clone(), probability, means: means.join(", ") });
        }
    }
    out.sort_by(|a, b| b.probability.total_cmp(&a.probability));
    out.truncate(4);
    out
}

/// `terminal:C4.7` as `terminal C4.7`; a part by its id alone.
fn short(item: &str) -> String {
    match item.split_once(':') {
        Some(("part", id)) => id.to_owned(),
        Some(("wire", id)) => format!("conductor {id}"),
        Some((kind, id)) => format!("{kind} {id}"),
        None => "not in this file".to_owned(),
    }
}
