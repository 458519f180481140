//! Ranked repair items with their reasons in words and numbers.

use crate::evidence::{Evidence, Finding, Strength, effect};
use crate::model::{ELSEWHERE, Model, ModelError};
use crate::posterior::Posterior;
use crate::words;
use circuit::meter::Leads;
use circuit::{Change, Fault, Probe, Sweep, fault};
use serde::Serialize;
use utoipa::ToSchema;

/// A reason for or against a suspect.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Reason {
    /// Index of the piece of evidence.
    pub evidence: usize,
    /// In words, with the numbers.
    pub text: String,
}

/// A repair item under suspicion.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Suspect {
    /// Id of the repair item, for example `terminal:C4.7`.
    pub repair_item: String,
    /// Probability, 0 to 1.
    pub probability: f64,
    /// In words.
    pub text: String,
    /// Best-fitting variant in words.
    pub variant: String,
    /// Id of the best-fitting variant; empty for what the vehicle file does not hold.
    pub fault: String,
    /// Evidence that speaks for it.
    #[serde(rename = "for")]
    pub reasons_for: Vec<Reason>,
    /// Evidence that speaks against it.
    pub against: Vec<Reason>,
}

/// Probability from which a number between grid points is looked for.
const WORTH_FITTING: f64 = 0.1;
/// Numbers tried either side of the best grid point, and how far they reach.
const FIT_STEPS: i32 = 6;
const FIT_REACH: f64 = 1.6;

/// Log-likelihood ratio that makes a reason worth saying.
const WORTH_SAYING: f64 = 1.0;

/// The likeliest `most` repair items.
///
/// # Errors
/// [`ModelError`] for evidence that does not fit the vehicle.
pub fn suspects(
    model: &Model,
    evidence: &[Evidence],
    posterior: &Posterior,
    most: usize,
) -> Result<Vec<Suspect>, ModelError> {
    let mut out = Vec::new();
    for (item, probability) in posterior.ranking().into_iter().take(most) {
        let id = &model.items[item];
        let mut suspect = Suspect {
            repair_item: id.clone(),
            probability,
            text: model.item_text(id),
            variant: String::new(),
            fault: String::new(),
            reasons_for: Vec::new(),
            against: Vec::new(),
        };
        if id != ELSEWHERE
            && let Some(best) = posterior.best_of(model, item)
        {
            suspect.fault = model.faults[best].id.clone();
            suspect.variant = variant(model, best, evidence, probability > WORTH_FITTING);
            reasons(model, evidence, posterior, best, &mut suspect)?;
        }
        out.push(suspect);
    }
    Ok(out)
}

/// The best variant in words; a contact or conductor with its resistance as it was under the
/// heaviest load in evidence.
fn variant(model: &Model, best: usize, evidence: &[Evidence], worth_fitting: bool) -> String {
    let fault = &model.faults[best];
    let words = fault.text.split_once(": ").map_or("", |(_, v)| v).to_owned();
    // Without a reading nothing speaks for one resistance rather than another.
    if !evidence.iter().any(|e| matches!(e.finding, Finding::Reading { .. })) {
        return match fault.id.contains(":series:") || fault.id.contains(":constriction:") {
            true => "resistive".to_owned(),
            false => words,
        };
    }
    if !fault.id.contains(":series:") && !fault.id.contains(":constriction:") {
        return words;
    }
    let fitted = if worth_fitting { fit(model, fault, evidence) } else { fault.clone() };
    let Some(Change::Branch(branch, law)) = fitted.changes.first() else {
        return words;
    };
    let heaviest = evidence
        .iter()
        .map(|e| {
            let mut sweep = model.predict(&e.state).sweep.clone();
            let s = sweep.solve(&fitted.changes);
            let b = &model.circuit.branches[*branch];
            let v = s.volts[b.from] - s.volts[b.to];
            (law.amps(v).abs(), v.abs())
        })
        .max_by(|a, b| a.0.total_cmp(&b.0));
    match heaviest {
        Some((amps, volts)) if amps > 0.05 => {
            format!("about {} at {amps:.1} A", fault::ohms_text(volts / amps))
        }
        _ => words,
    }
}

/// The same kind of fault with the number that fits the readings best, between grid points.
fn fit(model: &Model, grid: &Fault, evidence: &[Evidence]) -> Fault {
    let Some((head, number)) = grid.id.rsplit_once(':') else {
        return grid.clone();
    };
    let Ok(number) = number.parse::<f64>() else {
        return grid.clone();
    };
    let mut readings: Vec<(Sweep, Probe, Leads, f64)> = evidence
        .iter()
        .filter_map(|e| match &e.finding {
            Finding::Reading { instrument, red, black, value: Some(read) } => {
                let probe =
                    Probe { instrument: *instrument, red: red.clone(), black: black.clone() };
                let leads = probe.leads(&model.circuit).ok()?;
                Some((model.predict(&e.state).sweep.clone(), probe, leads, *read))
            }
            _ => None,
        })
        .collect();
    let mut misfit = |f: &Fault| -> f64 {
        readings
            .iter_mut()
            .map(|(sweep, probe, leads, read)| {
                let changes: Vec<Change> =
                    f.changes.iter().copied().chain(leads.change()).collect();
                let p = sweep.solve(&changes);
                let v = match *leads {
                    Leads::Around(branch) => p.amps(branch),
                    Leads::Between(_, a, b) => leads.reads(p.volts[a] - p.volts[b]).value(),
                };
                // Half a percent of battery scatter is common to all; capped, so that one
                // bad probe does not pull the number.
                ((*read - v) / probe.instrument.sigma(v).hypot(0.01 * v)).powi(2).min(25.0)
            })
            .sum()
    };
    (-FIT_STEPS..=FIT_STEPS)
        .map(|k| number * FIT_REACH.powf(f64::from(k) / f64::from(FIT_STEPS)))
        .filter_map(|n| fault::by_id(&model.circuit, &format!("{head}:{n}")).ok())
        .map(|f| (misfit(&f), f))
        .min_by(|a, b| a.0.total_cmp(&b.0))
        .map_or_else(|| grid.clone(), |(_, f)| f)
}

fn reasons(
    model: &Model,
    evidence: &[Evidence],
    posterior: &Posterior,
    best: usize,
    suspect: &mut Suspect,
) -> Result<(), ModelError> {
    for (k, e) in evidence.iter().enumerate() {
        let own = posterior.likelihoods[k][best];
        // Compared with what everything suspected, taken together, makes of it.
        let all: f64 = posterior.likelihoods[k]
            .iter()
            .zip(model.faults.iter().map(|f| f.prior))
            .map(|(l, prior)| l.exp() * prior)
            .sum::<f64>()
            / model.faults.iter().map(|f| f.prior).sum::<f64>();
        let ratio = own - all.ln();
        if ratio.abs() < WORTH_SAYING {
            continue;
        }
        let text = reason(model, e, best)?;
        let reason = Reason { evidence: k, text };
        if ratio > 0.0 { &mut suspect.reasons_for } else { &mut suspect.against }.push(reason);
    }
    Ok(())
}

fn reason(model: &Model, e: &Evidence, best: usize) -> Result<String, ModelError> {
    let predictions = model.predict_some(&e.state, &[best]);
    let s = predictions.fault(best).unwrap_or(&predictions.healthy);
    Ok(match &e.finding {
        Finding::Reading { instrument, red, black, value } => {
            let probe = Probe { instrument: *instrument, red: red.clone(), black: black.clone() };
            let x = model.expect(&e.state, &probe)?;
            format!(
                "predicts {} at {}, you read {}; sound: {}",
                words::value(*instrument, x.faults[best].0),
                words::leads(red, black, *instrument),
                words::value(*instrument, value.unwrap_or(f64::INFINITY)),
                words::value(*instrument, x.healthy)
            )
        }
        Finding::Effect { part, strength } => {
            let p = model.circuit.part(part).unwrap_or(0);
            let chances = effect::chances(s.effect(p).unwrap_or(0.0));
            let likely = [Strength::Normal, Strength::Weak, Strength::None]
                .into_iter()
                .max_by(|a, b| chances[effect::index(*a)].total_cmp(&chances[effect::index(*b)]))
                .unwrap_or(Strength::Normal);
            format!(
                "predicts {} {}, you saw {}",
                words::strength(likely),
                words::effect(model, part),
                words::strength(*strength)
            )
        }
        Finding::Code { module, code, failure_type, failing } => {
            let m = model.circuit.vehicle.monitors.iter().position(|m| {
                m.module == *module && m.code == *code && m.failure_type == *failure_type
            });
            let predicted = match m.map(|m| s.monitor(m)) {
                Some(circuit::software::Verdict::Failed) => "set",
                Some(circuit::software::Verdict::Passed) => "not set",
                _ => "not tested",
            };
            format!(
                "predicts {code}-{failure_type} {predicted} in {module}; it {}",
                if *failing { "is failing now" } else { "ran and passed" }
            )
        }
        Finding::Answer { module, answers } => format!(
            "predicts that {module} {}, it {}",
            if s.alive(model.circuit.part(module).unwrap_or(0)) { "answers" } else { "is silent" },
            if *answers { "answers" } else { "is silent" }
        ),
    })
}
