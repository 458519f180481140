//! The latest scan, its codes in the order they matter, and two scans compared.

use diagnosis::ledger::{Case, ReadCode, Scan, ScannedModule};
use diagnosis::triage::Group;
use diagnosis::{Assessment, Model, words};
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::{MonitorIx, PartId};

/// The latest scan.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct ScanView {
    /// Number of its entry.
    pub number: u64,
    /// Time.
    pub at: String,
    /// Modules.
    pub modules: Vec<ModuleView>,
    /// Codes and silences in the order they matter, each with its echoes.
    pub triage: Vec<Group>,
    /// Codes were cleared after it.
    pub cleared_since: bool,
    /// Supply below which codes are set apart, volts.
    pub low_below: f64,
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
    /// It answers although the vehicle should not have it.
    pub unexpected: bool,
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
    /// Why its freeze-frame data could not be read; empty where nothing is missing.
    pub unread: String,
    /// What makes its monitor run.
    pub runs_when: String,
    /// Supply when it was set, volts, where that was too low to trust it.
    pub low_supply: Option<f64>,
}

/// A scan that was kept.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct ScanRef {
    /// Number of its entry.
    pub number: u64,
    /// Time.
    pub at: String,
    /// State it was made in, in words.
    pub state: String,
    /// Codes failing or stored.
    pub codes: usize,
}

/// A code in two scans.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Compared {
    /// Module.
    pub module: PartId,
    /// Code.
    pub code: String,
    /// `gone`, `stayed`, `returned` after clearing, or `new`; `silent` and `answers again` of modules.
    pub fate: String,
}

impl Compared {
    /// Whether nothing is left of it.
    pub fn is_over(&self) -> bool {
        matches!(&self.fate[..], "gone" | "answers again")
    }
}

/// A code that was cleared, and what must happen before its absence says anything (N7).
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Watched {
    /// Module.
    pub module: PartId,
    /// Code and failure type.
    pub code: String,
    /// Meaning.
    pub text: String,
    /// What makes its monitor run, in words.
    pub runs_when: String,
    /// On a sound vehicle it runs in the present state.
    pub runs_here: bool,
    /// The nearest state with a name in which it runs; empty where none is known.
    pub state: String,
    /// Its name.
    pub state_name: String,
}

/// Supply below which codes are set apart, volts: the upper one of the lower limits that
/// ISO 16750-2 gives for full function.
pub(super) const LOW_SUPPLY: f64 = 10.5;

fn low_supply(code: &ReadCode) -> Option<f64> {
    let volts = f64::from(code.supply_mv?) / 1000.0;
    (volts < LOW_SUPPLY).then_some(volts)
}

fn name(model: &Model, module: &str) -> String {
    let part = model.circuit.vehicle.parts.iter().find(|p| p.id == module);
    part.map_or_else(|| module.to_owned(), |p| p.name.clone())
}

fn monitor<'a>(
    model: &'a Model,
    module: &str,
    c: &ReadCode,
) -> Option<(MonitorIx, &'a vehicle::Monitor)> {
    let k = model.monitor_of(module, c.code, c.failure_type)?;
    Some((k, &model.circuit.vehicle.monitors[k]))
}

fn troubling(m: &ScannedModule) -> impl Iterator<Item = &ReadCode> {
    m.codes.iter().filter(|c| c.failing() || c.stored())
}

fn full(c: &ReadCode) -> String {
    match c.failure_type.byte() {
        None => c.code.to_string(),
        Some(_) => format!("{}-{}", c.code, c.failure_type),
    }
}

pub(super) fn scan(model: &Model, case: &Case, a: &Assessment) -> Option<ScanView> {
    let scan = case.scans.last()?;
    let modules = scan.modules.iter().map(|m| ModuleView {
        id: m.module.to_string(),
        name: name(model, &m.module),
        answered: m.answered,
        asked: m.asked,
        unexpected: m.unexpected,
        trouble: m.trouble.clone(),
        passed: m.codes.iter().filter(|c| !c.failing() && c.tested_now()).count(),
        codes: troubling(m)
            .map(|c| {
                let monitor = monitor(model, &m.module, c).map(|m| m.1);
                CodeView {
                    code: full(c),
                    text: monitor
                        .map_or_else(|| "not in the vehicle file".into(), |x| x.text.clone()),
                    status: c.words().to_owned(),
                    snapshot: c.snapshot.clone(),
                    unread: c.unread.clone(),
                    runs_when: monitor.map(|x| x.runs_when.clone()).unwrap_or_default(),
                    low_supply: low_supply(c),
                }
            })
            .collect(),
    });
    Some(ScanView {
        number: scan.number,
        at: scan.at.clone(),
        modules: modules.collect(),
        triage: a.triage.clone(),
        cleared_since: case.cleared() > Some(scan.number),
        low_below: LOW_SUPPLY,
    })
}

pub(super) fn scans(model: &Model, case: &Case) -> Vec<ScanRef> {
    let of = |s: &Scan| ScanRef {
        number: s.number,
        at: s.at.clone(),
        state: words::state(model, &s.state),
        codes: s.modules.iter().map(|m| troubling(m).count()).sum(),
    };
    case.scans.iter().map(of).collect()
}

/// What became of each code from one scan to a later one.
pub fn compare(case: &Case, from: &Scan, to: &Scan) -> Vec<Compared> {
    let cleared = |module: &PartId| {
        let between = |number: &u64| (from.number..to.number).contains(number);
        case.clears.iter().any(|(number, modules)| between(number) && modules.contains(module))
    };
    let list = |scan: &Scan| -> Vec<(PartId, String)> {
        let codes = |m: &ScannedModule| {
            troubling(m).map(|c| (m.module.clone(), full(c))).collect::<Vec<_>>()
        };
        scan.modules.iter().flat_map(codes).collect()
    };
    let silent = |scan: &Scan, module: &str| {
        scan.modules.iter().find(|m| m.module == module && m.asked).map(|m| !m.answered)
    };
    let (was, is) = (list(from), list(to));
    let mut all = was.clone();
    all.extend(is.iter().filter(|x| !was.contains(x)).cloned());
    let codes = all.into_iter().filter_map(|x| {
        let fate = match (was.contains(&x), is.contains(&x)) {
            (true, true) if cleared(&x.0) => "returned",
            (true, true) => "stayed",
            // Of a module that is silent now nothing is known.
            (true, false) if silent(to, &x.0) != Some(false) => return None,
            (true, false) => "gone",
            _ => "new",
        };
        Some(Compared { module: x.0, code: x.1, fate: fate.to_owned() })
    });
    let modules = to.modules.iter().filter_map(|m| {
        let fate = match (silent(from, &m.module)?, silent(to, &m.module)?) {
            (false, true) => "silent now",
            (true, false) => "answers again",
            _ => return None,
        };
        Some(Compared { module: m.module.clone(), code: String::new(), fate: fate.into() })
    });
    codes.chain(modules).collect()
}

pub(super) fn compared(case: &Case) -> Vec<Compared> {
    match (case.scans.first(), case.scans.last()) {
        (Some(first), Some(last)) if first.number != last.number => compare(case, first, last),
        _ => Vec::new(),
    }
}

/// What must run before the absence of codes cleared last counts; empty before clearing and after
/// the next scan.
pub fn watched(model: &Model, case: &Case) -> Vec<Watched> {
    let Some((cleared, modules)) = case.clears.last() else { return Vec::new() };
    let Some(scan) = case.scans.iter().rev().find(|s| s.number < *cleared) else {
        return Vec::new();
    };
    if case.scans.last().is_some_and(|s| s.number > *cleared) {
        return Vec::new();
    }
    let v = &model.circuit.vehicle;
    let runs = |state: &vehicle::OperatingState, m: MonitorIx| {
        model.predict(state).healthy.monitor(m) != circuit::software::Verdict::NotRun
    };
    let mut states: Vec<&vehicle::NamedState> = v.states.iter().collect();
    states.sort_by(|a, b| a.minutes.total_cmp(&b.minutes));
    let of_cleared = scan.modules.iter().filter(|m| modules.contains(&m.module));
    let all = of_cleared.flat_map(|m| troubling(m).map(move |c| (m, c)));
    all.filter_map(|(m, c)| {
        let (k, monitor) = monitor(model, &m.module, c)?;
        let runs_here = runs(&case.state, k);
        let state = states.iter().find(|s| !runs_here && runs(&s.state, k));
        Some(Watched {
            module: m.module.clone(),
            code: full(c),
            text: monitor.text.clone(),
            runs_when: monitor.runs_when.clone(),
            runs_here,
            state: state.map(|s| s.id.clone()).unwrap_or_default(),
            state_name: state.map(|s| s.name.clone()).unwrap_or_default(),
        })
    })
    .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn module(id: &str, answered: bool, codes: &[&str]) -> ScannedModule {
        let code = |c: &&str| ReadCode {
            code: c.parse().unwrap(),
            failure_type: "14".parse().unwrap(),
            status: 0x2F,
            ..ReadCode::default()
        };
        ScannedModule {
            module: id.into(),
            answered,
            asked: true,
            trouble: String::new(),
            unexpected: false,
            codes: codes.iter().map(code).collect(),
        }
    }

    fn scan(number: u64, modules: Vec<ScannedModule>) -> Scan {
        let (at, state) = (String::new(), vehicle::OperatingState::default());
        Scan { number, at, state, modules, doings: Vec::new() }
    }

    #[test]
    fn only_what_was_cleared_can_return() {
        let from = scan(
            1,
            vec![
                module("A2", true, &["B1A10", "B1A11"]),
                module("A3", true, &["B1A20"]),
                module("A10", true, &["P0201"]),
            ],
        );
        let to = scan(
            3,
            vec![
                module("A2", true, &["B1A10", "B1A12"]),
                module("A3", true, &["B1A20"]),
                module("A10", false, &[]),
            ],
        );
        let case = Case { clears: vec![(2, vec!["A2".into()])], ..Case::default() };
        let fates: Vec<String> = compare(&case, &from, &to)
            .into_iter()
            .map(|c| format!("{} {} {}", c.module, c.code, c.fate))
            .collect();
        // Of what A10 held nothing is known while it is silent.
        let expected = [
            "A2 B1A10-14 returned",
            "A2 B1A11-14 gone",
            "A3 B1A20-14 stayed",
            "A2 B1A12-14 new",
            "A10  silent now",
        ];
        assert_eq!(fates, expected);
    }
}
