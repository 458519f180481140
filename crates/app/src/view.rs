//! What the screen shows of a job: derived from the ledger, rebuilt at every change.

use crate::bench::modules;
use circuit::Probe;
use diagnosis::evidence::{Finding, Present, Strength};
use diagnosis::ledger::{Case, Entry, Intake, Numbered, Repair, ScannedModule};
use diagnosis::next::{self, Ask, Check};
use diagnosis::prior::Priors;
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
    /// Comparison of the first and the last scan.
    pub compared: Vec<Compared>,
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
}

/// A ledger row.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Row {
    /// Number.
    pub number: u64,
    /// RFC 3339 time.
    pub at: String,
    /// What kind of entry: `reading`, `effect`, `scan` …
    pub kind: String,
    /// First line.
    pub title: String,
    /// Second line.
    pub detail: String,
    /// Verdict, for a reading.
    pub judged: Option<Judged>,
    /// Doubted.
    pub doubted: bool,
    /// It is evidence and may be doubted.
    pub evidence: bool,
}

/// A reading on the sheet.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Flag {
    /// Number of its ledger entry.
    pub number: u64,
    /// Point of the red lead, or the conductor.
    pub at: String,
    /// Value.
    pub text: String,
    /// Expected.
    pub expected: String,
    /// Verdict.
    pub verdict: Verdict,
}

/// The latest scan.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct ScanView {
    /// Number of its entry.
    pub number: u64,
    /// Time.
    pub at: String,
    /// Modules.
    pub modules: Vec<ModuleView>,
    /// Codes were cleared after it.
    pub cleared_since: bool,
}

/// A module in a scan.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct ModuleView {
    /// Part id.
    pub id: String,
    /// Name.
    pub name: String,
    /// It answered.
    pub answered: bool,
    /// Why not.
    pub trouble: String,
    /// Codes that are failing or stored.
    pub codes: Vec<CodeView>,
    /// Monitors that ran and passed.
    pub passed: usize,
}

/// A code.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct CodeView {
    /// Code and failure type.
    pub code: String,
    /// Meaning.
    pub text: String,
    /// Status in words.
    pub status: String,
    /// Freeze-frame data.
    pub snapshot: Vec<(String, String)>,
    /// Whether it bears on the complaint, from the model.
    pub bearing: String,
    /// What makes its monitor run.
    pub runs_when: String,
}

/// A code in two scans.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Compared {
    /// Module.
    pub module: String,
    /// Code.
    pub code: String,
    /// `gone`, `stayed` or `new`.
    pub fate: String,
}

/// Something to be shown after the repair.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Proof {
    /// `reading`, `effect` or `scan`.
    pub kind: String,
    /// What.
    pub text: String,
    /// How it stands.
    pub result: String,
    /// Shown.
    pub done: bool,
    /// Shown to be still wrong.
    pub failed: bool,
    /// State to do it in.
    pub state: OperatingState,
    /// Quantity for a reading.
    pub quantity: String,
    /// Red lead, conductor or part.
    pub red: String,
    /// Black lead.
    pub black: String,
}

/// A stage.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Stage {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Count or mark.
    pub mark: String,
    /// It works in this version.
    pub built: bool,
}

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
) -> Result<View, ModelError> {
    let case = Case::of(model, entries);
    let priors = Priors::new(model, &case.known(BTreeMap::new()));
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
    });
    let halos = if trouble_left && !still.is_empty() {
        let ranked = now.items.iter().zip(&model.items);
        ranked.filter(|(p, _)| **p > SHOWN).map(|(p, i)| (i.clone(), *p)).collect()
    } else {
        BTreeMap::new()
    };
    let proofs = proofs(model, &case, &weighed);
    let ledger: Vec<Row> = entries.iter().map(|e| row(model, &case, &weighed, e)).collect();
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
        modules: modules(v)
            .map(|(p, _)| Choice { id: p.id.clone(), name: p.name.clone() })
            .collect(),
        suspects: list,
        halos,
        weighed: still.len(),
        entropy_bits: diagnosis::posterior::entropy(&now.items),
        unexplained: trouble_left && now.items[elsewhere] > UNEXPLAINED,
        next: checks,
        certain,
        flags: flags(&case, &weighed, entries),
        scan: scan(model, &case, &weighed.before, entries),
        compared: compared(&case),
        repair: case.repair.clone(),
        proofs,
        signed_off: case.signed_off,
        stages: Vec::new(),
        ledger,
        intake: case.intake.clone(),
    };
    view.stages = stages(&view);
    Ok(view)
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

fn row(model: &Model, case: &Case, weighed: &Weighed, e: &Numbered) -> Row {
    let module_count = |m: &[ScannedModule]| {
        let answered = m.iter().filter(|m| m.answered).count();
        let codes = m.iter().flat_map(|m| &m.codes).filter(|c| c.failing() || c.stored()).count();
        format!("{answered} of {} answer, {codes} codes", m.len())
    };
    let mut evidence = false;
    let (kind, title, detail) = match &e.entry {
        Entry::Intake { intake } => ("intake", "Complaint taken".into(), intake.complaint.clone()),
        Entry::Symptom { present } => {
            ("symptom", "Symptom now".into(), format!("{present:?}").to_lowercase())
        }
        Entry::State { state } => ("state", "State".into(), words::state(model, state)),
        Entry::Scan { modules, .. } => {
            evidence = true;
            ("scan", "Scan kept".into(), module_count(modules))
        }
        Entry::Cleared { modules } => {
            ("cleared", "Codes cleared".into(), format!("in {}", modules.join(", ")))
        }
        Entry::Found { evidence: found, .. } => {
            evidence = true;
            match &found.finding {
                Finding::Reading { instrument, red, black, value } => (
                    "reading",
                    format!(
                        "{}, {}",
                        words::leads(red, black, *instrument),
                        words::state(model, &found.state)
                    ),
                    words::value(*instrument, value.unwrap_or(f64::INFINITY)),
                ),
                Finding::Effect { part, strength } => {
                    ("effect", words::effect(model, part), words::strength(*strength).to_owned())
                }
                _ => ("found", "Found".into(), words::evidence(model, found)),
            }
        }
        Entry::Refused { check } if check == "Amps *" => {
            ("refused", "Cannot be done here".into(), "no clamp at hand".to_owned())
        }
        Entry::Refused { check } => ("refused", "Cannot be done here".into(), check.clone()),
        Entry::Doubted { number, doubted } => {
            let what = if *doubted { "doubted" } else { "believed again" };
            ("doubted", format!("Entry {number}"), what.to_owned())
        }
        Entry::Repaired { item, text, .. } => {
            ("repaired", format!("Repaired: {}", model.item_text(item)), text.clone())
        }
        Entry::Adjusted { adjusted } => (
            "adjusted",
            format!("Weight of {}", model.item_text(&adjusted.item)),
            format!("×{}: {}", adjusted.factor, adjusted.reason),
        ),
        Entry::Overridden { module, reason } => {
            ("overridden", format!("{module} condemned with points open"), reason.clone())
        }
        Entry::Note { text } => ("note", "Note".into(), text.clone()),
        Entry::SignedOff => ("signed_off", "Signed off".into(), String::new()),
    };
    Row {
        number: e.number,
        at: e.at.clone(),
        kind: kind.to_owned(),
        title,
        detail,
        judged: weighed.judged.get(&e.number).cloned(),
        doubted: case.doubted.contains(&e.number),
        evidence,
    }
}

fn flags(case: &Case, weighed: &Weighed, entries: &[Numbered]) -> Vec<Flag> {
    let current = |n: u64| case.repair.as_ref().is_none_or(|r| n > r.number);
    entries
        .iter()
        .filter(|e| current(e.number))
        .filter_map(|e| {
            let Entry::Found { evidence, .. } = &e.entry else {
                return None;
            };
            let (p, value) = probe(&evidence.finding)?;
            let judged = weighed.judged.get(&e.number)?;
            Some(Flag {
                number: e.number,
                at: p.red,
                text: words::value(p.instrument, value.unwrap_or(f64::INFINITY)),
                expected: judged.expected.clone(),
                verdict: judged.verdict,
            })
        })
        .collect()
}

fn scan(
    model: &Model,
    case: &Case,
    posterior: &Posterior,
    entries: &[Numbered],
) -> Option<ScanView> {
    let (number, modules) = case.scans.last()?;
    let v = &model.circuit.vehicle;
    let at = entries.iter().find(|e| e.number == *number).map(|e| e.at.clone());
    let modules = modules
        .iter()
        .map(|m| ModuleView {
            id: m.module.clone(),
            name: v
                .parts
                .iter()
                .find(|p| p.id == m.module)
                .map_or_else(|| m.module.clone(), |p| p.name.clone()),
            answered: m.answered,
            trouble: m.trouble.clone(),
            passed: m.codes.iter().filter(|c| !c.failing() && c.tested_now()).count(),
            codes: m
                .codes
                .iter()
                .filter(|c| c.failing() || c.stored())
                .map(|c| {
                    let k = v.monitors.iter().position(|x| {
                        x.module == m.module && x.code == c.code && x.failure_type == c.failure_type
                    });
                    let monitor = k.map(|k| &v.monitors[k]);
                    CodeView {
                        code: format!("{}-{}", c.code, c.failure_type),
                        text: monitor
                            .map_or_else(|| "not in the vehicle file".into(), |x| x.text.clone()),
                        status: c.words().to_owned(),
                        snapshot: c.snapshot.clone(),
                        bearing: bearing(model, case, posterior, k, c.failing()),
                        runs_when: monitor.map(|x| x.runs_when.clone()).unwrap_or_default(),
                    }
                })
                .collect(),
        })
        .collect();
    Some(ScanView {
        number: *number,
        at: at.unwrap_or_default(),
        modules,
        cleared_since: case.clears.iter().any(|c| c > number),
    })
}

/// Whether a code comes from what is suspected: the share of suspicion that would set it.
fn bearing(
    model: &Model,
    case: &Case,
    posterior: &Posterior,
    monitor: Option<usize>,
    failing: bool,
) -> String {
    let Some(k) = monitor else {
        return "unknown to this vehicle file".into();
    };
    let mut states: Vec<&OperatingState> = case.evidence.iter().map(|(_, e)| &e.state).collect();
    states.sort();
    states.dedup();
    let mut share = 0.0f64;
    for state in states {
        let p = model.predict_all(state);
        let sum: f64 = p
            .all()
            .zip(&posterior.hypotheses)
            .filter(|(s, _)| s.monitor(k) == circuit::software::Verdict::Failed)
            .map(|(_, p)| p)
            .sum();
        share = share.max(sum);
    }
    match (share, failing) {
        (s, _) if s > 0.5 => format!("own code of what is suspected ({:.0} %)", 100.0 * s),
        (s, true) => format!("failing now; {:.0} % of what is suspected would set it", 100.0 * s),
        (s, false) if s < 0.01 => "unrelated: no suspect sets it; an old entry".into(),
        (s, false) => format!("old; {:.0} % of what is suspected would set it", 100.0 * s),
    }
}

fn compared(case: &Case) -> Vec<Compared> {
    let (Some(first), Some(last)) = (case.scans.first(), case.scans.last()) else {
        return Vec::new();
    };
    if first.0 == last.0 {
        return Vec::new();
    }
    let list = |modules: &[ScannedModule]| -> Vec<(String, String)> {
        modules
            .iter()
            .flat_map(|m| {
                m.codes
                    .iter()
                    .filter(|c| c.failing() || c.stored())
                    .map(|c| (m.module.clone(), format!("{}-{}", c.code, c.failure_type)))
            })
            .collect()
    };
    let (was, is) = (list(&first.1), list(&last.1));
    let fate = |x: &(String, String)| match (was.contains(x), is.contains(x)) {
        (true, true) => "stayed",
        (true, false) => "gone",
        _ => "new",
    };
    let mut all = was.clone();
    all.extend(is.iter().filter(|x| !was.contains(x)).cloned());
    all.iter()
        .map(|x| Compared { module: x.0.clone(), code: x.1.clone(), fate: fate(x).to_owned() })
        .collect()
}

/// Every reading that was bad, every effect that was missing, and a scan: to be shown good now.
fn proofs(model: &Model, case: &Case, weighed: &Weighed) -> Vec<Proof> {
    if case.repair.is_none() {
        return Vec::new();
    }
    let mut out: Vec<Proof> = Vec::new();
    for (number, e) in &case.evidence {
        match &e.finding {
            Finding::Reading { .. } => {
                let bad = weighed.judged.get(number).is_some_and(|j| j.verdict == Verdict::Bad);
                let Some((p, value)) = probe(&e.finding).filter(|_| bad) else {
                    continue;
                };
                let again = case.after.iter().rev().find(|(_, a)| {
                    a.state == e.state && probe(&a.finding).is_some_and(|(q, _)| q == p)
                });
                let shown = |v: Option<f64>| words::value(p.instrument, v.unwrap_or(f64::INFINITY));
                let was = shown(value);
                let (result, done, failed) = match again {
                    None => (format!("was {was}, not repeated"), false, false),
                    Some((n, a)) => {
                        let is = probe(&a.finding).map(|(_, v)| shown(v)).unwrap_or_default();
                        let bad = weighed.judged.get(n).is_none_or(|j| j.verdict == Verdict::Bad);
                        (format!("was {was}, is {is}"), !bad, bad)
                    }
                };
                out.push(Proof {
                    kind: "reading".into(),
                    text: format!(
                        "{}, {}",
                        words::leads(&p.red, &p.black, p.instrument),
                        words::state(model, &e.state)
                    ),
                    result,
                    done,
                    failed,
                    state: e.state.clone(),
                    quantity: p.instrument.name().into(),
                    red: p.red,
                    black: p.black,
                });
            }
            Finding::Effect { part, strength } if *strength != Strength::Normal => {
                if out.iter().any(|p| p.kind == "effect" && p.red == *part) {
                    continue;
                }
                let again = case.after.iter().rev().find_map(|(_, a)| match &a.finding {
                    Finding::Effect { part: p, strength } if p == part => Some(*strength),
                    _ => None,
                });
                let was = words::strength(*strength);
                out.push(Proof {
                    kind: "effect".into(),
                    text: format!("Try the function: {}", words::effect(model, part)),
                    result: match again {
                        None => format!("was {was}, not tried"),
                        Some(s) => format!("was {was}, is {}", words::strength(s)),
                    },
                    done: again == Some(Strength::Normal),
                    failed: again.is_some_and(|s| s != Strength::Normal),
                    state: e.state.clone(),
                    quantity: "effect".into(),
                    red: part.clone(),
                    black: String::new(),
                });
            }
            _ => {}
        }
    }
    let repaired = case.repair.as_ref().map_or(0, |r| r.number);
    let scan = case.scans.iter().rev().find(|(n, _)| *n > repaired);
    let failing = scan.map(|(_, m)| {
        let silent = m.iter().filter(|m| !m.answered).count();
        silent + m.iter().flat_map(|m| &m.codes).filter(|c| c.failing()).count()
    });
    out.push(Proof {
        kind: "scan".into(),
        text: "Scan again and compare".into(),
        result: match failing {
            None => "not scanned since the repair".into(),
            Some(0) => "every module answers, nothing is failing".into(),
            Some(n) => format!("{n} modules silent or codes failing"),
        },
        done: failing == Some(0),
        failed: failing.is_some_and(|n| n > 0),
        state: OperatingState::default(),
        quantity: String::new(),
        red: String::new(),
        black: String::new(),
    });
    out
}

fn stages(v: &View) -> Vec<Stage> {
    let count = |n: usize| if n == 0 { String::new() } else { n.to_string() };
    let of_kind = |kind: &str| v.ledger.iter().filter(|r| r.kind == kind).count();
    let codes = v.scan.as_ref().map(|s| s.modules.iter().map(|m| m.codes.len()).sum::<usize>());
    let done = v.proofs.iter().filter(|p| p.done).count();
    let stage = |id: &str, name: &str, mark: String, built: bool| Stage {
        id: id.into(),
        name: name.into(),
        mark,
        built,
    };
    vec![
        stage(
            "intake",
            "Intake",
            if v.intake.complaint.is_empty() { "" } else { "done" }.into(),
            true,
        ),
        stage("supply", "Supply", String::new(), false),
        stage("codes", "Codes", codes.map(|c| c.to_string()).unwrap_or_default(), true),
        stage("network", "Network", String::new(), false),
        stage("circuit", "Circuit", count(of_kind("reading")), true),
        stage("live", "Live", String::new(), false),
        stage("outputs", "Outputs", count(of_kind("effect")), true),
        stage("fit", "Fit", String::new(), false),
        stage(
            "prove",
            "Prove",
            if v.repair.is_some() { format!("{done}/{}", v.proofs.len()) } else { String::new() },
            true,
        ),
        stage("report", "Report", if v.signed_off { "done" } else { "" }.into(), true),
    ]
}
