//! The ledger's rows and the flags on the sheet.

use crate::shop::Standing;
use circuit::Probe;
use diagnosis::Assessment;
use diagnosis::evidence::Finding;
use diagnosis::ledger::{Case, Entry, Numbered, ScannedModule, SeenRestart};
use diagnosis::next::CannotDo;
use diagnosis::plan::RecordSource;
use diagnosis::verdict::{Judged, Verdict};
use diagnosis::{Model, setup, words};
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::OperatingState;

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
    /// Numbers of the pictures that show something of it.
    pub pictures: Vec<u64>,
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

/// Readings of a probe in a state, oldest first: entry and value; infinite is over limit.
pub(super) fn taken(
    case: &Case,
    at: &Probe,
    state: &OperatingState,
) -> impl Iterator<Item = (u64, f64)> {
    let all = case.evidence.iter().chain(&case.after);
    all.filter(move |(_, e)| e.state == *state).filter_map(move |(n, e)| {
        let (_, value) = e.finding.reading().filter(|(probe, _)| probe == at)?;
        Some((*n, value.unwrap_or(f64::INFINITY)))
    })
}

pub(super) fn row(model: &Model, case: &Case, a: &Assessment, e: &Numbered) -> Row {
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
        Entry::RollCall { call, .. } => {
            evidence = true;
            let flapping: Vec<&str> = call.flapping().map(|c| c.module.as_str()).collect();
            let silent = call.modules.iter().filter(|c| c.asked > 0 && c.answered == 0).count();
            let all = call.modules.len();
            let text = match (flapping.as_slice(), silent) {
                ([], 0) => format!("all {all} answered all the time"),
                ([], n) => format!("{n} of {all} silent all the time"),
                (few, 0) => format!("{} of {all} came and went: {}", few.len(), few.join(", ")),
                (few, n) => {
                    format!(
                        "{} came and went: {}; {n} silent all the time",
                        few.len(),
                        few.join(", ")
                    )
                }
            };
            ("roll_call", format!("Roll call kept, {} s", call.seconds), text)
        }
        Entry::Identified { modules } => {
            let told = modules.iter().filter(|m| m.answered).count();
            ("identified", "Identification read".into(), format!("of {told} modules"))
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
                Finding::Recorded { instrument, red, black, low, high } => (
                    "recorded",
                    format!(
                        "{}, {}",
                        words::leads(red, black, *instrument),
                        words::state(model, &found.state)
                    ),
                    format!(
                        "{} to {}",
                        words::value(*instrument, *low),
                        words::value(*instrument, *high)
                    ),
                ),
                Finding::Effect { part, strength } => {
                    ("effect", words::effect(model, part), words::strength(*strength).to_owned())
                }
                Finding::Moved { at, changed } => (
                    "moved",
                    format!("Moved: {}", words::thing(model, at)),
                    if *changed { "it changed" } else { "no change" }.to_owned(),
                ),
                Finding::Seen { at, sight } => {
                    ("seen", words::thing(model, at), words::sight(*sight).to_owned())
                }
                Finding::Substituted { part, strength, jumper, swapped } => (
                    "substituted",
                    match (jumper, swapped) {
                        (Some([a, b]), _) => format!("Jumper {a} to {b}"),
                        (_, swapped) => format!("Swapped {}", swapped.as_deref().unwrap_or("")),
                    },
                    format!("{} {}", words::effect(model, part), words::strength(*strength)),
                ),
                Finding::Level { .. } => (
                    "level",
                    format!("Level of a bus, {}", words::state(model, &found.state)),
                    words::evidence(model, found),
                ),
                Finding::Signal { .. } | Finding::Together { .. } => (
                    "live",
                    format!("Live value, {}", words::state(model, &found.state)),
                    words::evidence(model, found),
                ),
                _ => ("found", "Found".into(), words::evidence(model, found)),
            }
        }
        Entry::Writing { write } => {
            let what = setup::changes(&model.circuit.vehicle, write);
            let title = format!("Writing {:04X} of {}", write.did, write.module);
            ("writing", title, setup::in_words(&what))
        }
        Entry::Written { number, holds, as_before } => {
            let long = match (holds, as_before) {
                (true, _) => "read back as written",
                (_, true) => "it holds what it held before",
                _ => "reads otherwise",
            };
            let (kind, title) = match as_before {
                true => ("not_written", format!("Not written, entry {number}")),
                false => ("written", format!("Written, entry {number}")),
            };
            (kind, title, long.to_owned())
        }
        Entry::Taught { setting, trouble, proof } => {
            let (kind, title) = taught(model, setting, trouble);
            let said = proof.as_ref().map(|[was, is]| format!("{was} → {is}"));
            let long = [Some(trouble.clone()), said].into_iter().flatten();
            (kind, title, long.filter(|t| !t.is_empty()).collect::<Vec<_>>().join("; "))
        }
        Entry::Restarted { module, seen } => {
            let long = match seen {
                SeenRestart::Answers(after) => {
                    format!("it fell silent, and answered again after {after:.1} s")
                }
                SeenRestart::StaysSilent => "it fell silent and stays so".to_owned(),
                SeenRestart::NeverSilent => {
                    "it never fell silent: nothing shows that it did".to_owned()
                }
            };
            let kind = match seen {
                SeenRestart::Answers(_) => "restarted",
                _ => "not_restarted",
            };
            (kind, format!("{module} told to start anew"), long)
        }
        Entry::Decided { decision: d } => {
            let with = if d.number.is_empty() { "as built" } else { &d.number };
            let agreed = match &d.agreed_by[..] {
                "" => String::new(),
                who => format!("; agreed by {who}"),
            };
            let follows = d.consequences.iter().map(|c| format!("; {c}")).collect::<String>();
            let long =
                format!("{with}, about {:.0} {}{agreed}{follows}", d.cost.round(), d.currency);
            ("decided", format!("Replace {}", words::thing(model, &d.part)), long)
        }
        Entry::Kept { records } => {
            let each = records.iter().map(|r| match r.from {
                RecordSource::Unit => format!("{:04X}: read from itself", r.did),
                _ => format!("{:04X}: {}", r.did, r.from.words()),
            });
            let module = records.first().map_or("", |r| r.module.as_str());
            let long = each.collect::<Vec<_>>().join("; ");
            ("kept", format!("Kept what {module} holds"), long)
        }
        Entry::Followed { procedure, trouble, recording } => {
            let known = model.circuit.vehicle.procedures.iter().find(|p| p.id == *procedure);
            let setting = known.map_or(procedure.as_str(), |p| &p.teaches);
            let (kind, title) = taught(model, setting, trouble);
            let name = known.map_or(procedure.as_str(), |p| &p.name);
            let said = if trouble.is_empty() { "passed" } else { trouble };
            (kind, title, format!("{name}, {:.0} s: {said}", recording.seconds))
        }
        Entry::SelfTested { modules, .. } => {
            let each = modules.iter().map(|m| match (&m.trouble[..], m.failing.len()) {
                ("", 0) => format!("{}: nothing failed", m.module),
                ("", _) => format!("{}: {}", m.module, m.failing.join(", ")),
                (why, _) => format!("{}: {why}", m.module),
            });
            ("self_tested", "Self-test".into(), each.collect::<Vec<_>>().join("; "))
        }
        Entry::LiveKept { recording } => {
            let long = format!("{}, {:.0} s", recording.name, recording.seconds);
            ("live_kept", "Live values kept".into(), long)
        }
        Entry::Pictured { picture } => {
            let of =
                picture.of.map_or_else(|| "Picture".to_owned(), |n| format!("Picture, entry {n}"));
            ("pictured", of, picture.text.clone())
        }
        Entry::Captured { capture } => ("captured", "Capture kept".into(), capture.name.clone()),
        Entry::Refused { check } => {
            let what = match check {
                CannotDo::Every(tool) => format!("no {} at hand", tool.words()),
                CannotDo::Fit(part) => format!("no new {} at hand", words::thing(model, part)),
                CannotDo::Check(id) => id.to_string(),
            };
            ("refused", "Cannot be done here".into(), what)
        }
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
        Entry::SignedOff { open, reason } => {
            let open = match &open[..] {
                [] => String::new(),
                open => format!("not proven: {}", open.join("; ")),
            };
            let said = [reason.as_str(), &open].into_iter().filter(|t| !t.is_empty());
            ("signed_off", "Signed off".into(), said.collect::<Vec<_>>().join("; "))
        }
        Entry::Reopened { reason } => ("reopened", "Opened again".into(), reason.clone()),
        Entry::Unreadable { why } => ("unreadable", "Cannot be read".into(), why.clone()),
    };
    Row {
        number: e.number,
        at: e.at.clone(),
        kind: kind.to_owned(),
        title,
        detail,
        judged: a.judged.get(&e.number).cloned(),
        doubted: case.doubted.contains(&e.number),
        evidence,
        pictures: (case.pictures.iter())
            .filter(|(own, p)| p.of.unwrap_or(*own) == e.number)
            .map(|(_, p)| p.number)
            .collect(),
    }
}

pub(super) fn flags(at: &Standing, a: &Assessment) -> Vec<Flag> {
    let current = |n: u64| at.case.repair.as_ref().is_none_or(|r| n > r.number);
    at.entries
        .iter()
        .filter(|e| current(e.number))
        .filter_map(|e| {
            let Entry::Found { evidence, .. } = &e.entry else {
                return None;
            };
            let (p, value) = evidence.finding.reading()?;
            let judged = a.judged.get(&e.number)?;
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

/// What was taught, or not, as a row names it.
fn taught(model: &Model, setting: &str, trouble: &str) -> (&'static str, String) {
    let known = model.circuit.vehicle.settings().find(|s| s.id == *setting);
    let name = known.map_or(setting, |s| &s.name);
    match trouble {
        "" => ("taught", format!("Taught: {name}")),
        _ => ("not_taught", format!("Not taught: {name}")),
    }
}
