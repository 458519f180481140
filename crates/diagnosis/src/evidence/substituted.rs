//! Something put in the place of something else (N27), and an effect watched: a fused jumper
//! between two points, or a part swapped with a known-good one.

use super::{Strength, effect};
use crate::model::{HypIx, Model, ModelError};
use circuit::{Change, Fault, Instrument, Probe, meter::Leads};
use vehicle::{Item, OperatingState, PartIx, TiVec};

/// What is still so with a known-good part in is looked at twice: it is misjudged so many times as seldom.
const STILL: f64 = 0.1;

/// A substitution and what it did.
#[derive(Debug, Clone)]
pub(crate) struct Swap {
    leads: Option<Leads>,
    /// Repair item that a known-good part stands in for.
    item: Option<Item>,
    part: PartIx,
    seen: usize,
}

/// Reads a substitution.
///
/// # Errors
/// [`ModelError`] for names the vehicle does not have, or neither jumper nor part.
pub(super) fn swap(
    model: &Model,
    jumper: Option<&[String; 2]>,
    swapped: Option<&str>,
    part: &str,
    strength: Strength,
) -> Result<Swap, ModelError> {
    let at = super::part(model, part)?;
    if let Some(id) = swapped {
        super::part(model, id)?;
    } else if jumper.is_none() {
        let id = "(neither jumper nor part)".to_owned();
        return Err(ModelError::Unknown { what: "substitute", id });
    }
    let leads = jumper.map(|[red, black]| probe(red, black).leads(&model.circuit)).transpose()?;
    let item = swapped.map(Item::part);
    Ok(Swap { leads, item, part: at, seen: effect::index(strength) })
}

/// A fused jumper between two points.
pub(crate) fn probe(red: &str, black: &str) -> Probe {
    Probe { instrument: Instrument::Jumper, red: red.to_owned(), black: black.to_owned() }
}

/// Chance that the effect comes back with a known-good part in although what is wrong is not in the file: no
/// part of the file is wrong then, and it comes back by chance only.
const CAME_BACK: f64 = 0.05;

/// Chance of each strength of the effect under an unknown fault. What a jumper does to it nobody knows.
pub(crate) fn elsewhere(jumper: bool) -> [f64; 3] {
    let still = (1.0 - CAME_BACK) / 2.0;
    if jumper { [1.0 / 3.0; 3] } else { [CAME_BACK, still, still] }
}

impl Swap {
    /// Log-likelihood under an unknown fault.
    pub(super) fn elsewhere(&self) -> f64 {
        elsewhere(self.leads.is_some())[self.seen].ln()
    }

    fn jumper(&self) -> Option<Change> {
        self.leads.and_then(Leads::change)
    }

    /// Log-likelihood under every hypothesis, and with nothing wrong.
    pub(super) fn all(
        &self,
        model: &Model,
        state: &OperatingState,
    ) -> Result<(TiVec<HypIx, f64>, f64), ModelError> {
        let away = self.under(model, state, &[])?;
        let p = model.predict_all(state);
        let still = if self.seen == effect::index(Strength::Normal) { 0.0 } else { STILL.ln() };
        let score = |effect: Option<f64>| effect::chances(effect.unwrap_or(0.0))[self.seen].ln();
        let there = match self.jumper() {
            None => p
                .all()
                .zip(&model.faults)
                .map(|(s, f)| match self.item.as_ref() == Some(&f.repair_item) {
                    true => away + still,
                    false => score(s.effect(self.part)),
                })
                .collect(),
            jumper => model.sweep_all(
                &p.sweep,
                jumper,
                None,
                |_| true,
                away,
                |point| score(point.effect(self.part)),
            ),
        };
        Ok((there, away))
    }

    /// Log-likelihood under several faults at once.
    pub(super) fn under(
        &self,
        model: &Model,
        state: &OperatingState,
        faults: &[&Fault],
    ) -> Result<f64, ModelError> {
        let swapped = |f: &&&Fault| self.item.as_ref() != Some(&f.repair_item);
        let changes: Vec<Change> = faults
            .iter()
            .filter(swapped)
            .flat_map(|f| f.changes.clone())
            .chain(self.jumper())
            .collect();
        let mut sweep = model.predict(state).sweep.clone();
        let strength = sweep.solve(&changes).effect(self.part);
        let strength = strength.ok_or_else(|| ModelError::Unknown {
            what: "part with an effect",
            id: model.circuit.vehicle.parts[self.part].id.to_string(),
        })?;
        Ok(effect::chances(strength)[self.seen].ln())
    }
}
