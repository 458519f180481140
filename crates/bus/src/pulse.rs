//! Pulses on a single line: frequency, duty, levels, dropouts and glitches; volts, or the current of a
//! two-wire sensor.

use crate::edges::{Edge, Slicer, Thresholds};
use crate::levels::{levels, median};
use crate::trace::Trace;

/// What a pulse train is like.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Pulses {
    /// Lower level, in the channel's unit.
    pub low: f64,
    /// Upper level.
    pub high: f64,
    /// Whole periods.
    pub periods: usize,
    /// Median period, seconds.
    pub period_s: f64,
    /// Least and largest period, seconds.
    pub range_s: (f64, f64),
    /// Median share of a period spent at the upper level.
    pub duty: f64,
    /// Gaps where a pulse is missing: time and how many periods long.
    pub gaps: Vec<(f64, f64)>,
    /// Times of pulses much shorter than the rest, seconds.
    pub glitches: Vec<f64>,
}

/// A period this many times the median is a gap: a tooth is missing.
const GAP: f64 = 1.6;
/// A pulse below this share of the median one is a glitch.
const GLITCH: f64 = 0.2;

/// The pulses of a channel; none where it stays at one level (`least` apart are two) or has no two periods.
pub fn pulses(trace: &Trace, channel: usize, least: f64) -> Option<Pulses> {
    let volts = &trace.channels.get(channel)?.volts;
    let found = levels(volts.len(), least, |k| volts[k])?;
    let (low, high) = (found.rest.min(found.other), found.rest.max(found.other));
    let mut slicer = Slicer::new(Thresholds::between(low, high));
    slicer.push(volts);
    let edges = slicer.finish();
    let (edges, glitches) = without_short(edges);
    let ups: Vec<f64> = edges.iter().filter(|e| e.active).map(|e| e.at).collect();
    let mut periods: Vec<f64> = ups.windows(2).map(|w| w[1] - w[0]).collect();
    let usual = median(periods.clone())?;
    let gaps = ups
        .windows(2)
        .filter(|w| w[1] - w[0] > GAP * usual)
        .map(|w| (trace.time(w[0]), (w[1] - w[0]) / usual))
        .collect();
    let duties: Vec<f64> = edges
        .windows(3)
        .filter(|w| w[0].active)
        .map(|w| (w[1].at - w[0].at) / (w[2].at - w[0].at))
        .collect();
    periods.sort_by(f64::total_cmp);
    Some(Pulses {
        low,
        high,
        periods: periods.len(),
        period_s: usual * trace.step_s,
        range_s: (periods[0] * trace.step_s, periods[periods.len() - 1] * trace.step_s),
        duty: median(duties)?,
        gaps,
        glitches: glitches.into_iter().map(|at| trace.time(at)).collect(),
    })
}

/// Edges without pulses far shorter than the rest, and where these were.
fn without_short(edges: Vec<Edge>) -> (Vec<Edge>, Vec<f64>) {
    let lengths: Vec<f64> = edges.windows(2).map(|w| w[1].at - w[0].at).collect();
    let Some(usual) = median(lengths) else { return (edges, Vec::new()) };
    let (mut kept, mut short): (Vec<Edge>, Vec<f64>) =
        (Vec::with_capacity(edges.len()), Vec::new());
    for edge in edges {
        match kept.last() {
            Some(last) if edge.at - last.at < GLITCH * usual && last.active != edge.active => {
                short.extend(kept.pop().map(|e| e.at));
            }
            Some(last) if last.active == edge.active => {}
            _ => kept.push(edge),
        }
    }
    (kept, short)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::trace::Channel;

    /// 5 V pulses with 1000 samples a period, high for `high` of them.
    fn train(periods: usize, high: usize, spoil: impl Fn(usize, usize) -> Option<f32>) -> Trace {
        let volts = (0..periods * 1000)
            .map(|k| {
                let (n, at) = (k / 1000, k % 1000);
                spoil(n, at).unwrap_or(if at < high { 5.0 } else { 0.0 })
            })
            .collect();
        let channels = vec![Channel { name: "signal".into(), volts }];
        Trace { start_s: 0.0, step_s: 1e-6, channels }
    }

    #[test]
    fn a_train_has_its_frequency_and_duty() {
        let p = pulses(&train(50, 300, |_, _| None), 0, 1.0).unwrap();
        assert!((p.period_s - 1e-3).abs() < 1e-9 && (p.duty - 0.3).abs() < 1e-3, "{p:?}");
        assert!(p.gaps.is_empty() && p.glitches.is_empty());
        assert!((p.low - 0.0).abs() < 0.05 && (p.high - 5.0).abs() < 0.05);
    }

    #[test]
    fn a_missing_tooth_and_a_glitch_are_told_with_their_time() {
        let spoil = |n: usize, at: usize| match n {
            20 => Some(0.0),
            30 if (600..610).contains(&at) => Some(5.0),
            _ => None,
        };
        let p = pulses(&train(50, 500, spoil), 0, 1.0).unwrap();
        assert_eq!(p.gaps.len(), 1);
        // The last pulse before the gap rises at period 19; the next one two periods later.
        assert!((p.gaps[0].0 - 0.019).abs() < 1e-5 && (p.gaps[0].1 - 2.0).abs() < 0.01, "{p:?}");
        assert_eq!(p.glitches.len(), 1);
        assert!((p.glitches[0] - 0.0306).abs() < 1e-5, "{p:?}");
    }

    #[test]
    fn a_line_that_stays_has_no_pulses() {
        assert_eq!(pulses(&train(5, 1000, |_, _| None), 0, 1.0), None);
        assert_eq!(pulses(&train(5, 500, |_, _| None), 7, 1.0), None);
    }
}
