//! The next check: what tells most per minute.
//!
//! [`candidates`] come from the vehicle, [`value`] weighs them against what is
//! still suspected; a check that cannot tell anything is never proposed.

pub mod candidates;
mod value;

use crate::evidence::{Evidence, Finding};
use crate::model::{Model, ModelError};
use crate::posterior::Posterior;
use crate::{verdict, words};
use candidates::{Candidate, What};
use circuit::{Instrument, Probe};
use rayon::prelude::*;
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::OperatingState;

/// A line of the setup: `red`, `C4.7 cabin side …`.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SetupLine {
    /// What it is about.
    pub label: String,
    /// What to do.
    pub text: String,
}

/// What one outcome would mean.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Outcome {
    /// The outcome: a range or a judgement.
    pub when: String,
    /// Its probability.
    pub probability: f64,
    /// What would be suspected most.
    pub means: String,
}

/// A proposed check.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Check {
    /// Stable id; refusing names it.
    pub id: String,
    /// What to do, in a line.
    pub text: String,
    /// `volts`, `ohms`, `amps` or `effect`.
    pub quantity: String,
    /// Unit of the value asked for; empty for an effect.
    pub unit: String,
    /// Red lead, conductor, or the part whose effect is looked at.
    pub red: String,
    /// Black lead.
    pub black: String,
    /// Output to drive, when the state needs one.
    pub outputs: Vec<String>,
    /// State it is taken in.
    pub state: OperatingState,
    /// State in words.
    pub state_text: String,
    /// Minutes of work.
    pub minutes: f64,
    /// Expected information, bits.
    pub information_bits: f64,
    /// Healthy value in words.
    pub expected: String,
    /// Setup.
    pub setup: Vec<SetupLine>,
    /// Outcomes.
    pub outcomes: Vec<Outcome>,
    /// Proposed to refute a suspect that is nearly certain, not to tell suspects apart.
    pub proof: bool,
    /// Why this check.
    pub why: String,
}

/// Probability above which a suspect is to be proven instead of searched for.
pub const CERTAIN: f64 = 0.95;
/// Hypotheses this much less likely than the leading one do not shape the next check.
const NEGLIGIBLE: f64 = 1e-3;
/// Hypotheses that the first sieve looks at, and candidates it lets through.
const SIEVE_HYPOTHESES: usize = 200;
const SIEVED: usize = 40;
/// Candidates for a proof that are weighed against everything that could imitate them.
const SIEVED_PROOFS: usize = 8;
/// Information below which a check is not worth doing, bits.
const WORTHLESS_BITS: f64 = 0.02;

/// The best `most` checks, best first; `refused` names checks that cannot be done.
///
/// # Errors
/// [`ModelError`].
pub fn checks(
    model: &Model,
    evidence: &[Evidence],
    posterior: &Posterior,
    now: &OperatingState,
    refused: &[String],
    most: usize,
) -> Result<Vec<Check>, ModelError> {
    let live = posterior.live(model, NEGLIGIBLE);
    // A rough sieve by the likeliest hypotheses, then the best candidates by all of them.
    let mut likeliest = live.clone();
    likeliest.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    likeliest.truncate(SIEVE_HYPOTHESES);
    let suspected: Vec<usize> =
        likeliest.iter().map(|l| l.0).filter(|h| *h < model.faults.len()).collect();
    let all = candidates::all(model, &suspected);
    let (top, probability) = posterior.ranking()[0];
    let certain = probability > CERTAIN && top + 1 < model.items.len();
    // The same leads in another state prove little: a proof is a reading of its own.
    let open: Vec<&Candidate> = all
        .iter()
        .filter(|c| !is_refused(refused, &c.id()) && !taken(evidence, c, certain))
        .collect();
    let rank = |candidates: &[&'_ Candidate], live: &[(usize, f64, usize)], roughly: bool| {
        let mut valued: Vec<(f64, f64, usize)> = candidates
            .par_iter()
            .enumerate()
            .filter_map(|(k, c)| {
                let value = if certain {
                    value::refutation(model, posterior, top, c, roughly)
                } else {
                    value::information(model, live, c)
                };
                let minutes = c.minutes(model, now);
                (value > WORTHLESS_BITS).then_some((value / minutes, value, k))
            })
            .collect();
        valued.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.2.cmp(&b.2)));
        valued
    };
    let through = if certain { SIEVED_PROOFS } else { SIEVED };
    let sieved: Vec<&Candidate> =
        rank(&open, &likeliest, true).into_iter().take(through).map(|(_, _, k)| open[k]).collect();
    // What is left is weighed by every hypothesis that still matters, solved state by state.
    let matters: Vec<usize> = live.iter().map(|l| l.0).collect();
    let mut states: Vec<&OperatingState> = sieved.iter().map(|c| &c.state).collect();
    states.sort();
    states.dedup();
    for state in states {
        model.predict_some(state, &matters);
    }
    let valued: Vec<(f64, f64, &Candidate)> =
        rank(&sieved, &live, false).into_iter().map(|(r, v, k)| (r, v, sieved[k])).collect();
    valued
        .into_iter()
        .take(most)
        .map(|(_, value, c)| describe(model, &live, now, c, value, certain))
        .collect()
}

/// A refusal names a check, or ends in `*` and names all that begin so: `Amps *` without a clamp.
fn is_refused(refused: &[String], id: &str) -> bool {
    refused.iter().any(|r| match r.strip_suffix('*') {
        Some(head) => id.starts_with(head),
        None => r == id,
    })
}

fn taken(evidence: &[Evidence], c: &Candidate, in_any_state: bool) -> bool {
    evidence.iter().any(|e| {
        (in_any_state || e.state == c.state)
            && match (&e.finding, &c.what) {
                (Finding::Reading { instrument, red, black, .. }, What::Reading(p)) => {
                    *instrument == p.instrument
                        && ((*red == p.red && *black == p.black)
                            || (*red == p.black && *black == p.red))
                }
                (Finding::Effect { part, .. }, What::Effect { part: p, .. }) => part == p,
                _ => false,
            }
    })
}

fn describe(
    model: &Model,
    live: &[(usize, f64, usize)],
    now: &OperatingState,
    c: &Candidate,
    value: f64,
    proof: bool,
) -> Result<Check, ModelError> {
    let state_text = words::state(model, &c.state);
    let mut setup = Vec::new();
    let mut line = |label: &str, text: String| {
        setup.push(SetupLine { label: label.to_owned(), text });
    };
    let (text, quantity, unit, red, black, expected) = match &c.what {
        What::Reading(p) => {
            let e = crate::evidence::reading::sound(model, &c.state, p)?;
            match p.instrument {
                Instrument::Amps => line("clamp", format!("conductor {}", p.red)),
                _ => {
                    line("red", words::point(model, &p.red));
                    line("black", words::point(model, &p.black));
                }
            }
            (
                reading_text(model, p),
                format!("{:?}", p.instrument).to_lowercase(),
                p.instrument.unit().to_owned(),
                p.red.clone(),
                p.black.clone(),
                verdict::healthy_range(p.instrument, e.healthy, e.sigma),
            )
        }
        What::Effect { part, .. } => (
            format!("Drive it and look: {}", words::effect(model, part)),
            "effect".to_owned(),
            String::new(),
            part.clone(),
            String::new(),
            "normal".to_owned(),
        ),
    };
    line("state", state_text.clone());
    line("sound", expected.clone());
    let best_of = if proof { "would refute the suspect" } else { "tells most per minute" };
    let minutes = c.minutes(model, now);
    Ok(Check {
        id: c.id(),
        why: format!("Of all checks in reach this {best_of}: {value:.1} bit in {minutes:.1} min."),
        text,
        quantity,
        unit,
        red,
        black,
        outputs: c.state.outputs.iter().cloned().collect(),
        state: c.state.clone(),
        state_text,
        minutes,
        information_bits: value,
        expected,
        setup,
        outcomes: value::outcomes(model, live, c),
        proof,
    })
}

fn reading_text(model: &Model, p: &Probe) -> String {
    let v = &model.circuit.vehicle;
    let owner = |id: &str| id.split('.').next().unwrap_or(id).to_owned();
    let connector = v.connectors.iter().find(|c| c.id == owner(&p.red));
    match p.instrument {
        Instrument::Amps => format!("Current in conductor {}, with a clamp", p.red),
        Instrument::Ohms => format!("Resistance {} to {}", p.red, p.black),
        Instrument::Shunt => format!("Current from {} to {}, through the meter", p.red, p.black),
        Instrument::Lamp5 => format!("Test lamp 5 W from {} to {}", p.red, p.black),
        Instrument::Lamp21 => format!("Test lamp 21 W from {} to {}", p.red, p.black),
        Instrument::Led => format!("LED tester from {} to {}", p.red, p.black),
        Instrument::Jumper => format!("Fused jumper from {} to {}", p.red, p.black),
        Instrument::LowVolts => format!("Voltage at {} to {}, low impedance", p.red, p.black),
        Instrument::Volts if p.black == model.circuit.reference => {
            format!("Voltage at {} against battery minus", p.red)
        }
        Instrument::Volts => match connector {
            Some(c) if owner(&p.red) == owner(&p.black) && c.sides.is_some() => {
                let cavity = p.red.split(':').next().unwrap_or(&p.red);
                format!("Voltage across terminal {cavity}, {}", c.name)
            }
            _ if owner(&p.red) == owner(&p.black) => {
                format!("Voltage across {}, {} to {}", owner(&p.red), p.red, p.black)
            }
            _ => format!("Voltage drop from {} to {}", p.red, p.black),
        },
    }
}
