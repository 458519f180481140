//! What all modules could say together.

use super::table::{Table, Words};
use super::{Held, MOST_BINS, Scales, by_weight};
use crate::evidence::{answer, code};
use crate::model::{HypIx, Model, Predictions, Snapshot};
use crate::next::candidates::Candidate;
use crate::posterior::Explains;
use circuit::software::Verdict;
use std::collections::BTreeSet;
use vehicle::{MonitorIx, PartIx};

/// Explanations for which it is worked out who would be heard, and with a connector unplugged, a state
/// that nobody has solved ahead.
const HEARD: usize = 200;
const HEARD_UNPLUGGED: usize = 32;
/// What a scan shows when it is none of the likelier outcomes.
const NO_WORDS: &str = "anything else";
/// Chance that a scan shows none of the likelier outcomes although one of them is predicted.
const OTHER: f64 = 0.02;

/// What a scan shows beyond a sound vehicle's: verdicts that differ, and who answers or not.
type Shows = (Vec<(MonitorIx, Verdict)>, Vec<PartIx>);

/// Number of the part that a monitor runs in.
fn runs_in(model: &Model, monitor: MonitorIx) -> Option<PartIx> {
    model.circuit.part(&model.circuit.vehicle.monitors[monitor].module)
}

/// What of a prediction a scan can show: only modules are asked, and a silent one tells no code; a roll
/// call asks for none.
fn shows(model: &Model, s: &Snapshot, codes: bool) -> Shows {
    let (mut monitors, mut parts) = s.software();
    if !codes {
        monitors.clear();
    }
    monitors.retain(|(m, _)| runs_in(model, *m).is_some_and(|part| s.answers(part)));
    parts.retain(|p| model.circuit.vehicle.parts[*p].module.is_some());
    (monitors, parts)
}

/// A monitor in which the outcomes of a scan differ.
struct Monitor {
    number: MonitorIx,
    /// The module it runs in.
    part: Option<PartIx>,
    watched: code::Watched,
}

/// The monitors and modules in which the outcomes of a scan differ.
struct Differing {
    monitors: Vec<Monitor>,
    parts: Vec<(PartIx, answer::Pins)>,
}

impl Differing {
    fn of(model: &Model, sound: &Snapshot, outcomes: &[Shows]) -> Self {
        let monitors: BTreeSet<MonitorIx> =
            outcomes.iter().flat_map(|(m, _)| m).map(|(m, _)| *m).collect();
        let parts: BTreeSet<PartIx> = outcomes.iter().flat_map(|(_, f)| f).copied().collect();
        let watched = |number| Monitor {
            number,
            part: runs_in(model, number),
            watched: code::Watched::of(model, number, sound),
        };
        let pins = |p| (p, answer::Pins::of(model, p, sound));
        Self {
            monitors: monitors.into_iter().map(watched).collect(),
            parts: parts.into_iter().map(pins).collect(),
        }
    }

    /// Log-likelihood of an outcome under a prediction, as it will be weighed once it is found; a test
    /// that has not run says nothing.
    fn log(&self, sound: &Snapshot, s: &Snapshot, (verdicts, flipped): &Shows) -> f64 {
        let answers = |part: PartIx| sound.answers(part) != flipped.contains(&part);
        let said = |m: &Monitor| {
            if !m.part.is_some_and(answers) {
                return Verdict::NotRun;
            }
            let own = verdicts.iter().find(|(k, _)| *k == m.number).map(|(_, v)| *v);
            own.unwrap_or_else(|| sound.monitor(m.number))
        };
        let of_code = |m: &Monitor| {
            let predicted = s.monitor(m.number);
            match said(m) {
                Verdict::NotRun => 0.0,
                said => {
                    let failing = said == Verdict::Failed;
                    let moved = failing && predicted != Verdict::Failed && m.watched.is_moved(s);
                    code::log(predicted, failing, moved)
                }
            }
        };
        let of_answer = |(p, pins): &(PartIx, answer::Pins)| {
            let answers = answers(*p);
            answer::log(s.answers(*p), answers, !answers && pins.is_moved(s))
        };
        self.monitors.iter().map(of_code).sum::<f64>()
            + self.parts.iter().map(of_answer).sum::<f64>()
    }
}

impl Scales<'_> {
    /// A scan, or a roll call that asks for no codes: its outcomes are what the modules could say
    /// together.
    pub(super) fn scan(&self, c: &Candidate, codes: bool) -> Option<Table> {
        let p = self.model.predict(&c.state);
        // Who is heard counts for the likeliest only: to work it out takes far longer than all else.
        let most = if c.state.is_plugged() { HEARD } else { HEARD_UNPLUGGED };
        let mut likeliest: Vec<usize> = (0..self.live.len()).collect();
        likeliest.sort_by(|a, b| self.weights[*b].total_cmp(&self.weights[*a]));
        let mut is_heard = vec![false; self.live.len()];
        likeliest.iter().take(most).for_each(|k| is_heard[*k] = true);
        let wanted: Vec<HypIx> = (self.live.iter().zip(&is_heard))
            .filter_map(|(l, heard)| match l.what {
                Explains::Fault(h) if *heard => Some(h),
                _ => None,
            })
            .collect();
        self.model.predict_heard_some(&c.state, &wanted);
        let held: Vec<Option<Held<'_>>> = (self.live.iter().zip(&is_heard))
            .map(|(l, heard)| self.snapshot(&p, c, l, *heard))
            .collect();
        let key = |s: &Snapshot| shows(self.model, s, codes);
        let of_live =
            held.iter().zip(&self.weights).filter_map(|(s, w)| Some((key(s.as_ref()?), *w)));
        let mut outcomes: Vec<Shows> = by_weight(of_live.chain([((Vec::new(), Vec::new()), 0.0)]));
        if outcomes.len() < 2 {
            return None;
        }
        let lumped = outcomes.len() >= MOST_BINS;
        outcomes.truncate(MOST_BINS - 1);
        let mut words: Vec<String> =
            outcomes.iter().map(|(m, f)| self.scan_words(&p, m, f)).collect();
        if lumped {
            words.push(NO_WORDS.to_owned());
        }
        let differing = Differing::of(self.model, &p.healthy, &outcomes);
        let row = |s: &Snapshot| {
            let own = key(s);
            let mut logs: Vec<f64> =
                outcomes.iter().map(|shows| differing.log(&p.healthy, s, shows)).collect();
            if lumped {
                let among = outcomes.contains(&own);
                let best = differing.log(&p.healthy, s, &own);
                logs.push(best + if among { OTHER.ln() } else { 0.0 });
            }
            let most = logs.iter().copied().fold(f64::NEG_INFINITY, f64::max);
            let chances: Vec<f64> = logs.iter().map(|l| (l - most).exp()).collect();
            let total: f64 = chances.iter().sum();
            chances.into_iter().map(move |x| x / total)
        };
        let sound: Vec<f64> = row(&p.healthy).collect();
        let known = |k: usize| match self.live[k].what {
            Explains::Fault(h) => !self.model.is_on_bus(h) || is_heard[k] && p.is_heard_known(h),
            Explains::Pair(_) => is_heard[k],
            Explains::Elsewhere => true,
        };
        let rows: Vec<Option<Vec<f64>>> = (held.iter().enumerate())
            .map(|(k, s)| s.as_ref().filter(|_| known(k)).map(|s| row(s).collect()))
            .collect();
        // Of whom it was not worked out who is heard, a scan is taken to tell nothing.
        let mut average = vec![0.0; sound.len()];
        let mut total = 0.0;
        for (row, w) in rows.iter().zip(&self.weights).filter_map(|(r, w)| Some((r.as_ref()?, w))) {
            total += w;
            average.iter_mut().zip(row).for_each(|(sum, x)| *sum += w * x);
        }
        average.iter_mut().for_each(|x| *x /= total.max(f64::MIN_POSITIVE));
        let mut k = 0;
        Some(self.rows(Words::Given(words), &sound, 0.0, |_, into| {
            let (s, row) = (&held[k], &rows[k]);
            k += 1;
            if s.is_some() {
                into.extend(row.as_ref().unwrap_or(&average));
            }
            s.is_some()
        }))
    }

    fn scan_words(
        &self,
        p: &Predictions,
        monitors: &[(MonitorIx, Verdict)],
        flipped: &[PartIx],
    ) -> String {
        let v = &self.model.circuit.vehicle;
        let modules: Vec<&str> = flipped
            .iter()
            .filter(|f| v.parts[**f].module.is_some() && p.healthy.answers(**f))
            .map(|f| v.parts[*f].id.as_str())
            .collect();
        let codes: Vec<String> = monitors
            .iter()
            .filter(|(_, verdict)| *verdict == Verdict::Failed)
            .map(|(m, _)| &v.monitors[*m])
            .map(|m| format!("{}-{}", m.code, m.failure_type))
            .collect();
        let list = |all: &[String]| match all {
            [first, second, _, ..] => format!("{first}, {second} and {} more", all.len() - 2),
            few => few.join(" and "),
        };
        match (modules.is_empty(), codes.is_empty()) {
            (true, true) => "as a sound vehicle".to_owned(),
            (true, false) => list(&codes),
            (false, true) => format!("{} silent", modules.join(" ")),
            (false, false) => format!("{} silent, {}", modules.join(" "), list(&codes)),
        }
    }
}
