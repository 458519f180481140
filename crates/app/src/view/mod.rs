//! What the screen shows of a job: derived from the ledger, rebuilt at every change.

mod identity;
mod proofs;
mod rows;
mod scan;
mod stages;
mod supply;

pub use identity::Identification;
pub use proofs::Proof;
pub use rows::{Flag, Row};
pub use scan::{Compared, ScanRef, ScanView, Watched, compare, watched};
pub use stages::Stage;
pub use supply::{SupplyRow, supply};

use crate::bench::modules;
use circuit::Probe;
use diagnosis::evidence::{Finding, Present, Strength};
use diagnosis::gate::{self, Gate};
use diagnosis::ledger::{Case, Intake, Numbered, Repair};
use diagnosis::next::{self, Ask, Check};
use diagnosis::odd;
use diagnosis::own::Own;
use diagnosis::prior::Priors;
use diagnosis::shared;
use diagnosis::suspects::{self, Suspect};
use diagnosis::verdict::{self, Judged, Verdict};
use diagnosis::{Evidence, Model, ModelError, Posterior, words};
use serde::Serialize;
use std::collections::BTreeMap;
use utoipa::ToSchema;
use vehicle::{OperatingState, vin};

/// A job on the screen.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct View {
    /// Job number.
    pub id: i64,
    /// Make and model.
    pub vehicle: String,
    /// When it was opened.
    pub opened_at: String,
    /// Identity and complaint.
    pub intake: Intake,
    /// What is wrong with the VIN; empty when nothing is.
    pub vin_trouble: String,
    /// Symptom now.
    pub present: Present,
    /// State now.
    pub state: OperatingState,
    /// State now, in words.
    pub state_text: String,
    /// States with a name.
    pub states: Vec<StateChoice>,
    /// Connectors that can be unplugged.
    pub connectors: Vec<Choice>,
    /// Outputs that can be driven.
    pub outputs: Vec<OutputView>,
    /// Where the black lead sits unless a drop is measured.
    pub reference: String,
    /// Points a probe can touch.
    pub points: Vec<Choice>,
    /// Conductors a clamp goes round.
    pub wires: Vec<Choice>,
    /// Places and things that can be named as worked on, wet or hit, moved or looked at.
    pub places: Vec<Choice>,
    /// Equipment that this vehicle has or may have.
    pub equipment: Vec<Choice>,
    /// Modules the vehicle should have.
    pub modules: Vec<Choice>,
    /// Ranked suspects.
    pub suspects: Vec<Suspect>,
    /// Probability of every repair item above one in a thousand.
    pub halos: BTreeMap<String, f64>,
    /// Pieces of evidence weighed.
    pub weighed: usize,
    /// Uncertainty left, bits.
    pub entropy_bits: f64,
    /// No single fault of the file explains the evidence.
    pub unexplained: bool,
    /// Two faults at once that would, likeliest first.
    pub pairs: Vec<PairView>,
    /// The piece of evidence without which the rest is explained.
    pub odd: Option<OddView>,
    /// What is wrong with the vehicle by what was found: codes failing, silent modules, lost effects.
    pub symptoms: Vec<Symptom>,
    /// What a module at the head of the suspects must have proven before it may be named.
    pub gate: Option<Gate>,
    /// Next checks, best first.
    pub next: Vec<Check>,
    /// The leading item, when it is nearly certain.
    pub certain: Option<Certain>,
    /// Ledger rows, oldest first.
    pub ledger: Vec<Row>,
    /// Readings as flags on the sheet.
    pub flags: Vec<Flag>,
    /// Latest scan.
    pub scan: Option<ScanView>,
    /// Who the modules say they are.
    pub identification: Option<Identification>,
    /// In how many states the supply was read.
    pub supply_read: usize,
    /// All scans kept, oldest first.
    pub scans: Vec<ScanRef>,
    /// Comparison of the first and the last scan.
    pub compared: Vec<Compared>,
    /// After clearing: what must run before a code's absence counts.
    pub watched: Vec<Watched>,
    /// Codes and silences that the technician's own doings make.
    pub own: Vec<Own>,
    /// The repair.
    pub repair: Option<Repair>,
    /// What must be shown after the repair.
    pub proofs: Vec<Proof>,
    /// Signed off.
    pub signed_off: bool,
    /// Stages with their marks.
    pub stages: Vec<Stage>,
}

/// A thing to choose.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Choice {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
}

/// A named state.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct StateChoice {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// The state.
    pub state: OperatingState,
}

/// An output.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct OutputView {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Part whose effect shows.
    pub load: String,
    /// The effect in words.
    pub effect: String,
    /// Longest time, seconds.
    pub limit_s: f64,
    /// What to mind.
    pub guard: String,
    /// State in which it is driven.
    pub state: OperatingState,
}

/// A suspect that is nearly certain.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Certain {
    /// Repair item.
    pub item: String,
    /// In words.
    pub text: String,
    /// A reading taken after it led has not refuted it.
    pub proven: bool,
    /// Nothing in reach could refute it any more.
    pub exhausted: bool,
}

/// Two faults at once.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct PairView {
    /// Both in words.
    pub text: String,
    /// Its probability, 0 to 1.
    pub probability: f64,
}

/// A piece of evidence that does not fit the rest.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct OddView {
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
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Symptom {
    /// Its number among the evidence.
    pub piece: usize,
    /// In words.
    pub text: String,
}

/// Probability from which on a module at the head must pass its gate.
const GATED: f64 = 0.3;
/// Pairs listed.
const PAIRS: usize = 3;
/// Probability below which an item is not shown.
const SHOWN: f64 = 1e-3;
/// Suspects listed.
const LISTED: usize = 6;
/// Surprise per piece of evidence below which one fault does not explain it: the leading
/// suspect is then "not in this vehicle file".
const UNEXPLAINED: f64 = 0.5;

fn probe(f: &Finding) -> Option<(Probe, Option<f64>)> {
    match f {
        Finding::Reading { instrument, red, black, value } => Some((
            Probe { instrument: *instrument, red: red.clone(), black: black.clone() },
            *value,
        )),
        _ => None,
    }
}

struct Weighed {
    /// After all evidence before the repair.
    before: Posterior,
    /// Verdict of each reading by entry number.
    judged: BTreeMap<u64, Judged>,
    /// A reading was taken while the leading item was already nearly certain.
    proven: bool,
}

fn weigh(model: &Model, priors: &Priors, case: &Case) -> Result<Weighed, ModelError> {
    let believed = case.believed();
    let before = Posterior::given(model, priors, &believed)?;
    let top = before.ranking()[0].0;
    let mut judged = BTreeMap::new();
    let mut proven = false;
    for (k, (number, e)) in case.evidence.iter().enumerate() {
        if let Some((probe, value)) = probe(&e.finding) {
            let earlier = before.moments.iter().filter(|m| m.pieces.iter().all(|p| *p < k));
            let then = Posterior::weigh(model, priors, earlier.cloned().collect());
            judged.insert(*number, verdict::judge(model, &then, &e.state, &probe, value)?);
            proven |= then.items[top] > next::CERTAIN;
        }
    }
    for (number, e) in &case.after {
        if let Some((probe, value)) = probe(&e.finding) {
            judged.insert(*number, verdict::judge(model, &before, &e.state, &probe, value)?);
        }
    }
    Ok(Weighed { before, judged, proven })
}

/// Builds the view. Doubtful names in the ledger were refused when they were entered.
pub fn view(
    model: &Model,
    id: i64,
    opened_at: String,
    entries: &[Numbered],
    confirmed: BTreeMap<String, u32>,
) -> Result<View, ModelError> {
    let case = Case::of(model, entries);
    let priors = Priors::new(model, &case.known(confirmed));
    let weighed = weigh(model, &priors, &case)?;
    let v = &model.circuit.vehicle;
    // After a repair only what was found since speaks about what is still wrong.
    let still: Vec<Evidence> = match &case.repair {
        None => case.believed(),
        Some(_) => case.after.iter().map(|(_, e)| e.clone()).collect(),
    };
    let trouble_left = case.repair.is_none()
        || case.after.iter().any(|(n, e)| {
            weighed.judged.get(n).is_some_and(|j| j.verdict == Verdict::Bad)
                || matches!(&e.finding, Finding::Effect { strength, .. } if *strength != Strength::Normal)
        });
    let now = match &case.repair {
        None => weighed.before.clone(),
        Some(_) => Posterior::given(model, &priors, &still)?,
    };
    let ask = Ask {
        model,
        priors: &priors,
        evidence: &still,
        posterior: &now,
        present: case.present,
        now: &case.state,
        refused: &case.refused,
    };
    let (list, checks) = if trouble_left && !still.is_empty() {
        (suspects::suspects(model, &priors, &still, &now, LISTED)?, next::checks(&ask, 5)?)
    } else {
        (Vec::new(), Vec::new())
    };
    let (top, p) = now.ranking()[0];
    let elsewhere = model.items.len() - 1;
    let certain = (trouble_left && p > next::CERTAIN && top != elsewhere).then(|| Certain {
        item: model.items[top].clone(),
        text: model.item_text(&model.items[top]),
        proven: weighed.proven,
        exhausted: checks.is_empty(),
    });
    let halos = if trouble_left && !still.is_empty() {
        let ranked = now.items.iter().zip(&model.items);
        ranked.filter(|(p, _)| **p > SHOWN).map(|(p, i)| (i.clone(), *p)).collect()
    } else {
        BTreeMap::new()
    };
    let proofs = proofs::proofs(model, &case, &weighed);
    let ledger: Vec<Row> = entries.iter().map(|e| rows::row(model, &case, &weighed, e)).collect();
    let searching = trouble_left && !still.is_empty();
    let gate = match model.items[top].strip_prefix("part:").filter(|_| searching && p > GATED) {
        Some(id) => gate::gate(model, &still, id)?,
        None => None,
    };
    // What a scan means is told by what was suspected when it was made.
    let bearing = match (&case.repair, case.scans.last()) {
        (Some(repair), Some(scan)) if scan.number > repair.number => &now,
        _ => &weighed.before,
    };
    let number = |piece: usize| {
        let list = if case.repair.is_none() { &case.evidence } else { &case.after };
        list.get(piece).map_or(0, |(n, _)| *n)
    };
    let odd = match searching {
        true => odd::odd_one_out(model, &priors, &still, &now),
        false => None,
    };
    let mut view = View {
        id,
        vehicle: format!("{} {}", v.make, v.model),
        opened_at,
        vin_trouble: vin::trouble(&case.intake.vin).unwrap_or_default(),
        present: case.present,
        state_text: words::state(model, &case.state),
        state: case.state.clone(),
        states: v
            .states
            .iter()
            .map(|s| StateChoice { id: s.id.clone(), name: s.name.clone(), state: s.state.clone() })
            .collect(),
        connectors: pluggable(model),
        outputs: outputs(model),
        reference: model.circuit.reference.clone(),
        points: next::candidates::points(model)
            .into_iter()
            .map(|id| Choice { name: words::point(model, &id), id })
            .collect(),
        wires: v
            .wires
            .iter()
            .map(|w| Choice {
                id: w.id.clone(),
                name: format!("{} {}, {} to {}", w.id, w.colour, w.from, w.to),
            })
            .collect(),
        places: places(model),
        equipment: Vec::new(),
        modules: modules(v)
            .map(|(p, _)| Choice { id: p.id.clone(), name: p.name.clone() })
            .collect(),
        suspects: list,
        halos,
        weighed: still.len(),
        entropy_bits: diagnosis::posterior::entropy(&now.items),
        unexplained: trouble_left && now.items[elsewhere] > UNEXPLAINED,
        pairs: pairs(model, &now),
        odd: odd.map(|o| OddView {
            number: number(o.evidence),
            text: o.text,
            item_text: o.item_text,
            probability: o.probability,
        }),
        symptoms: symptoms(model, &still),
        gate,
        next: checks,
        certain,
        flags: rows::flags(&case, &weighed, entries),
        scan: scan::scan(model, &priors, &case, bearing),
        identification: identity::identification(model, &case),
        supply_read: supply::read(model, &case),
        scans: scan::scans(model, &case),
        compared: scan::compared(&case),
        watched: scan::watched(model, &case),
        own: scan::own_now(model, &case),
        repair: case.repair.clone(),
        proofs,
        signed_off: case.signed_off,
        stages: Vec::new(),
        ledger,
        intake: case.intake.clone(),
    };
    view.stages = stages::stages(&view);
    Ok(view)
}

fn pairs(model: &Model, posterior: &Posterior) -> Vec<PairView> {
    let mut sums: BTreeMap<(usize, usize), f64> = BTreeMap::new();
    for pair in &posterior.pairs {
        let (a, b) = (model.item_of[pair.a], model.item_of[pair.b]);
        *sums.entry((a.min(b), a.max(b))).or_default() += pair.p;
    }
    let mut list: Vec<PairView> = sums
        .into_iter()
        .filter(|(_, p)| *p > 10.0 * SHOWN)
        .map(|((a, b), probability)| PairView {
            text: format!(
                "{} and {}",
                model.item_text(&model.items[a]),
                model.item_text(&model.items[b])
            ),
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

fn places(model: &Model) -> Vec<Choice> {
    let v = &model.circuit.vehicle;
    let places = v.places.iter().map(|p| Choice { id: p.id.clone(), name: p.name.clone() });
    let connectors = v.connectors.iter().map(|c| Choice { id: c.id.clone(), name: c.name.clone() });
    let grounds = v.grounds.iter().map(|g| Choice { id: g.id.clone(), name: g.name.clone() });
    let parts = v.parts.iter().map(|p| Choice { id: p.id.clone(), name: p.name.clone() });
    places.chain(connectors).chain(grounds).chain(parts).collect()
}

fn pluggable(model: &Model) -> Vec<Choice> {
    let v = &model.circuit.vehicle;
    let own = v.connectors.iter().map(|c| Choice { id: c.id.clone(), name: c.name.clone() });
    let sockets =
        v.parts.iter().filter(|p| model.circuit.terminal_branch.keys().any(|(c, _)| *c == p.id));
    own.chain(sockets.map(|p| Choice { id: p.id.clone(), name: p.name.clone() })).collect()
}

fn outputs(model: &Model) -> Vec<OutputView> {
    let v = &model.circuit.vehicle;
    v.outputs
        .iter()
        .map(|o| {
            let named = v.states.iter().find(|s| s.state.outputs.contains(&o.id));
            OutputView {
                id: o.id.clone(),
                name: o.name.clone(),
                load: o.load.clone(),
                effect: words::effect(model, &o.load),
                limit_s: o.limit_s,
                guard: o.guard.clone(),
                state: named.map(|s| s.state.clone()).unwrap_or_default(),
            }
        })
        .collect()
}
