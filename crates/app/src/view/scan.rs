//! The latest scan with what each code bears on, and two scans compared.

use diagnosis::ledger::{Case, Numbered, ScannedModule};
use diagnosis::{Model, Posterior};
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::OperatingState;

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
    /// It could be asked.
    pub asked: bool,
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

pub(super) fn scan(
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
            asked: m.asked,
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

pub(super) fn compared(case: &Case) -> Vec<Compared> {
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
