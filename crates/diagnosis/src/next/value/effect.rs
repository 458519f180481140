//! What the effect of an output could be, with a jumper on or a part swapped too.

use super::Scales;
use super::table::{Table, Words};
use crate::evidence::{effect, substituted};
use crate::next::candidates::Candidate;
use crate::posterior::Explains;
use circuit::Change;
use circuit::meter::Leads;
use vehicle::{Item, PartId};

impl Scales<'_> {
    /// An effect watched; with a jumper on, or a part swapped.
    pub(super) fn effect(
        &self,
        c: &Candidate,
        part: &str,
        jumper: Option<Leads>,
        swapped: Option<&PartId>,
    ) -> Option<Table> {
        let model = self.model;
        let at = model.circuit.part(part)?;
        let p = model.predict(&c.state);
        let chances = |strength: Option<f64>| effect::chances(strength.unwrap_or(0.0));
        let mut sweep = jumper.map(|leads| (p.sweep.clone(), leads.change()));
        let sound = match &mut sweep {
            Some((sweep, change)) => {
                let changes: Vec<Change> = change.iter().copied().collect();
                chances(sweep.solve(&changes).effect(at))
            }
            None => chances(p.healthy.effect(at)),
        };
        let item = swapped.map(|id| Item::part(id));
        let words = Words::of(["normal", "weak", "nothing"]);
        let otherwise = match jumper.is_some() || swapped.is_some() {
            true => substituted::elsewhere(jumper.is_some()).to_vec(),
            false => super::unforeseen(&sound),
        };
        Some(self.rows_otherwise(words, &sound, otherwise, 0.0, |l, into| {
            let Some(s) = self.snapshot(&p, c, l, false) else { return false };
            let of_item =
                matches!(l.what, Explains::Fault(h) if Some(&model.faults[h].repair_item) == item.as_ref());
            into.extend(match &mut sweep {
                Some((sweep, change)) => {
                    let changes: Vec<Change> =
                        self.changes(l).into_iter().chain(change.iter().copied()).collect();
                    chances(sweep.solve(&changes).effect(at))
                }
                None if of_item => sound,
                None => chances(s.effect(at)),
            });
            true
        }))
    }
}
