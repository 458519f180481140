//! What a ledger adds up to: every kind of entry, doubts, corrections, repairs.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{MODEL, state};
use diagnosis::ledger::{Case, Entry, Intake, Numbered, ReadCode, ScannedModule, scan_evidence};
use diagnosis::prior::Adjusted;
use diagnosis::{Evidence, Finding, Present, Strength};
use proptest::prelude::*;
use vehicle::OperatingState;

fn numbered(number: u64, entry: Entry) -> Numbered {
    Numbered { number, at: format!("2026-05-04T08:{number:02}:00Z"), entry }
}

fn ledger(entries: &[Entry]) -> Vec<Numbered> {
    (1..).zip(entries).map(|(n, e)| numbered(n, e.clone())).collect()
}

fn case(entries: &[Entry]) -> Case {
    Case::of(&MODEL, &ledger(entries))
}

fn told(output: &str, effect: Strength) -> Entry {
    let intake = Intake { output: output.into(), effect: Some(effect), ..Intake::default() };
    Entry::Intake { intake }
}

fn seen(part: &str, strength: Strength) -> Entry {
    let finding = Finding::Effect { part: part.into(), strength };
    Entry::Found { evidence: Evidence::new(state("rear_washer"), finding), by: "seen".into() }
}

fn read(red: &str, value: f64) -> Entry {
    let finding = Finding::Reading {
        instrument: circuit::Instrument::Volts,
        red: red.into(),
        black: "BAT.-".into(),
        value: Some(value),
    };
    Entry::Found { evidence: Evidence::new(state("rear_washer"), finding), by: "meter".into() }
}

fn code(code: &str, failure_type: &str, status: u8) -> ReadCode {
    ReadCode {
        code: code.parse().unwrap(),
        failure_type: failure_type.parse().unwrap(),
        status,
        ..ReadCode::default()
    }
}

fn scanned(module: &str, codes: Vec<ReadCode>) -> ScannedModule {
    ScannedModule {
        module: module.into(),
        answered: true,
        asked: true,
        trouble: String::new(),
        unexpected: false,
        codes,
    }
}

fn numbers(case: &Case) -> Vec<u64> {
    case.evidence.iter().map(|(n, _)| *n).collect()
}

fn signed_off() -> Entry {
    Entry::SignedOff { open: Vec::new(), reason: String::new() }
}

#[test]
fn a_corrected_complaint_takes_the_place_of_the_first() {
    let c = case(&[told("rear_washer", Strength::Weak), told("rear_washer", Strength::None)]);
    assert_eq!((c.told, numbers(&c)), (Some(2), vec![2]));
    let Finding::Effect { part, strength } = &c.evidence[0].1.finding else { panic!("{c:?}") };
    assert_eq!((part.as_str(), *strength), ("M7", Strength::None));
    assert!(c.evidence[0].1.complaint && c.evidence[0].1.present == Present::Yes);
    // One that names nothing takes the first back and says nothing itself.
    let vague = Entry::Intake { intake: Intake { complaint: "odd".into(), ..Intake::default() } };
    assert!(case(&[told("rear_washer", Strength::Weak), vague]).evidence.is_empty());
}

#[test]
fn doubted_findings_bear_on_nothing_until_they_are_believed_again() {
    let doubt = |number, doubted| Entry::Doubted { number, doubted };
    let found = [told("rear_washer", Strength::Weak), read("M7.1", 7.1), read("M7.2", 0.1)];
    let with = |more: &[Entry]| case(&[&found[..], more].concat());
    assert_eq!(numbers(&with(&[])), [1, 2, 3]);
    assert_eq!(numbers(&with(&[doubt(2, true)])), [1, 3]);
    assert_eq!(numbers(&with(&[doubt(2, true), doubt(2, false)])), [1, 2, 3]);
    assert_eq!(with(&[doubt(2, true), doubt(3, true)]).doubted, [2, 3].into());
    // What is doubted before it was entered is nothing yet, and doubted all the same once it is there.
    let early = [&[doubt(3, true)][..], &found[..]].concat();
    assert_eq!(numbers(&case(&early)), [2, 4]);
}

#[test]
fn after_a_repair_only_what_was_found_since_speaks() {
    let item = "terminal:C4.7".parse().unwrap();
    let text = "terminal renewed".to_owned();
    let repaired =
        Entry::Repaired { item, text, probability: 0.98, proven: true, beside: Vec::new() };
    let c = case(&[told("rear_washer", Strength::Weak), repaired, seen("M7", Strength::Normal)]);
    assert_eq!(numbers(&c), [1]);
    assert_eq!((c.still().len(), c.entry_of(0), c.entry_of(1)), (1, 3, 0));
    let repair = c.repair.unwrap();
    assert_eq!((repair.number, repair.proven), (2, true));
    assert_eq!(repair.item, "terminal:C4.7");
}

#[test]
fn a_scan_feeds_what_fails_now_and_what_has_run_and_passed() {
    // Status bits: 0 fails now, 3 stored, 4 not run since clearing, 6 not run since key on.
    let codes = vec![
        code("U3006", "16", 0x09),
        code("B1A10", "14", 0x00),
        code("B1A10", "12", 0x48),
        code("B1A11", "14", 0x50),
        code("B3999", "00", 0x09),
    ];
    let gone = ScannedModule { asked: false, answered: false, ..scanned("A3", Vec::new()) };
    let modules = vec![scanned("A2", codes), gone];
    let all = scan_evidence(&state("on"), &modules);
    let failing = |e: &Evidence| match &e.finding {
        Finding::Code { code, failing, .. } => Some((code.to_string(), *failing)),
        _ => None,
    };
    let told: Vec<(String, bool)> = all.iter().filter_map(failing).collect();
    let said = |c: &str, failing| (c.to_owned(), failing);
    assert_eq!(told, [said("U3006", true), said("B1A10", false), said("B3999", true)]);
    assert!(all.iter().any(
        |e| matches!(&e.finding, Finding::Answer { module, answers: true } if module == "A2")
    ));
    assert!(
        !all.iter().any(|e| matches!(&e.finding, Finding::Answer { module, .. } if module == "A3"))
    );
    // What the vehicle file does not know bears on nothing; all of a scan is one moment.
    let c = case(&[Entry::Scan { state: state("on"), modules }]);
    assert_eq!(c.evidence.len(), 3, "{:?}", c.evidence);
    assert!(c.evidence.iter().all(|(n, e)| *n == 1 && e.moment == 1));
    assert_eq!((c.scans.len(), c.scans[0].at.as_str()), (1, "2026-05-04T08:01:00Z"));
}

#[test]
fn a_code_of_ones_own_making_is_no_finding() {
    let pulled = OperatingState { unplugged: ["XB3".into()].into(), ..state("on") };
    let fails = |status| vec![scanned("A10", vec![code("P0522", "16", status)])];
    let scan = |state: &OperatingState| Entry::Scan { state: state.clone(), modules: fails(0x09) };
    let failing = |c: &Case| {
        let fails = |e: &Evidence| matches!(e.finding, Finding::Code { failing: true, .. });
        c.evidence.iter().filter(|(_, e)| fails(e)).count()
    };
    assert_eq!(failing(&case(&[scan(&state("on"))])), 1);
    assert_eq!(failing(&case(&[scan(&pulled)])), 0, "its sensor is unplugged");
    // What failed before anything was pulled goes on to speak.
    assert_eq!(failing(&case(&[scan(&state("on")), scan(&pulled)])), 2);
    // Plugged in again and cleared, the doing is over; A26 complains of the lost oil pressure as well, and
    // keeps that while only A10 is cleared.
    let plugged = Entry::State { state: state("on") };
    let cleared = |modules: &[&str]| {
        let modules = modules.iter().map(|m| (*m).into()).collect();
        case(&[scan(&pulled), plugged.clone(), Entry::Cleared { modules }, scan(&state("on"))])
    };
    assert_eq!(cleared(&["A10"]).doings.len(), 1);
    let c = cleared(&["A10", "A26"]);
    assert!(c.doings.is_empty(), "{:?}", c.doings);
    assert_eq!((failing(&c), c.cleared()), (1, Some(3)));
}

#[test]
fn what_speaks_of_things_the_vehicle_does_not_have_bears_on_nothing() {
    let nowhere = OperatingState { unplugged: ["X999".into()].into(), ..state("on") };
    let c = case(&[
        Entry::State { state: nowhere.clone() },
        Entry::Scan { state: nowhere, modules: Vec::new() },
        read("X999.1", 12.0),
        seen("M999", Strength::None),
        Entry::Unreadable { why: "from a newer version".into() },
    ]);
    assert_eq!(c, Case::default());
}

#[test]
fn the_latest_word_on_an_item_counts_and_one_takes_it_back() {
    let word = |item: &str, factor| Entry::Adjusted {
        adjusted: Adjusted { item: item.parse().unwrap(), factor, reason: "looked".into() },
    };
    let c = case(&[word("part:M7", 5.0), word("wire:62", 3.0), word("part:M7", 0.5)]);
    let factors: Vec<f64> = c.adjusted.iter().map(|a| a.factor).collect();
    assert_eq!(factors, [3.0, 0.5]);
    assert_eq!(case(&[word("part:M7", 5.0), word("part:M7", 1.0)]).adjusted, []);
}

#[test]
fn a_job_is_closed_and_opened_again() {
    let again = Entry::Reopened { reason: "it came back".into() };
    assert!(case(&[signed_off()]).signed_off);
    assert!(!case(&[signed_off(), again.clone()]).signed_off);
    assert!(case(&[signed_off(), again, signed_off()]).signed_off);
}

fn entry() -> impl Strategy<Value = Entry> {
    let strength = prop_oneof![Just(Strength::Normal), Just(Strength::Weak), Just(Strength::None)];
    let red = prop_oneof![Just("M7.1"), Just("C4.7:cabin"), Just("K9.87"), Just("X999.1")];
    prop_oneof![
        strength.clone().prop_map(|s| told("rear_washer", s)),
        strength.prop_map(|s| seen("M7", s)),
        (red, -1.0..15.0f64).prop_map(|(red, v)| read(red, v)),
        prop_oneof![Just(Present::Yes), Just(Present::No)]
            .prop_map(|present| Entry::Symptom { present }),
        Just(Entry::State { state: state("rear_washer").without("M7") }),
        Just(Entry::Refused { check: "amps *".to_owned().into() }),
        (1..12u64, any::<bool>()).prop_map(|(number, doubted)| Entry::Doubted { number, doubted }),
        Just(signed_off()),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn remarks_change_nothing(all in prop::collection::vec(entry(), 0..14), at in any::<prop::sample::Index>()) {
        let plain = ledger(&all);
        let mut with = plain.clone();
        let at = if with.is_empty() { 0 } else { at.index(with.len()) };
        with.insert(at, numbered(999, Entry::Note { text: "parts ordered".into() }));
        prop_assert_eq!(Case::of(&MODEL, &with), Case::of(&MODEL, &plain));
    }

    #[test]
    fn with_everything_doubted_nothing_speaks(all in prop::collection::vec(entry(), 0..14)) {
        let doubts = (1..=all.len() as u64).map(|number| Entry::Doubted { number, doubted: true });
        let all: Vec<Entry> = all.iter().cloned().chain(doubts).collect();
        let c = case(&all);
        prop_assert!(c.evidence.is_empty() && c.after.is_empty(), "{:?}", c.evidence);
    }

    #[test]
    fn what_is_kept_is_read_again(e in entry()) {
        let kept = serde_json::to_string(&numbered(7, e)).unwrap();
        let again: Numbered = serde_json::from_str(&kept).unwrap();
        prop_assert_eq!(serde_json::to_string(&again).unwrap(), kept);
    }
}

#[test]
fn doubts_of_older_ledgers_are_read() {
    let old = r#"{"entry": "doubted", "number": 3, "doubted": true}"#;
    let e: Entry = serde_json::from_str(old).unwrap();
    assert_eq!(e, Entry::Doubted { number: 3, doubted: true });
}
