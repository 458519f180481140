//! What all modules could say together.

use super::table::{Table, Words};
use super::{Held, MOST_BINS, Scales};
use crate::model::{Predictions, Snapshot};
use crate::next::candidates::Candidate;
use crate::posterior::Explains;
use std::collections::HashMap;

/// Chance that any outcome comes up for no reason: many monitors stand near their thresholds.
const SCAN_SLIP: f64 = 0.06;
/// Explanations for which it is worked out who would be heard, and with a connector unplugged, a state
/// that nobody has solved ahead.
const HEARD: usize = 200;
const HEARD_UNPLUGGED: usize = 32;
/// What a scan shows when it is none of the likelier outcomes.
const NO_WORDS: &str = "anything else";

impl Scales<'_> {
    /// A scan: its outcomes are what the modules could say together.
    pub(super) fn scan(&self, c: &Candidate) -> Option<Table> {
        let p = self.model.predict(&c.state);
        // Who is heard counts for the likeliest only: to work it out takes far longer than all else.
        let most = if c.state.unplugged.is_empty() { HEARD } else { HEARD_UNPLUGGED };
        let mut likeliest: Vec<usize> = (0..self.live.len()).collect();
        likeliest.sort_by(|a, b| self.weights[*b].total_cmp(&self.weights[*a]));
        let mut is_heard = vec![false; self.live.len()];
        likeliest.iter().take(most).for_each(|k| is_heard[*k] = true);
        let wanted: Vec<usize> = (self.live.iter().zip(&is_heard))
            .filter_map(|(l, heard)| match l.what {
                Explains::Fault(h) if *heard && p.is_solved(h) => Some(h),
                _ => None,
            })
            .collect();
        self.model.predict_heard_some(&c.state, &wanted);
        let held: Vec<Option<Held<'_>>> = (self.live.iter().zip(&is_heard))
            .map(|(l, heard)| self.snapshot(&p, c, l, *heard))
            .collect();
        let key = Snapshot::software;
        let mut classes: HashMap<_, f64> = HashMap::new();
        for (s, w) in held.iter().zip(&self.weights) {
            if let Some(s) = s {
                *classes.entry(key(s)).or_default() += w;
            }
        }
        classes.entry((Vec::new(), Vec::new())).or_insert(0.0);
        if classes.len() < 2 {
            return None;
        }
        let mut ranked: Vec<_> = classes.into_iter().collect();
        ranked.sort_by(|a, b| {
            b.1.total_cmp(&a.1).then_with(|| (&a.0.1, a.0.0.len()).cmp(&(&b.0.1, b.0.0.len())))
        });
        let lumped = ranked.len() >= MOST_BINS;
        ranked.truncate(MOST_BINS - 1);
        let mut words: Vec<String> =
            ranked.iter().map(|((m, f), _)| self.scan_words(&p, m, f)).collect();
        if lumped {
            words.push(NO_WORDS.to_owned());
        }
        let place: HashMap<_, usize> =
            ranked.into_iter().enumerate().map(|(k, (key, _))| (key, k)).collect();
        let n = words.len();
        let one = |k: usize| (0..n).map(move |j| f64::from(u8::from(j == k)));
        let of = |s: &Snapshot| place.get(&key(s)).copied().unwrap_or(n - 1);
        let sound: Vec<f64> = one(of(&p.healthy)).collect();
        let mut k = 0;
        Some(self.rows(Words::Given(words), &sound, SCAN_SLIP, |_, into| {
            let s = &held[k];
            k += 1;
            s.as_ref().map(|s| into.extend(one(of(s)))).is_some()
        }))
    }

    fn scan_words(
        &self,
        p: &Predictions,
        monitors: &[(u32, circuit::software::Verdict)],
        flipped: &[u32],
    ) -> String {
        let v = &self.model.circuit.vehicle;
        let modules: Vec<&str> = flipped
            .iter()
            .filter(|f| v.parts[**f as usize].module.is_some() && p.healthy.answers(**f as usize))
            .map(|f| v.parts[*f as usize].id.as_str())
            .collect();
        let codes: Vec<String> = monitors
            .iter()
            .filter(|(_, verdict)| *verdict == circuit::software::Verdict::Failed)
            .map(|(m, _)| &v.monitors[*m as usize])
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
