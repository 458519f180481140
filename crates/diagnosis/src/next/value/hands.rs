//! What hand and eye could find.

use super::Scales;
use super::table::{Table, Words};
use crate::evidence::{moved, seen};
use crate::model::HypIx;
use crate::posterior::Explains;

impl Scales<'_> {
    pub(super) fn moved(&self, at: &str) -> Table {
        let words = Words::of(["it changes", "no change"]);
        let faults = &self.model.faults;
        self.rows(words, &[0.0, 1.0], 0.0, |l, into| {
            let chance = match l.what {
                Explains::Fault(h) => {
                    let [steady, wavering] = moved::chances(self.model, at, &faults[h]);
                    let share = self.posterior.share_wavering(h);
                    steady * (1.0 - share) + wavering * share
                }
                Explains::Pair(k) => self.posterior.pairs.get(k).map_or(0.0, |p| {
                    let of = |h: HypIx| moved::chances(self.model, at, &faults[h])[0];
                    of(p.a).max(of(p.b))
                }),
                Explains::Elsewhere => return false,
            };
            // What comes and goes is already in the chance.
            let there = if l.there > 0.0 { l.there } else { 1.0 };
            let chance = (chance / there).min(1.0);
            into.extend([chance, 1.0 - chance]);
            true
        })
    }

    pub(super) fn look(&self, at: &str) -> Table {
        let words =
            Words::of(["nothing to see", "damage", "corrosion", "water", "pushed back", "no grip"]);
        let sound = [1.0, 0.0, 0.0, 0.0, 0.0, 0.0];
        let faults = &self.model.faults;
        self.rows(words, &sound, 0.0, |l, into| {
            // What can be seen is there whether or not the symptom is.
            into.extend(match l.what {
                Explains::Fault(h) => seen::chances(self.model, at, &faults[h]),
                Explains::Pair(k) => match self.posterior.pairs.get(k) {
                    Some(p) => {
                        let (a, b) = (
                            seen::chances(self.model, at, &faults[p.a]),
                            seen::chances(self.model, at, &faults[p.b]),
                        );
                        if a[0] < b[0] { a } else { b }
                    }
                    None => sound,
                },
                Explains::Elsewhere => return false,
            });
            true
        })
    }
}
