//! One job worked from the complaint to a named repair item.

use super::{Bench, Strategy, strategy};
use crate::costs::{Prices, price};
use crate::evidence::{Evidence, Finding, Present, Strength};
use crate::gate::{self, Standing};
use crate::live;
use crate::model::{ItemIx, Model, ModelError};
use crate::next::candidates::{Candidate, Here, What};
use crate::next::{self, Ask, CannotDo, CheckId};
use crate::posterior::{Posterior, entropy};
use crate::prior::Priors;
use circuit::Probe;
use rand::Rng;
use serde::Serialize;
use vehicle::{Item, KeyPosition, OperatingState};

/// Numbers of the moments of a job.
const COMPLAINT: u64 = 1;
const FIRST_SCAN: u64 = 2;
const FIRST_CHECK: u64 = 3;

/// Minutes spent waiting for a symptom to show.
const WAIT: f64 = 5.0;

/// When a job ends.
#[derive(Debug, Clone)]
pub struct Rules {
    /// Most checks before one gives up.
    pub most_checks: usize,
    /// A part is fitted where that is the cheaper next move.
    pub fits: bool,
    /// What work and parts cost.
    pub prices: Prices,
}

impl Default for Rules {
    fn default() -> Self {
        Self { most_checks: 30, fits: true, prices: Prices::default() }
    }
}

/// How a job ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Ending {
    /// One item above the threshold, and its proof taken or none to be had.
    Proven,
    /// Nothing in reach could tell more.
    NothingLeft,
    /// Too many checks.
    GaveUp,
}

/// A worked job, up to the first item named.
#[derive(Debug, Clone, Serialize)]
pub struct Worked {
    /// How it ended.
    pub ending: Ending,
    /// Item named first.
    pub named: Item,
    /// Its probability, 0 to 1.
    pub probability: f64,
    /// It was at fault.
    pub right: bool,
    /// Probability given to the item named second.
    pub second: Item,
    /// Checks after the first scan.
    pub checks: usize,
    /// Minutes of them.
    pub minutes: f64,
    /// Money spent: the minutes, parts fitted to see, mending what was named, and where that was wrong the
    /// search that follows.
    pub cost: f64,
    /// Parts fitted to see.
    pub fitted: usize,
    /// What was done and found, in words.
    pub log: Vec<String>,
    /// Checks that were chosen for what they tell, with what they told.
    pub taken: Vec<Taken>,
}

/// A check with what it promised and what it gave.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Taken {
    /// Kind of check.
    pub kind: &'static str,
    /// Information expected of it, bits.
    pub promised: f64,
    /// By how much it lowered the uncertainty over what is to be repaired, bits.
    pub gained: f64,
}

/// The complaint: what a customer would notice, or what a first scan shows, with the state in
/// which it does. None when nothing shows anywhere.
pub fn complaint(
    model: &Model,
    bench: &mut impl Bench,
    rng: &mut impl Rng,
) -> Option<Vec<Evidence>> {
    let v = &model.circuit.vehicle;
    let mut order: Vec<usize> = (0..v.states.len()).collect();
    for k in (1..order.len()).rev() {
        order.swap(k, rng.random_range(0..=k));
    }
    for named in order.iter().map(|k| &v.states[*k]) {
        bench.set(&named.state);
        for part in model.working(&named.state) {
            let part = v.parts[part].id.clone();
            let seen = bench.effect(&part, None, None);
            if let Some(strength) = seen.filter(|s| *s != Strength::Normal) {
                let finding = Finding::Effect { part, strength };
                let told = Evidence::new(named.state.clone(), finding);
                return Some(vec![Evidence { complaint: true, ..told }]);
            }
        }
    }
    for named in order.iter().map(|k| &v.states[*k]).filter(|s| s.state.key == KeyPosition::On) {
        bench.set(&named.state);
        let found = bench.scan();
        let trouble = |f: &Finding| match f {
            Finding::Code { failing, .. } => *failing,
            Finding::Answer { answers, .. } => !answers,
            _ => false,
        };
        if found.iter().any(trouble) {
            let in_state =
                |f| Evidence { moment: COMPLAINT, ..Evidence::new(named.state.clone(), f) };
            return Some(found.into_iter().map(in_state).collect());
        }
    }
    None
}

/// The first scan of a job, with the key on.
pub fn first_scan(model: &Model, bench: &mut impl Bench) -> Vec<Evidence> {
    let on = model.circuit.vehicle.states.iter().find(|s| s.id == "on");
    let state = on
        .map(|s| s.state.clone())
        .unwrap_or(OperatingState { key: KeyPosition::On, ..OperatingState::default() });
    bench.set(&state);
    let present = bench.present();
    let found = bench.scan();
    let moment = FIRST_SCAN;
    found
        .into_iter()
        .map(|finding| Evidence { present, moment, ..Evidence::new(state.clone(), finding) })
        .collect()
}

/// Does a check; all that it finds belongs to one moment.
pub fn perform(bench: &mut impl Bench, c: &Candidate, moment: u64) -> Vec<Evidence> {
    bench.set(&c.state);
    let present = bench.present();
    let findings = match &c.what {
        What::Reading(p) => vec![Finding::Reading {
            instrument: p.instrument,
            red: p.red.clone(),
            black: p.black.clone(),
            value: bench.read(p),
        }],
        What::Record(p) => {
            let [low, high] = bench.record(p);
            let (red, black) = (p.red.clone(), p.black.clone());
            vec![Finding::Recorded { instrument: p.instrument, red, black, low, high }]
        }
        What::Effect { part } => bench
            .effect(part, None, None)
            .map(|strength| Finding::Effect { part: part.clone(), strength })
            .into_iter()
            .collect(),
        What::Scan => bench.scan(),
        What::RollCall => {
            let mut said = bench.scan();
            said.retain(|f| matches!(f, Finding::Answer { .. }));
            said
        }
        What::Values { signals } => bench.values(signals),
        What::Agree { signals, apart } => live::together(bench.values(signals), *apart),
        What::Move { at } => vec![Finding::Moved { at: at.clone(), changed: bench.moved(at) }],
        What::Look { at } => vec![Finding::Seen { at: at.clone(), sight: bench.look(at) }],
        What::Jumper { red, black, part } => {
            let probe = Probe {
                instrument: circuit::Instrument::Jumper,
                red: red.clone(),
                black: black.clone(),
            };
            let strength = bench.effect(part, Some(&probe), None);
            let found = |strength| Finding::Substituted {
                jumper: Some([red.clone(), black.clone()]),
                swapped: None,
                part: part.clone(),
                strength,
            };
            strength.map(found).into_iter().collect()
        }
        What::Swap { swapped, part } => {
            let strength = bench.effect(part, None, Some(swapped));
            let found = |strength| Finding::Substituted {
                jumper: None,
                swapped: Some(swapped.clone()),
                part: part.clone(),
                strength,
            };
            strength.map(found).into_iter().collect()
        }
    };
    let state = &*c.state;
    findings
        .into_iter()
        .map(|finding| Evidence { present, moment, ..Evidence::new(state.clone(), finding) })
        .collect()
}

/// What a module's gate still wants, before it may be named; none for other items.
fn open_point(
    model: &Model,
    evidence: &[Evidence],
    posterior: &Posterior,
    item: &Item,
    done: &[CheckId],
) -> Result<Option<Candidate>, ModelError> {
    let Some(module) = item.as_part() else { return Ok(None) };
    let points =
        gate::gate(model, evidence, posterior, module)?.map(|g| g.points).unwrap_or_default();
    let open = points.iter().filter(|p| p.standing == Standing::Open).map(gate::GatePoint::check);
    Ok(open.into_iter().find(|c| !done.contains(&c.id())))
}

/// A line of the log: what was believed, what was done, what came of it.
fn told(
    model: &Model,
    worked: &Worked,
    c: &Candidate,
    bits: Option<f64>,
    found: &[Evidence],
) -> String {
    format!(
        "{} {:.0} %; {}: {} -> {}",
        worked.named,
        100.0 * worked.probability,
        bits.map_or_else(|| "gate".to_owned(), |b| format!("{b:.2} bit")),
        c.id(),
        match found {
            [one] => crate::words::evidence(model, one),
            many => format!("{} findings", many.len()),
        }
    )
}

/// Works a job until an item is named.
///
/// # Errors
/// [`ModelError`].
pub fn work(
    model: &Model,
    priors: &Priors,
    bench: &mut impl Bench,
    mut evidence: Vec<Evidence>,
    strategy: Strategy,
    rules: Rules,
    rng: &mut impl Rng,
) -> Result<Worked, ModelError> {
    let steps = strategy::steps(model);
    let mut now = evidence.last().map(|e| e.state.clone()).unwrap_or_default();
    let mut worked = Worked {
        ending: Ending::GaveUp,
        named: Item::Elsewhere,
        probability: 0.0,
        right: false,
        second: Item::Elsewhere,
        checks: 0,
        minutes: 0.0,
        cost: 0.0,
        fitted: 0,
        log: Vec::new(),
        taken: Vec::new(),
    };
    // The check whose outcome the next weighing shows: kind, promise, uncertainty before it.
    let mut pending: Option<(&'static str, f64, f64)> = None;
    let mut proving: Option<ItemIx> = None;
    let mut refused: Vec<CannotDo> = Vec::new();
    // Points of a module's gate that were looked at, each once.
    let mut gated: Vec<CheckId> = Vec::new();
    loop {
        let posterior = Posterior::given(model, priors, &evidence)?;
        let uncertain = entropy(&posterior.items.raw);
        if let Some((kind, promised, before)) = pending.take() {
            worked.taken.push(Taken { kind, promised, gained: before - uncertain });
        }
        let ranking = posterior.ranking();
        let (top, probability) = ranking[0];
        worked.named = model.items[top].clone();
        worked.probability = probability;
        worked.second = model.items[ranking[1].0].clone();
        let certain = probability > next::CERTAIN && worked.named != Item::Elsewhere;
        if certain && proving == Some(top) {
            match open_point(model, &evidence, &posterior, &worked.named, &gated)? {
                Some(c) if worked.checks < rules.most_checks => {
                    gated.push(c.id());
                    worked.checks += 1;
                    worked.minutes +=
                        c.minutes(model, &Here::after(model, &posterior, &evidence, &now));
                    let found = perform(bench, &c, worked.checks as u64 + FIRST_CHECK);
                    worked.log.push(told(model, &worked, &c, None, &found));
                    now = (*c.state).clone();
                    evidence.extend(found);
                    continue;
                }
                _ => {
                    worked.ending = Ending::Proven;
                    break;
                }
            }
        }
        if worked.checks >= rules.most_checks {
            break;
        }
        let present = bench.present();
        let ask = Ask {
            model,
            priors,
            evidence: &evidence,
            posterior: &posterior,
            present,
            now: &now,
            refused: &refused,
            prices: &rules.prices,
        };
        // Only the product's own way goes by the sieve for the best; the others choose among all.
        let (checks, fit) = match certain || strategy == Strategy::Engine {
            true if rules.fits => next::ranked_or_fit(&ask)?,
            true => (next::ranked(&ask)?, None),
            false => (next::useful(&ask), None),
        };
        if let Some(fit) = fit {
            worked.checks += 1;
            worked.fitted += 1;
            worked.minutes += fit.minutes;
            worked.cost += fit.price;
            let mended = bench.repair(&fit.item);
            bench.set(&fit.state);
            let seen = bench.effect(&fit.watched, None, None);
            let did = format!("fits {} ({:.0} %) -> {seen:?}", fit.part, 100.0 * fit.probability);
            worked.log.push(did);
            if seen == Some(Strength::Normal) {
                worked.named = fit.item;
                worked.ending = Ending::Proven;
                worked.right = mended;
                worked.cost += rules.prices.labour(worked.minutes) + search(&rules, mended);
                return Ok(worked);
            }
            let finding = Finding::Substituted {
                jumper: None,
                swapped: Some(fit.part.clone()),
                part: fit.watched,
                strength: seen.unwrap_or(Strength::None),
            };
            let moment = worked.checks as u64 + FIRST_CHECK;
            evidence.push(Evidence {
                present,
                moment,
                ..Evidence::new(fit.state.clone(), finding)
            });
            now = fit.state;
            now.give_back();
            continue;
        }
        let chosen = match certain {
            true => (!checks.is_empty()).then_some(0),
            false => strategy.choose(model, &steps, &checks, rng),
        };
        let Some(ranked) = chosen.and_then(|k| checks.get(k)) else {
            // Nothing to find while it does not show: wait, or provoke it, and try again.
            if !certain && present == Present::No {
                worked.checks += 1;
                worked.minutes += WAIT;
                worked.log.push("waits until it shows".to_owned());
                bench.set(&now);
                continue;
            }
            // Proven, or nothing in reach could refute it.
            if certain {
                proving = Some(top);
                continue;
            }
            worked.ending = Ending::NothingLeft;
            break;
        };
        let c = &ranked.candidate;
        worked.checks += 1;
        worked.minutes += c.minutes(model, &Here::after(model, &posterior, &evidence, &now));
        let found = perform(bench, c, worked.checks as u64 + FIRST_CHECK);
        worked.log.push(told(model, &worked, c, Some(ranked.bits), &found));
        if !certain {
            pending = Some((c.kind(), ranked.bits, uncertain));
        }
        if found.is_empty() {
            refused.push(CannotDo::Check(c.id()));
        }
        now = (*c.state).clone();
        // Nothing stays driven between two checks.
        now.give_back();
        evidence.extend(found);
    }
    worked.right = bench.repair(&worked.named);
    worked.cost += rules.prices.labour(worked.minutes);
    worked.cost += rules.prices.mending(model, &worked.named) + search(&rules, worked.right);
    Ok(worked)
}

/// What follows when what was mended was not it.
fn search(rules: &Rules, right: bool) -> f64 {
    if right { 0.0 } else { rules.prices.labour(price::SEARCH) }
}
