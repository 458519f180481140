//! What a case adds up to: suspects, verdicts, next checks, gate, and the thresholds of them all.
//!
//! An [`Assessment`] follows from a case and what was known beside it, and from nothing else: views
//! and answers only show it.

use crate::evidence::{Evidence, Finding, Strength};
use crate::gate::{self, Gate};
use crate::ledger::Case;
use crate::left_out::LeftOut;
use crate::model::{ItemIx, Model, ModelError};
use crate::next::{self, Ask, Beside, Check, Fit};
use crate::odd;
use crate::own::{self, Own};
use crate::posterior::{self, Posterior};
use crate::prior::{Known, Priors};
use crate::shared;
use crate::suspects::{self, Suspect};
use crate::triage::{self, Group};
use crate::verdict::{self, Judged, Verdict};
use crate::words;
use serde::Serialize;
use std::collections::BTreeMap;
use std::hash::{DefaultHasher, Hash, Hasher};
use utoipa::ToSchema;
use vehicle::{Item, TiVec};

/// Probability from which on a module at the head must pass its gate.
const GATED: f64 = 0.3;
/// Pairs listed.
const PAIRS: usize = 3;
/// Probability below which an item is not shown.
const SHOWN: f64 = 1e-3;
/// Suspects listed.
const LISTED: usize = 6;
/// Next checks proposed.
const CHECKS: usize = 5;
/// Things asked about in passing.
const BESIDE: usize = 3;
/// Share of "not in this vehicle file" from which on it is said that no single fault explains the
/// evidence.
const UNEXPLAINED: f64 = 0.5;

/// Share of the likeness from which on it is said what something is like.
const LIKE: f64 = 0.5;

/// What a case adds up to.
#[derive(Debug, Clone, Default, Serialize, ToSchema)]
pub struct Assessment {
    /// Ranked suspects.
    pub suspects: Vec<Suspect>,
    /// Probability of every repair item above one in a thousand.
    pub halos: BTreeMap<Item, f64>,
    /// Pieces of evidence weighed.
    pub weighed: usize,
    /// Uncertainty left, bits.
    pub entropy_bits: f64,
    /// No single fault of the file explains the evidence.
    pub unexplained: bool,
    /// What it is most like then, of what the file holds.
    pub alike: Option<Alike>,
    /// Two faults at once that would, likeliest first.
    pub pairs: Vec<Together>,
    /// The piece of evidence without which the rest is explained.
    pub odd: Option<OddOne>,
    /// What is wrong with the vehicle by what was found: codes failing, silent modules, lost effects.
    pub symptoms: Vec<Symptom>,
    /// What a module at the head of the suspects must have proven before it may be named.
    pub gate: Option<Gate>,
    /// Next checks, best first.
    pub next: Vec<Check>,
    /// A part that could be fitted instead of checking on.
    pub fit: Option<Fit>,
    /// Sign of the currency that amounts are in.
    pub currency: String,
    /// What else works or fails nearby, to be asked in passing.
    pub beside: Vec<Beside>,
    /// The leading item, when it is nearly certain.
    pub certain: Option<Certain>,
    /// Verdict of each reading by the number of its entry.
    #[serde(skip)]
    pub judged: BTreeMap<u64, Judged>,
    /// Codes and silences of the latest scan in the order they matter.
    #[serde(skip)]
    pub triage: Vec<Group>,
    /// Codes and silences that the technician's own doings make.
    pub own: Vec<Own>,
    /// What each verdict followed from, so that it is not worked out again.
    #[serde(skip)]
    basis: BTreeMap<u64, Basis>,
}

/// A suspect that is nearly certain.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Certain {
    /// Repair item.
    pub item: Item,
    /// In words.
    pub text: String,
    /// Any one piece of evidence could be wrong, and it would still lead by far.
    pub proven: bool,
    /// Nothing in reach could refute it any more.
    pub exhausted: bool,
    /// The piece of evidence it hangs on most.
    pub hangs_on: Option<HangsOn>,
}

/// The piece of evidence without which a suspect would stand worst.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct HangsOn {
    /// Number of its ledger entry; none where it is how often such things fail.
    pub number: Option<u64>,
    /// What it says.
    pub text: String,
    /// How likely the suspect would be without it, 0 to 1.
    pub probability: f64,
}

/// What something that is not in the vehicle file is most like.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Alike {
    /// Repair item.
    pub item: Item,
    /// In words.
    pub text: String,
}

/// Two faults at once.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Together {
    /// Both in words.
    pub text: String,
    /// Its probability, 0 to 1.
    pub probability: f64,
}

/// A piece of evidence that does not fit the rest.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct OddOne {
    /// Number of its ledger entry.
    pub number: u64,
    /// What it says.
    pub text: String,
    /// What explains the rest.
    pub item_text: String,
    /// How likely, 0 to 1.
    pub probability: f64,
}

/// Something found that a sound vehicle does not do.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Symptom {
    /// Its number among the evidence.
    pub piece: usize,
    /// In words.
    pub text: String,
}

/// What a verdict followed from: a fingerprint of what was known and found before, and how likely
/// each item was then.
#[derive(Debug, Clone)]
struct Basis {
    fingerprint: u64,
    /// Probability each item had before, in the order of [`Model::items`].
    then: TiVec<ItemIx, f64>,
}

/// Works out what a case adds up to. `before` is an earlier assessment of the same job, whose
/// verdicts are taken over where nothing they follow from has changed.
///
/// # Errors
/// [`ModelError`] for evidence that does not fit the vehicle.
pub fn assess(
    model: &Model,
    case: &Case,
    known: &Known,
    before: Option<&Assessment>,
) -> Result<Assessment, ModelError> {
    let priors = Priors::new(model, known);
    let believed = case.believed();
    let at_repair = Posterior::given(model, &priors, &believed)?;
    let currency = known.workshop.prices.currency.clone();
    let mut out = Assessment { currency, ..Assessment::default() };
    judge(model, case, known, &priors, &at_repair, before, &mut out)?;
    let still = case.still();
    let now = match &case.repair {
        None => at_repair.clone(),
        Some(_) => Posterior::given(model, &priors, &still)?,
    };
    let searching = !still.is_empty() && trouble_left(case, &out.judged);
    let (top, p) = now.ranking()[0];
    let left_out = now.left_out(model, &priors);
    if searching {
        out.suspects = suspects::suspects(model, &priors, &still, &now, LISTED)?;
        let ask = Ask {
            model,
            priors: &priors,
            evidence: &still,
            posterior: &now,
            present: case.present,
            now: &case.state,
            refused: &case.refused,
            prices: &known.workshop.prices,
        };
        let moves = next::checks(&ask, CHECKS)?;
        (out.next, out.fit) = (moves.checks, moves.fit);
        out.beside = next::beside(&ask, BESIDE);
        let ranked = now.items.iter().zip(&model.items);
        out.halos = ranked.filter(|(p, _)| **p > SHOWN).map(|(p, i)| (i.clone(), *p)).collect();
        if let Some(module) = model.items[top].as_part().filter(|_| p > GATED) {
            out.gate = gate::gate(model, &still, &now, module)?;
        }
        out.odd = odd::odd_one_out(model, &still, &now, left_out).map(|o| OddOne {
            number: case.entry_of(o.evidence),
            text: o.text,
            item_text: o.item_text,
            probability: o.probability,
        });
    }
    let left = searching || trouble_left(case, &out.judged);
    out.certain =
        (left && p > next::CERTAIN && model.items[top] != Item::Elsewhere).then(|| Certain {
            item: model.items[top].clone(),
            text: model.item_text(&model.items[top]),
            proven: left_out.proves(top),
            exhausted: out.next.is_empty(),
            hangs_on: hangs_on(model, case, &still, &now, left_out, top),
        });
    out.weighed = still.len();
    out.entropy_bits = posterior::entropy(&now.items.raw);
    out.unexplained = left && now.items[model.elsewhere()] > UNEXPLAINED;
    out.alike = alike(model, &now).filter(|_| out.unexplained);
    out.pairs = pairs(model, &now);
    out.symptoms = symptoms(model, &still);
    out.own = own::made(model, &case.doings);
    if let Some(scan) = case.scans.last() {
        // What a scan means is told by what was suspected when it was made.
        let bearing = match &case.repair {
            Some(repair) if scan.number > repair.number => &now,
            _ => &at_repair,
        };
        let made = own::made(model, &scan.doings);
        out.triage = triage::triage(model, &priors, bearing, &scan.state, &scan.modules, &made);
    }
    Ok(out)
}

/// What a suspect hangs on most.
fn hangs_on(
    model: &Model,
    case: &Case,
    still: &[Evidence],
    now: &Posterior,
    left_out: &LeftOut,
    top: ItemIx,
) -> Option<HangsOn> {
    if let Some(probability) = left_out.on_rates(top) {
        let text = "how often such things fail".to_owned();
        return Some(HangsOn { number: None, text, probability });
    }
    let (moment, probability) = left_out.weakest(top)?;
    let moment = &now.moments[moment];
    let number = Some(case.entry_of(moment.pieces[0]));
    Some(HangsOn { number, text: words::at_once(model, still, moment), probability })
}

/// Whether something found after the repair is still wrong; before it there always is.
fn trouble_left(case: &Case, judged: &BTreeMap<u64, Judged>) -> bool {
    case.repair.is_none()
        || case.after.iter().any(|(n, e)| {
            judged.get(n).is_some_and(|j| j.verdict == Verdict::Bad)
                || matches!(&e.finding, Finding::Effect { strength, .. } if *strength != Strength::Normal)
        })
}

/// Judges each reading by what was suspected when it was taken.
fn judge(
    model: &Model,
    case: &Case,
    known: &Known,
    priors: &Priors,
    at_repair: &Posterior,
    before: Option<&Assessment>,
    out: &mut Assessment,
) -> Result<(), ModelError> {
    let mut fingerprint = DefaultHasher::new();
    format!("{known:?}").hash(&mut fingerprint);
    for (k, (number, e)) in case.evidence.iter().enumerate() {
        let basis = fingerprint.finish();
        (number, e.present as u8).hash(&mut fingerprint);
        let Some((probe, value)) = e.finding.reading() else { continue };
        let old = before.and_then(|b| Some((b.basis.get(number)?, b.judged.get(number)?)));
        let (then, judged) = match old.filter(|(b, _)| b.fingerprint == basis) {
            Some((old, judged)) => (old.then.clone(), judged.clone()),
            None => {
                let all = &at_repair.moments;
                let later: Vec<usize> =
                    (0..all.len()).filter(|m| all[*m].pieces.iter().any(|p| *p >= k)).collect();
                let weighed;
                let then = match later[..] {
                    // What was believed before the last reading is what is believed without it.
                    [last] => &at_repair.left_out(model, priors).without[last],
                    _ => {
                        let earlier = (0..all.len()).filter(|m| !later.contains(m));
                        let earlier = earlier.map(|m| all[m].clone()).collect();
                        weighed = Posterior::weigh(model, priors, earlier);
                        &weighed
                    }
                };
                let judged = verdict::judge(model, then, &e.state, &probe, value)?;
                (then.items.clone(), judged)
            }
        };
        out.judged.insert(*number, judged);
        out.basis.insert(*number, Basis { fingerprint: basis, then });
    }
    for (number, e) in &case.after {
        if let Some((probe, value)) = e.finding.reading() {
            let judged = verdict::judge(model, at_repair, &e.state, &probe, value)?;
            out.judged.insert(*number, judged);
        }
    }
    Ok(())
}

/// What is not in the file is most like this, where it is like one thing more than like all others.
fn alike(model: &Model, posterior: &Posterior) -> Option<Alike> {
    let mut shares: TiVec<ItemIx, f64> = vec![0.0; model.items.len()].into();
    for (share, item) in posterior.alike.iter().zip(&model.item_of) {
        shares[*item] += share;
    }
    let (top, share) = shares.into_iter_enumerated().max_by(|a, b| a.1.total_cmp(&b.1))?;
    let item = model.items[top].clone();
    (share > LIKE).then(|| Alike { text: model.item_text(&item), item })
}

fn pairs(model: &Model, posterior: &Posterior) -> Vec<Together> {
    let mut sums: BTreeMap<(ItemIx, ItemIx), f64> = BTreeMap::new();
    for pair in &posterior.pairs {
        let (a, b) = (model.item_of[pair.a], model.item_of[pair.b]);
        *sums.entry((a.min(b), a.max(b))).or_default() += pair.p;
    }
    let name = |item: ItemIx| model.item_text(&model.items[item]);
    let mut list: Vec<Together> = sums
        .into_iter()
        .filter(|(_, p)| *p > 10.0 * SHOWN)
        .map(|((a, b), probability)| Together {
            text: format!("{} and {}", name(a), name(b)),
            probability,
        })
        .collect();
    list.sort_by(|a, b| b.probability.total_cmp(&a.probability));
    list.truncate(PAIRS);
    list
}

/// Each symptom once, the latest of the like.
fn symptoms(model: &Model, evidence: &[Evidence]) -> Vec<Symptom> {
    let mut out: Vec<Symptom> = Vec::new();
    for (piece, e) in evidence.iter().enumerate() {
        if shared::is_symptom(&e.finding) {
            let text = words::evidence(model, e);
            out.retain(|s| s.text != text);
            out.push(Symptom { piece, text });
        }
    }
    out
}
