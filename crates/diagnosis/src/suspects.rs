//! Ranked repair items with their reasons in words and numbers.

use crate::counted::{Counted, Which};
use crate::evidence::{Evidence, Finding, LiveReading, Moment, Strength, effect};
use crate::live;
use crate::model::{HypIx, ItemIx, Model, ModelError};
use crate::pairs::Pair;
use crate::posterior::Posterior;
use crate::prior::{Priors, Weight};
use crate::words;
use circuit::meter::Leads;
use circuit::software::Verdict;
use circuit::{Change, Fault, Probe, Sweep, fault, place};
use rayon::prelude::*;
use serde::Serialize;
use std::collections::BTreeMap;
use utoipa::ToSchema;
use vehicle::{Item, SignalIx};

/// A reason for or against a suspect.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Reason {
    /// Index of the piece of evidence.
    pub evidence: usize,
    /// In words, with the numbers.
    pub text: String,
}

/// Something a suspect would still do that nobody has looked at.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Elsewhere {
    /// State in words.
    pub state: String,
    /// What would show there.
    pub text: String,
}

/// A repair item under suspicion.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Suspect {
    /// Id of the repair item, for example `terminal:C4.7`.
    pub repair_item: Item,
    /// Probability, 0 to 1.
    pub probability: f64,
    /// In words.
    pub text: String,
    /// Best-fitting variant in words.
    pub variant: String,
    /// Id of the best-fitting variant; empty for what the vehicle file does not hold.
    pub fault: String,
    /// How much of its probability is that it comes and goes, 0 to 1.
    pub wavering: f64,
    /// Probability that it is one of two faults at once, 0 to 1.
    pub paired: f64,
    /// The likeliest other one of the two, in words; empty without.
    pub together_with: String,
    /// What raised or lowered it before any evidence.
    pub weights: Vec<Weight>,
    /// Evidence that speaks for it.
    #[serde(rename = "for")]
    pub reasons_for: Vec<Reason>,
    /// Evidence that speaks against it.
    pub against: Vec<Reason>,
    /// What it would still show elsewhere.
    pub elsewhere: Vec<Elsewhere>,
}

/// Probability from which a number between grid points is looked for.
const WORTH_FITTING: f64 = 0.1;
/// Numbers tried either side of the best grid point, and how far they reach.
const FIT_STEPS: i32 = 6;
const FIT_REACH: f64 = 1.6;

/// Log-likelihood ratio that makes a reason worth saying.
const WORTH_SAYING: f64 = 1.0;
/// Things a suspect would still show that are listed.
const ELSEWHERE_LISTED: usize = 5;

/// The likeliest `most` repair items.
///
/// # Errors
/// [`ModelError`] for evidence that does not fit the vehicle.
pub fn suspects(
    model: &Model,
    priors: &Priors,
    evidence: &[Evidence],
    posterior: &Posterior,
    most: usize,
) -> Result<Vec<Suspect>, ModelError> {
    let average: Vec<f64> = posterior.moments.par_iter().map(|m| average(priors, m).ln()).collect();
    let of = |(item, probability): (ItemIx, f64)| {
        let id = &model.items[item];
        let mut suspect = Suspect {
            repair_item: id.clone(),
            probability,
            text: model.item_text(id),
            variant: String::new(),
            fault: String::new(),
            wavering: 0.0,
            paired: 0.0,
            together_with: String::new(),
            weights: priors.why.get(&item).cloned().unwrap_or_default(),
            reasons_for: Vec::new(),
            against: Vec::new(),
            elsewhere: Vec::new(),
        };
        if *id != Item::Elsewhere
            && let Some(best) = posterior.best_of(model, item)
        {
            suspect.fault = model.faults[best].id.to_string();
            suspect.variant = variant(model, best, evidence, probability > WORTH_FITTING);
            let own: f64 = model.variants(item).iter().map(|h| posterior.wavering[*h]).sum();
            suspect.wavering = if probability > 0.0 { own / probability } else { 0.0 };
            pair(model, posterior, item, &mut suspect);
            let averages = Averages { average: &average, share: posterior.share_wavering(best) };
            reasons(model, evidence, posterior, best, &averages, &mut suspect)?;
            suspect.elsewhere = elsewhere(model, evidence, best);
        }
        Ok(suspect)
    };
    posterior.ranking().into_par_iter().take(most).map(of).collect()
}

/// What everything that can be wrong, weighed by its prior, makes of a piece of evidence.
fn average(priors: &Priors, m: &Moment) -> f64 {
    let l = &m.likelihood;
    let of = |h: HypIx| match l.there[h] == l.away && l.wavering.is_none() {
        true => (priors.steady[h] + priors.wavering[h]) * l.away.exp(),
        false => {
            priors.steady[h] * l.there[h].exp()
                + priors.wavering[h] * l.wavering(h, m.present).exp()
        }
    };
    l.there.keys().map(of).sum()
}

fn pair(model: &Model, posterior: &Posterior, item: ItemIx, suspect: &mut Suspect) {
    let other = |p: &Pair| match (model.item_of[p.a], model.item_of[p.b]) {
        (a, b) if a == item => Some(b),
        (a, b) if b == item => Some(a),
        _ => None,
    };
    let mut with: BTreeMap<ItemIx, f64> = BTreeMap::new();
    for p in &posterior.pairs {
        if let Some(other) = other(p) {
            suspect.paired += p.p;
            *with.entry(other).or_default() += p.p;
        }
    }
    if suspect.paired > 0.3 * suspect.probability
        && let Some((other, _)) = with.into_iter().max_by(|a, b| a.1.total_cmp(&b.1))
    {
        suspect.together_with = model.item_text(&model.items[other]);
    }
}

/// What a hypothesis would show in the named states that no evidence speaks of: silent modules,
/// lost effects, codes.
fn elsewhere(model: &Model, evidence: &[Evidence], best: HypIx) -> Vec<Elsewhere> {
    let v = &model.circuit.vehicle;
    let known = |state: &vehicle::OperatingState, f: &dyn Fn(&Finding) -> bool| {
        evidence.iter().any(|e| e.state == *state && f(&e.finding))
    };
    let mut out: Vec<Elsewhere> = Vec::new();
    let mut said = std::collections::BTreeSet::new();
    for named in &v.states {
        let p = model.predict_heard_some(&named.state, &[best]);
        let Some(s) = p.heard(best).filter(|s| s.differs()) else { continue };
        let mut add = |text: String| {
            if said.insert(text.clone()) {
                out.push(Elsewhere { state: named.name.clone(), text });
            }
        };
        let (monitors, flipped) = s.software();
        for m in flipped.iter().copied().filter(|m| v.parts[*m].module.is_some()) {
            let id = &v.parts[m].id;
            let asked = |f: &Finding| matches!(f, Finding::Answer { module, .. } if module == id);
            if p.healthy.alive(m) && !known(&named.state, &asked) {
                add(format!("{} {id} is silent", v.parts[m].name));
            }
        }
        for at in model.working(&named.state) {
            let load = &v.parts[at].id;
            let (Some(now), Some(sound)) = (s.effect(at), p.healthy.effect(at)) else { continue };
            let seen = |f: &Finding| matches!(f, Finding::Effect { part, .. } if part == load);
            if now < 0.8 * sound && !known(&named.state, &seen) {
                let how = if now < 0.08 { "nothing" } else { "weak" };
                add(format!("{}: {how}", words::effect(model, load)));
            }
        }
        for (k, _) in monitors.iter().filter(|(_, x)| *x == Verdict::Failed) {
            let m = &v.monitors[*k];
            let same = |f: &Finding| matches!(f, Finding::Code { module, code, .. } if *module == m.module && *code == m.code);
            if !known(&named.state, &same) {
                add(format!("{}-{} in {}: {}", m.code, m.failure_type, m.module, m.text));
            }
        }
    }
    out.truncate(ELSEWHERE_LISTED);
    out
}

/// The best variant in words; a contact or conductor with its resistance as it was under the
/// heaviest load in evidence.
fn variant(model: &Model, best: HypIx, evidence: &[Evidence], worth_fitting: bool) -> String {
    let fault = &model.faults[best];
    let words = fault.text.split_once(": ").map_or("", |(_, v)| v).to_owned();
    let is_resistive = matches!(fault.id.mode.as_str(), "series" | "constriction");
    // Without a reading nothing speaks for one resistance rather than another.
    if !evidence.iter().any(|e| matches!(e.finding, Finding::Reading { .. })) {
        return match is_resistive {
            true => "resistive".to_owned(),
            false => words,
        };
    }
    if !is_resistive {
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
    let Some(number) = grid.id.number else {
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
        .filter_map(|n| fault::named(&model.circuit, &grid.id.with(n)))
        .map(|f| (misfit(&f), f))
        .min_by(|a, b| a.0.total_cmp(&b.0))
        .map_or_else(|| grid.clone(), |(_, f)| f)
}

/// What each piece of evidence is compared with.
struct Averages<'a> {
    /// Log-likelihood that everything suspected, taken together, gives each piece.
    average: &'a [f64],
    /// How much of the suspect's probability is that it comes and goes.
    share: f64,
}

fn reasons(
    model: &Model,
    evidence: &[Evidence],
    posterior: &Posterior,
    best: HypIx,
    averages: &Averages<'_>,
    suspect: &mut Suspect,
) -> Result<(), ModelError> {
    let wavers = averages.share > 0.5;
    for (m, average) in posterior.moments.iter().zip(averages.average) {
        for k in &m.pieces {
            let e = &evidence[*k];
            // Of a scan, each finding is compared with a sound vehicle; anything else with all that
            // is suspected.
            let ratio = match m.pieces.len() {
                1 if wavers => m.likelihood.wavering(best, m.present) - average,
                1 => m.likelihood.there[best] - average,
                _ => of_scan(model, e, best),
            };
            if ratio.abs() < WORTH_SAYING {
                continue;
            }
            let text = reason(model, e, best)?;
            let reason = Reason { evidence: *k, text };
            if ratio > 0.0 { &mut suspect.reasons_for } else { &mut suspect.against }.push(reason);
        }
    }
    suspect.reasons_for.sort_by_key(|r| r.evidence);
    suspect.against.sort_by_key(|r| r.evidence);
    Ok(())
}

/// Log-likelihood ratio of a finding of a scan, a hypothesis against a sound vehicle.
fn of_scan(model: &Model, e: &Evidence, best: HypIx) -> f64 {
    let p = model.predict_heard_some(&e.state, &[best]);
    let Some(s) = p.heard(best) else { return 0.0 };
    e.scorer(model).map_or(0.0, |score| score(s) - score(&p.healthy))
}

fn likely_strength(strength: f64) -> Strength {
    let chances = effect::chances(strength);
    [Strength::Normal, Strength::Weak, Strength::None]
        .into_iter()
        .max_by(|a, b| chances[effect::index(*a)].total_cmp(&chances[effect::index(*b)]))
        .unwrap_or(Strength::Normal)
}

/// Shares of the fastest that differ by no more are the same.
const SAME_SHARE: f64 = 0.02;

/// What a signal would count under a hypothesis, hertz; none of one that counts nothing.
fn counted(model: &Model, e: &Evidence, h: HypIx, signal: SignalIx) -> Option<f64> {
    model.circuit.software.ring(signal)?;
    Counted::of(model, &e.state, Which::Some(&[h]))?.under(&model.circuit, signal, h)
}

fn reason(model: &Model, e: &Evidence, best: HypIx) -> Result<String, ModelError> {
    let predictions = model.predict_heard_some(&e.state, &[best]);
    let s = predictions.heard(best).unwrap_or(&predictions.healthy);
    let fault = &model.faults[best];
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
            let Some(p) = model.circuit.part(part) else {
                return Err(ModelError::Unknown { what: "part", id: part.to_string() });
            };
            format!(
                "predicts {} {}, you saw {}",
                words::strength(likely_strength(s.effect(p).unwrap_or(0.0))),
                words::effect(model, part),
                words::strength(*strength)
            )
        }
        Finding::Code { module, code, failure_type, failing } => {
            let m = model.monitor_of(module, *code, *failure_type);
            let predicted = match m.map(|m| s.monitor(m)) {
                Some(Verdict::Failed) => "set",
                Some(Verdict::Passed) => "not set",
                _ => "not tested",
            };
            format!(
                "predicts {code}-{failure_type} {predicted} in {module}; it {}",
                if *failing { "is failing now" } else { "ran and passed" }
            )
        }
        Finding::Answer { module, answers } => format!(
            "predicts that {module} {}, it {}",
            if model.circuit.part(module).is_some_and(|p| s.answers(p)) {
                "answers"
            } else {
                "is silent"
            },
            if *answers { "answers" } else { "is silent" }
        ),
        Finding::Signal { signal, value } => {
            let signals = &model.circuit.vehicle.signals;
            let number = signals.position(|x| x.id == *signal);
            let pins = number.and_then(|n| model.circuit.software.pins(n));
            let predicted = match (pins, number) {
                (Some((a, b)), _) => s.between(a, b),
                (None, Some(n)) => counted(model, e, best, n).unwrap_or(0.0),
                (None, None) => 0.0,
            };
            // Of what a sensor feels nobody may have said how much there is.
            let of = number.map(|n| &signals[n]);
            let unsaid = of.and_then(|of| live::unsaid(&model.circuit.vehicle, of, &e.state));
            let at = unsaid.map(|s| format!(" at {} {}", s.rest, s.unit)).unwrap_or_default();
            format!("predicts {signal} = {predicted:.2}{at}, the module says {value:.2}")
        }
        Finding::Together { values, .. } => {
            let signals = &model.circuit.vehicle.signals;
            let predicted =
                |v: &LiveReading| counted(model, e, best, signals.position(|x| x.id == v.signal)?);
            if let Some(rates) = values.iter().map(predicted).collect::<Option<Vec<f64>>>() {
                let largest = rates.iter().copied().fold(f64::MIN_POSITIVE, f64::max);
                let read = values.iter().map(|v| v.value).fold(f64::MIN_POSITIVE, f64::max);
                let differs = |(v, p): &(&LiveReading, &f64)| {
                    (*p / largest - v.value / read).abs() > SAME_SHARE
                        || *p / largest < 1.0 - SAME_SHARE
                };
                let each = (values.iter().zip(&rates)).filter(differs).map(|(v, p)| {
                    let (is, was) = (100.0 * p / largest, 100.0 * v.value / read);
                    format!("{} at {is:.0} % of the fastest, it was {was:.0} %", v.signal)
                });
                let each: Vec<String> = each.collect();
                return Ok(match each.is_empty() {
                    true => "predicts that all turn alike, so they did".to_owned(),
                    false => format!("predicts {}", each.join("; ")),
                });
            }
            let said: Vec<String> =
                values.iter().map(|v| format!("{} = {:.2}", v.signal, v.value)).collect();
            format!("makes values that should agree what they are: {}", said.join(", "))
        }
        Finding::Moved { at, changed } => {
            let lies = place::lies_at(&model.circuit, &fault.repair_item, at);
            format!(
                "{} where the harness was moved ({}); it {}",
                if lies { "lies" } else { "does not lie" },
                words::thing(model, at),
                if *changed { "changed" } else { "did not change" }
            )
        }
        Finding::Seen { at, sight } => {
            let lies = place::lies_at(&model.circuit, &fault.repair_item, at);
            format!(
                "{} what was looked at ({}): {}",
                if lies { "lies at" } else { "does not lie at" },
                words::thing(model, at),
                words::sight(*sight)
            )
        }
        Finding::Level { .. }
        | Finding::Heard { .. }
        | Finding::Substituted { .. }
        | Finding::Recorded { .. } => words::evidence(model, e),
    })
}
