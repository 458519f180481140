//! What must be shown after a repair, and how each proof stands.

use super::View;
use circuit::Probe;
use diagnosis::Assessment;
use diagnosis::evidence::{Evidence, Finding, Sight, Strength};
use diagnosis::ledger::Case;
use diagnosis::live::{self, Stands};
use diagnosis::plan::{self, StepStands};
use diagnosis::setup;
use diagnosis::verdict::Verdict;
use diagnosis::{Model, words};
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::{OperatingState, SignalId};

/// Something to be shown after the repair.
#[derive(Debug, Clone, Default, Serialize, ToSchema)]
pub struct Proof {
    /// `reading`, `value`, `effect`, `moved`, `seen` or `scan`.
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
    /// Red lead, conductor, part or place.
    pub red: String,
    /// Black lead.
    pub black: String,
}

impl Proof {
    /// How one stands that is not shown.
    pub fn left(&self) -> &'static str {
        if self.failed { "still wrong" } else { "not looked at" }
    }
}

/// Everything that was found wrong, to be shown right: readings, effects, what moving and looking
/// showed, and a scan.
pub(super) fn proofs(model: &Model, case: &Case, a: &Assessment) -> Vec<Proof> {
    if case.repair.is_none() {
        return Vec::new();
    }
    let mut out: Vec<Proof> = Vec::new();
    for (number, e) in &case.evidence {
        let made = match &e.finding {
            Finding::Reading { .. } => {
                let bad = a.judged.get(number).is_some_and(|j| j.verdict == Verdict::Bad);
                e.finding.reading().filter(|_| bad).map(|was| reading(model, case, a, e, was))
            }
            Finding::Signal { signal, value: raw } => value(model, case, e, signal, *raw),
            Finding::Effect { part, strength } if *strength != Strength::Normal => {
                Some(effect(model, case, e, part, *strength))
            }
            Finding::Moved { at, changed: true } => Some(moved(model, case, e, at)),
            Finding::Seen { at, sight } if *sight != Sight::Nothing => {
                Some(seen(model, case, e, at, *sight))
            }
            _ => None,
        };
        // What was found twice is shown once; a reading in each of its states.
        out.extend(made.filter(|p| {
            let same = |o: &Proof| o.kind == p.kind && o.text == p.text;
            !out.iter().any(same)
        }));
    }
    out.push(scan(case));
    out
}

/// What is not proven of a job in which something was repaired or replaced, and whether some of that was to be.
pub(super) fn unproven(model: &Model, case: &Case, view: &View) -> (Vec<String>, bool) {
    if case.repair.is_none() && case.decision.is_none() {
        return (Vec::new(), false);
    }
    let open = view.proofs.iter().filter(|p| !p.done).map(|p| format!("{}: {}", p.text, p.left()));
    let broken = setup::half_done(case).into_iter().map(|w| {
        format!("Write of {:04X} in {}: nobody knows how it ended", w.write.did, w.write.module)
    });
    let apart = plan::agree::apart(&model.circuit.vehicle, case);
    let must: Vec<String> = open.chain(broken).chain(apart).collect();
    let wants = !must.is_empty();
    let plan = plan::plan(model, case).map(|p| p.steps).unwrap_or_default().into_iter();
    let steps =
        plan.filter(|s| s.stands != StepStands::Done).map(|s| format!("{}: not done", s.text));
    let watched = view.watched.iter();
    let watched =
        watched.map(|w| format!("{} {}: not looked for since it was cleared", w.module, w.code));
    let left = view.compared.iter().filter(|c| !c.is_over());
    let left = left.map(|c| format!("{} {}: {}", c.module, c.code, c.fate));
    (must.into_iter().chain(steps).chain(watched).chain(left).collect(), wants)
}

/// The latest finding after the repair that `pick` makes something of.
fn latest<'c, T>(case: &'c Case, pick: impl Fn(u64, &'c Evidence) -> Option<T>) -> Option<T> {
    case.after.iter().rev().find_map(|(n, e)| pick(*n, e))
}

/// A proof from how it was and how it is now, if it was tried.
fn compared(proof: Proof, was: &str, now: Option<(String, bool)>) -> Proof {
    let result = match &now {
        None => format!("was {was}, not repeated"),
        Some((is, _)) => format!("was {was}, is {is}"),
    };
    let good = now.map(|(_, good)| good);
    Proof { result, done: good == Some(true), failed: good == Some(false), ..proof }
}

fn reading(
    model: &Model,
    case: &Case,
    a: &Assessment,
    e: &Evidence,
    (p, value): (Probe, Option<f64>),
) -> Proof {
    let shown = |v: Option<f64>| words::value(p.instrument, v.unwrap_or(f64::INFINITY));
    let now = latest(case, |n, later| {
        let (q, v) = later.finding.reading().filter(|_| later.state == e.state)?;
        let good = a.judged.get(&n).is_some_and(|j| j.verdict != Verdict::Bad);
        (q == p).then(|| (shown(v), good))
    });
    let was = shown(value);
    let leads = words::leads(&p.red, &p.black, p.instrument);
    let proof = Proof {
        kind: "reading".into(),
        text: format!("{leads}, {}", words::state(model, &e.state)),
        state: e.state.clone(),
        quantity: p.instrument.name().into(),
        red: p.red,
        black: p.black,
        ..Proof::default()
    };
    compared(proof, &was, now)
}

/// A live value that was not as a sound vehicle has it is read again.
fn value(model: &Model, case: &Case, e: &Evidence, id: &SignalId, raw: f64) -> Option<Proof> {
    let k = model.circuit.vehicle.signals.position(|s| s.id == *id)?;
    let expected = live::expected(model, &e.state)[k];
    let is_bad = |raw| {
        matches!(live::stands(model, k, expected, raw), Stands::Differs | Stands::NotBelieved)
    };
    if !is_bad(raw) {
        return None;
    }
    let shown = |raw| model.charts().meaning(model, k, raw).words().unwrap_or_default();
    let now = latest(case, |_, later| match &later.finding {
        Finding::Signal { signal, value } if signal == id && later.state == e.state => {
            Some((shown(*value), !is_bad(*value)))
        }
        _ => None,
    });
    let signal = &model.circuit.vehicle.signals[k];
    let proof = Proof {
        kind: "value".into(),
        text: format!("{}, {}, {}", signal.name, signal.module, words::state(model, &e.state)),
        state: e.state.clone(),
        red: id.to_string(),
        ..Proof::default()
    };
    Some(compared(proof, &shown(raw), now))
}

fn effect(model: &Model, case: &Case, e: &Evidence, part: &str, was: Strength) -> Proof {
    let now = latest(case, |_, a| match &a.finding {
        Finding::Effect { part: p, strength } if p == part => {
            Some((words::strength(*strength).to_owned(), *strength == Strength::Normal))
        }
        _ => None,
    });
    let proof = Proof {
        kind: "effect".into(),
        text: format!("Try the function: {}", words::effect(model, part)),
        state: e.state.clone(),
        red: part.to_owned(),
        ..Proof::default()
    };
    compared(proof, words::strength(was), now)
}

/// What came and went when it was moved must stay as it is when it is moved again.
fn moved(model: &Model, case: &Case, e: &Evidence, place: &str) -> Proof {
    let word = |changed: bool| if changed { "it changed" } else { "no change" };
    let now = latest(case, |_, a| match &a.finding {
        Finding::Moved { at, changed } if at == place => {
            Some((word(*changed).to_owned(), !changed))
        }
        _ => None,
    });
    let proof = Proof {
        kind: "moved".into(),
        text: format!("Move the harness again at {}", words::thing(model, place)),
        state: e.state.clone(),
        red: place.to_owned(),
        ..Proof::default()
    };
    compared(proof, word(true), now)
}

fn seen(model: &Model, case: &Case, e: &Evidence, place: &str, was: Sight) -> Proof {
    let now = latest(case, |_, a| match &a.finding {
        Finding::Seen { at, sight } if at == place => {
            Some((words::sight(*sight).to_owned(), *sight == Sight::Nothing))
        }
        _ => None,
    });
    let proof = Proof {
        kind: "seen".into(),
        text: format!("Look again at {}", words::thing(model, place)),
        state: e.state.clone(),
        red: place.to_owned(),
        ..Proof::default()
    };
    compared(proof, words::sight(was), now)
}

/// A scan after clearing: a code that passed long ago says it fails until it was cleared.
fn scan(case: &Case) -> Proof {
    let repaired = case.repair.as_ref().map_or(0, |r| r.number);
    let scan = case.scans.iter().rev().find(|s| s.number > repaired);
    let failing: Option<Vec<String>> = scan.map(|scan| {
        let modules = &scan.modules;
        let silent = modules.iter().filter(|m| !m.answered).map(|m| format!("{} silent", m.module));
        let codes = modules.iter().flat_map(|m| {
            let failing = m.codes.iter().filter(|c| c.failing());
            failing.map(|c| format!("{}-{} in {}", c.code, c.failure_type, m.module))
        });
        silent.chain(codes).collect()
    });
    // The state in which the codes came, so that the same monitors run.
    let came = case.evidence.iter().find_map(|(_, e)| match &e.finding {
        Finding::Code { failing: true, .. } | Finding::Answer { answers: false, .. } => {
            Some(&e.state)
        }
        _ => None,
    });
    let mut state = came.unwrap_or(&case.state).clone();
    state.unplugged.clear();
    state.rerouted.clear();
    Proof {
        kind: "scan".into(),
        text: "Clear, let it run, scan and compare".into(),
        result: match failing.as_deref() {
            None => "not scanned since the repair".into(),
            Some([]) => "every module answers, nothing is failing".into(),
            Some(still) => {
                let more = still.len().saturating_sub(3);
                let tail = if more > 0 { format!(" and {more} more") } else { String::new() };
                format!(
                    "still {}{tail}",
                    still.iter().take(3).cloned().collect::<Vec<_>>().join(", ")
                )
            }
        },
        done: failing.as_ref().is_some_and(Vec::is_empty),
        failed: failing.is_some_and(|f| !f.is_empty()),
        state,
        ..Proof::default()
    }
}
