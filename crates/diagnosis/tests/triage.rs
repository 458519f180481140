//! Codes in the order they matter, and those of one's own making.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{Exact, MODEL, state};
use circuit::Instrument;
use diagnosis::ledger::{Case, Entry, Intake, Numbered, ReadCode, ScannedModule};
use diagnosis::triage::{Group, Matter, Role, triage};
use diagnosis::trial::Bench;
use diagnosis::{Evidence, Finding, Posterior, own};
use vehicle::OperatingState;

/// What a scan of a vehicle with something hidden brings, as the link reports it.
fn scanned(state: &OperatingState, hidden: &[&str]) -> Vec<ScannedModule> {
    let mut vehicle = Exact::with(hidden);
    vehicle.set(state);
    let found = vehicle.scan();
    let mut modules: Vec<ScannedModule> = Vec::new();
    for finding in &found {
        if let Finding::Answer { module, answers } = finding {
            modules.push(ScannedModule {
                module: module.clone(),
                answered: *answers,
                asked: true,
                trouble: String::new(),
                unexpected: false,
                codes: Vec::new(),
            });
        }
    }
    for finding in found {
        if let Finding::Code { module, code, failure_type, failing } = finding {
            let of = modules.iter_mut().find(|m| m.module == module && m.answered);
            if let Some(m) = of {
                let status = if failing { 0x2F } else { 0x20 };
                m.codes.push(ReadCode { code, failure_type, status, ..ReadCode::default() });
            }
        }
    }
    modules
}

fn numbered(entries: Vec<Entry>) -> Vec<Numbered> {
    let at = |k: usize| format!("2026-11-25T10:{k:02}:00Z");
    entries
        .into_iter()
        .enumerate()
        .map(|(k, entry)| Numbered { number: k as u64 + 1, at: at(k), entry })
        .collect()
}

fn sorted(case: &Case) -> Vec<Group> {
    let posterior = Posterior::new(&MODEL, &case.believed()).unwrap();
    let scan = case.scans.last().unwrap();
    let own = own::made(&MODEL, &scan.doings);
    triage(&MODEL, MODEL.plain(), &posterior, &scan.state, &scan.modules, &own)
}

fn of_scan(state: &OperatingState, modules: Vec<ScannedModule>) -> Case {
    let entries = vec![
        Entry::Intake { intake: Intake::default() },
        Entry::Scan { state: state.clone(), modules },
    ];
    Case::of(&MODEL, &numbered(entries))
}

fn named(g: &Group) -> String {
    format!("{} {}", g.mark.module, g.mark.code).trim().to_owned()
}

#[test]
fn what_others_say_of_a_dead_module_echoes_its_silence() {
    let on = state("on");
    let groups = sorted(&of_scan(&on, scanned(&on, &["wire:25:open"])));
    assert_eq!(groups.len(), 1, "{groups:#?}");
    assert_eq!(named(&groups[0]), "A3", "the silent module itself leads");
    assert_eq!((groups[0].role, groups[0].mark.subject), (Role::Cause, Matter::Communication));
    let echoes: Vec<String> =
        groups[0].echoes.iter().map(|e| format!("{} {}", e.module, e.code)).collect();
    assert_eq!(echoes, ["A2 U0142-87", "A25 U0142-87"]);
    assert!(groups[0].share > 0.9, "{}", groups[0].share);
}

#[test]
fn a_dragged_reference_leads_its_sensors_and_what_others_make_of_them() {
    let on = state("on");
    let mut modules = scanned(&on, &["part:B2:loads_supply:9"]);
    // An entry of an earlier day, and a fault of its own elsewhere.
    let a3 = modules.iter_mut().find(|m| m.module == "A3").unwrap();
    let old = a3.codes.iter_mut().find(|c| c.code == "U3006").unwrap();
    old.status = 0x28;
    let groups = sorted(&of_scan(&on, modules));
    let first = &groups[0];
    assert_eq!((named(first).as_str(), first.role), ("A10 P0642-16", Role::Cause), "{groups:#?}");
    assert!(first.echoes.len() >= 3, "{first:#?}");
    assert!(first.echoes.iter().any(|e| e.code.starts_with("P0")), "{first:#?}");
    // “Invalid data received” comes last of all echoes.
    let invalid = first.echoes.iter().position(|e| e.code == "U0401-81");
    assert!(invalid.is_some_and(|at| at > 0), "{first:#?}");
    assert_eq!(first.echoes[invalid.unwrap()].subject, Matter::Plausibility);
    let last = groups.last().unwrap();
    assert_eq!((named(last).as_str(), last.role), ("A3 U3006-16", Role::Old));
    assert!(last.mark.reason.contains("nothing that is suspected"), "{}", last.mark.reason);
}

#[test]
fn a_code_nothing_suspected_sets_is_a_fault_of_its_own() {
    let on = state("on");
    let mut modules = scanned(&on, &["wire:25:open"]);
    let a10 = modules.iter_mut().find(|m| m.module == "A10").unwrap();
    a10.codes.iter_mut().find(|c| c.code == "P0117").unwrap().status = 0x2F;
    let case = of_scan(&on, modules);
    // Judged by what is suspected without it.
    let without: Vec<Evidence> = (case.believed().into_iter())
        .filter(|e| !matches!(&e.finding, Finding::Code { code, .. } if code == "P0117"))
        .collect();
    let posterior = Posterior::new(&MODEL, &without).unwrap();
    let scan = case.scans.last().unwrap();
    let groups = triage(&MODEL, MODEL.plain(), &posterior, &on, &scan.modules, &[]);
    let lone = groups.iter().find(|g| g.mark.code == "P0117-16").unwrap();
    assert_eq!(lone.role, Role::Unrelated, "{groups:#?}");
    assert!(lone.mark.reason.starts_with("a fault of its own"), "{}", lone.mark.reason);
    assert!(groups.iter().position(|g| g.role == Role::Cause).unwrap() == 0);
}

#[test]
fn codes_of_ones_own_unplugging_are_foretold_labelled_and_left_out() {
    let on = state("on");
    let unplugged = on.without("X3");
    let entries = |last: OperatingState, modules: Vec<ScannedModule>| {
        numbered(vec![
            Entry::Intake { intake: Intake::default() },
            Entry::State { state: unplugged.clone() },
            Entry::Scan { state: last, modules },
        ])
    };
    let case = Case::of(&MODEL, &entries(unplugged.clone(), scanned(&unplugged, &[])));
    let own = own::made(&MODEL, &case.doings);
    let told: Vec<String> = own.iter().map(|o| format!("{} {}", o.module, o.code)).collect();
    assert!(
        told.contains(&"A3 ".to_owned()) && told.contains(&"A2 U0142-87".to_owned()),
        "{told:?}"
    );
    assert!(own[0].by.contains("X3"), "{}", own[0].by);
    let groups = sorted(&case);
    assert!(!groups.is_empty() && groups.iter().all(|g| g.role == Role::Own), "{groups:#?}");
    let failing = |case: &Case| {
        case.believed().iter().any(|e| matches!(e.finding, Finding::Code { failing: true, .. }))
    };
    assert!(!failing(&case));
    // Plugged in again, it is one's own until its monitor has had a chance to find otherwise.
    let mut stale = scanned(&on, &[]);
    let monitor = MODEL.circuit.vehicle.monitors.iter_enumerated().find(|(m, x)| {
        own.iter().any(|o| o.monitor == Some(*m))
            && MODEL.predict(&on).healthy.monitor(*m) == circuit::software::Verdict::Passed
            && x.module == "A2"
    });
    let (_, monitor) = monitor.unwrap();
    let of = |m: &&mut ScannedModule| m.module == "A2";
    let codes = &mut stale.iter_mut().find(of).unwrap().codes;
    let code =
        codes.iter_mut().find(|c| c.code == monitor.code && c.failure_type == monitor.failure_type);
    code.unwrap().status = 0x2F;
    assert!(!failing(&Case::of(&MODEL, &entries(state("off"), stale.clone()))), "it cannot run");
    assert!(failing(&Case::of(&MODEL, &entries(on.clone(), stale))), "it ran, and still fails");
}

#[test]
fn a_test_lamp_on_a_thin_output_explains_the_code_it_makes() {
    let on = state("on");
    let v = &MODEL.circuit.vehicle;
    // Some point at which a 21 W lamp to ground makes a module complain.
    let lamp = |red: &str| circuit::Probe {
        instrument: Instrument::Lamp21,
        red: red.to_owned(),
        black: MODEL.circuit.reference.clone(),
    };
    let entry = |red: &str| Entry::Found {
        evidence: Evidence::new(
            on.clone(),
            Finding::Reading {
                instrument: Instrument::Lamp21,
                red: red.to_owned(),
                black: MODEL.circuit.reference.clone(),
                value: Some(0.0),
            },
        ),
        by: "typed".into(),
    };
    let engine = v.connectors.iter().find(|c| c.part.as_deref() == Some("A10")).unwrap();
    let reference = format!("{}.REF1", engine.id);
    assert!(lamp(&reference).leads(&MODEL.circuit).is_ok());
    let entries = numbered(vec![Entry::Intake { intake: Intake::default() }, entry(&reference)]);
    let case = Case::of(&MODEL, &entries);
    let own = own::made(&MODEL, &case.doings);
    assert!(own.iter().any(|o| o.code == "P0642-16" && o.by.contains("21 W test lamp")), "{own:?}");
    // Clearing takes it back, where it is cleared: the lamp is off again.
    let cleared = |modules: Vec<vehicle::PartId>| {
        let mut all = entries.clone();
        all.extend(numbered(vec![Entry::Cleared { modules }]));
        Case::of(&MODEL, &all).doings.len()
    };
    assert_eq!(cleared(vec!["A2".into()]), 1, "the engine module keeps its code");
    let modules = v.parts.iter().filter(|p| p.module.is_some());
    assert_eq!(cleared(modules.map(|p| p.id.clone()).collect()), 0);
}
