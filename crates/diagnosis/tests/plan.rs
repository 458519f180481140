//! The plan of a replacement: steps that follow from what goes in and from the ledger, each waiting for what it needs.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::MODEL;
use diagnosis::costs::Prices;
use diagnosis::ledger::{Case, Entry, Numbered, ReadCode, ScannedModule};
use diagnosis::plan::{self, Decision, KeptRecord, RecordSource, StepPress, StepStands};
use diagnosis::setup::RecordWrite;
use proptest::prelude::*;
use vehicle::vin::DID as VIN;
use vehicle::{KeyPosition, OperatingState, Origin};

fn decided(part: &str) -> Entry {
    let decision = Decision {
        part: part.into(),
        number: String::new(),
        origin: Origin::New,
        already: false,
        cost: 300.0,
        currency: "€".into(),
        consequences: Vec::new(),
        agreed_by: String::new(),
    };
    Entry::Decided { decision }
}

fn key(key: KeyPosition) -> Entry {
    Entry::State { state: OperatingState { key, charger: true, ..OperatingState::default() } }
}

fn scan(silent: &[&str]) -> Entry {
    let v = &MODEL.circuit.vehicle;
    let modules = v.parts.iter().filter(|p| p.module.is_some()).map(|p| ScannedModule {
        module: p.id.clone(),
        answered: !silent.contains(&p.id.as_str()),
        asked: true,
        trouble: String::new(),
        unexpected: false,
        codes: Vec::new(),
    });
    let on = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
    Entry::Scan { state: on, modules: modules.collect() }
}

fn kept(module: &str, did: u16, data: &str) -> Entry {
    let (module, data) = (module.into(), data.to_owned());
    Entry::Kept { records: vec![KeptRecord { module, did, data, from: RecordSource::Unit }] }
}

fn replaced(part: &str) -> Entry {
    Entry::Repaired {
        item: format!("part:{part}").parse().unwrap(),
        text: "replaced".into(),
        probability: 0.9,
        proven: false,
        beside: Vec::new(),
    }
}

fn writing(module: &str, did: u16) -> Entry {
    let (module, old, new) = (module.into(), "00".into(), "01".into());
    Entry::Writing { write: RecordWrite { module, did, old, new } }
}

fn case(entries: &[Entry]) -> Case {
    let numbered = |(n, e): (u64, &Entry)| Numbered {
        number: n,
        at: "2026-11-29T10:00:00Z".into(),
        entry: e.clone(),
    };
    let all: Vec<Numbered> = (1..).zip(entries).map(numbered).collect();
    Case::of(&MODEL, &all)
}

fn steps(entries: &[Entry]) -> Vec<(String, StepStands)> {
    let plan = plan::plan(&MODEL, &case(entries)).unwrap();
    plan.steps.into_iter().map(|s| (s.id, s.stands)).collect()
}

fn stands(entries: &[Entry], id: &str) -> StepStands {
    steps(entries).into_iter().find(|s| s.0 == id).unwrap().1
}

#[test]
fn a_sensor_after_which_something_is_learned_has_a_short_plan() {
    let ids: Vec<String> = steps(&[decided("B10")]).into_iter().map(|s| s.0).collect();
    let wanted =
        ["supply", "answers", "replace", "teach tooth_errors", "key_cycle", "clear", "rescan"];
    assert_eq!(ids, wanted);
    assert!(plan::plan(&MODEL, &case(&[])).is_none(), "nothing was decided");
}

#[test]
fn a_module_is_kept_replaced_and_set_in_this_order_and_each_step_says_for_whom_it_waits() {
    let mut all = vec![decided("A20"), key(KeyPosition::On), scan(&["A30"])];
    let silent = StepStands::Blocked { by: "A30 is silent".into() };
    assert_eq!(stands(&all, "answers"), silent);
    assert_eq!(stands(&all, "keep"), StepStands::Open);
    assert!(matches!(stands(&all, "replace"), StepStands::Blocked { by } if by.contains("keep")));
    all.push(kept("A20", 0x0601, "4000"));
    assert_eq!(stands(&all, "keep"), StepStands::Done, "its identity is the job's own");
    assert_eq!(stands(&all, "replace"), StepStands::Open);
    all.push(replaced("A20"));
    assert_eq!(stands(&all, "write 0601"), silent, "who is silent is named where one writes");
    all.push(scan(&[]));
    assert_eq!(stands(&all, "write F190"), StepStands::Open);
    for did in [VIN, 0x0601] {
        all.push(writing("A20", did));
        let number = all.len() as u64;
        all.push(Entry::Written { number, holds: true, as_before: false });
    }
    assert_eq!(stands(&all, "write 0601"), StepStands::Done);
    assert_eq!(stands(&all, "teach window_stop_left"), StepStands::Open);
    let setting = "window_stop_left".to_owned();
    all.push(Entry::Taught { setting, trouble: String::new(), proof: None });
    assert_eq!(stands(&all, "key_cycle"), StepStands::Open);
    all.extend([
        key(KeyPosition::Off),
        key(KeyPosition::On),
        Entry::Cleared { modules: Vec::new() },
    ]);
    all.push(scan(&[]));
    assert!(steps(&all).iter().all(|s| s.1 == StepStands::Done), "{:#?}", steps(&all));
    // What is written once more has to be taken over once more.
    all.push(writing("A20", 0x0601));
    assert_eq!(stands(&all, "key_cycle"), StepStands::Open);
}

/// A scan in which a code of the engine module has a status.
fn with_code(status: u8) -> Entry {
    let Entry::Scan { state, mut modules } = scan(&[]) else { unreachable!() };
    let engine = modules.iter_mut().find(|m| m.module == "A10").unwrap();
    engine.codes.push(ReadCode {
        code: "P0122".parse().unwrap(),
        failure_type: "16".parse().unwrap(),
        status,
        ..ReadCode::default()
    });
    Entry::Scan { state, modules }
}

#[test]
fn codes_that_a_lesson_wants_gone_are_looked_for_and_cleared_before_it() {
    // The throttle is replaced: its end stop is taught, which the module refuses while a code of it stands.
    let mut all = vec![decided("M20"), key(KeyPosition::On), with_code(0x09), replaced("M20")];
    assert_eq!(stands(&all, "codes"), StepStands::Open, "nobody looked since it was replaced");
    assert!(
        matches!(stands(&all, "teach throttle_stop"), StepStands::Blocked { by } if by.contains("P0122"))
    );
    let ids: Vec<String> = steps(&all).into_iter().map(|s| s.0).collect();
    let at = |id: &str| ids.iter().position(|i| i == id).unwrap();
    assert!(at("replace") < at("codes") && at("codes") < at("teach throttle_stop"));
    // Gone by itself; stored, it is cleared; failing, its cause comes first.
    let then = |more: &[Entry]| stands(&[all.clone(), more.to_vec()].concat(), "codes");
    assert_eq!(then(&[scan(&[])]), StepStands::Done);
    assert_eq!(then(&[with_code(0x08)]), StepStands::Open);
    assert!(
        matches!(then(&[with_code(0x09)]), StepStands::Blocked { by } if by.contains("P0122 fails now"))
    );
    // One that failed can be looked for again where it stands in the way; what is only stored is cleared.
    let press = |more: &[Entry]| {
        let plan = plan::plan(&MODEL, &case(&[all.clone(), more.to_vec()].concat())).unwrap();
        plan.steps.into_iter().find(|s| s.id == "codes").unwrap().press
    };
    assert_eq!((press(&[]), press(&[with_code(0x09)])), (StepPress::Scan, StepPress::Scan));
    assert_eq!(press(&[with_code(0x08)]), StepPress::Clear);
    all.extend([with_code(0x08), Entry::Cleared { modules: Vec::new() }]);
    assert_eq!(stands(&all, "codes"), StepStands::Done);
    assert_eq!(stands(&all, "teach throttle_stop"), StepStands::Open);
    // A lesson that asks for none has no such step.
    assert!(steps(&[decided("B10")]).iter().all(|s| s.0 != "codes"));
}

#[test]
fn a_record_is_what_was_kept_with_every_field_as_this_vehicle_wants_it() {
    let v = &MODEL.circuit.vehicle;
    let (module, did) = ("A20".into(), 0x0601);
    // The two highest bits are the one-touch field, 01 when it is right; 3F 12 is what else the old unit held.
    let all = case(&[decided("A20"), kept("A20", did, "3F12")]);
    let (written, from) = plan::to_write(v, &all, (&module, did), &[0, 0]);
    assert_eq!((written, from), (vec![0x7F, 0x12], RecordSource::Unit));
    // Of another length it is no use; then what the new unit holds is the ground.
    let all = case(&[decided("A20"), kept("A20", did, "3F")]);
    let (written, from) = plan::to_write(v, &all, (&module, did), &[0x00, 0x05]);
    assert_eq!((written, from), (vec![0x40, 0x05], RecordSource::Equipment));
}

#[test]
fn what_has_to_agree_is_read_before_it_is_written_and_set_where_it_differs() {
    let mut all = vec![decided("A12"), key(KeyPosition::On), scan(&[])];
    all.push(kept("A12", 0x0601, "4000"));
    all.push(replaced("A12"));
    assert_eq!(stands(&all, "agree A26"), StepStands::Open);
    let waits = StepStands::Blocked { by: "Read what A26 holds of tyre size".into() };
    assert_eq!(stands(&all, "write 0601"), waits);
    assert_eq!(stands(&all, "write F190"), StepStands::Open, "whose it is agrees with nobody");
    // The panel's tyres are its second four bits: 7 is another size, 4 is right.
    let mut apart = all.clone();
    apart.push(kept("A26", 0x0601, "2700"));
    assert_eq!(stands(&apart, "write 0601"), StepStands::Open);
    assert_eq!(stands(&apart, "write A26 0601"), StepStands::Open);
    let v = &MODEL.circuit.vehicle;
    let others = plan::agree::others(v, &case(&apart), &"A12".into(), Some(0x0601));
    assert_eq!(others.len(), 1);
    assert_eq!((others[0].agrees, others[0].entry), (false, Some(6)));
    let set = |all: &mut Vec<Entry>, module: &str, old: &str, new: &str| {
        let (module, old, new) = (module.into(), old.into(), new.into());
        all.push(Entry::Writing { write: RecordWrite { module, did: 0x0601, old, new } });
        let number = all.len() as u64;
        all.push(Entry::Written { number, holds: true, as_before: false });
    };
    set(&mut apart, "A12", "0000", "4000");
    let told = plan::agree::apart(v, &case(&apart));
    assert_eq!(told.len(), 1, "{told:?}");
    assert!(told[0].contains("A12 holds 205/65 (entry 7), A26 holds 225/60"), "{told:?}");
    set(&mut apart, "A26", "2700", "2400");
    assert_eq!(stands(&apart, "write A26 0601"), StepStands::Done);
    assert!(plan::agree::apart(v, &case(&apart)).is_empty());
    // Where it holds the same already there is nothing to set in the other one.
    all.push(kept("A26", 0x0601, "2400"));
    assert!(steps(&all).iter().all(|s| s.0 != "write A26 0601"));
    // What was worked out from the equipment says nothing of what the module holds.
    let built = |e: &Entry| match e {
        Entry::Kept { records } if records[0].module == "A26" => {
            let from = RecordSource::Equipment;
            Entry::Kept { records: vec![KeptRecord { from, ..records[0].clone() }] }
        }
        other => other.clone(),
    };
    let all: Vec<Entry> = all.iter().map(built).collect();
    assert_eq!(stands(&all, "agree A26"), StepStands::Open);
    assert_eq!(
        stands(&[decided("A12"), scan(&["A26"])], "agree A26"),
        StepStands::Blocked { by: "A26 is silent".into() }
    );
}

#[test]
fn of_another_module_only_what_is_still_so_counts() {
    let v = &MODEL.circuit.vehicle;
    let holds = |entries: &[Entry]| {
        let all = plan::agree::others(v, &case(entries), &"A12".into(), None);
        assert_eq!(all.len(), 1, "{all:?}");
        (all[0].holds.clone(), all[0].entry)
    };
    let mut all = vec![kept("A26", 0x0601, "2700")];
    assert_eq!(holds(&all), (Some("225/60".into()), Some(1)));
    // Of a write that nobody knows the end of nothing is known; refused, it holds what it held before.
    all.push(Entry::Writing {
        write: RecordWrite {
            module: "A26".into(),
            did: 0x0601,
            old: "2700".into(),
            new: "2400".into(),
        },
    });
    assert_eq!(holds(&all), (None, None));
    all.push(Entry::Written { number: 2, holds: false, as_before: true });
    assert_eq!(holds(&all), (Some("225/60".into()), Some(2)));
    all[2] = Entry::Written { number: 2, holds: true, as_before: false };
    assert_eq!(holds(&all), (Some("205/65".into()), Some(2)));
    // What was read of a unit says nothing of the one that went in its place.
    all.push(replaced("A26"));
    assert_eq!(holds(&all), (None, None));
    all.push(kept("A26", 0x0601, "2000"));
    assert_eq!(holds(&all), (Some("not coded".into()), Some(5)));
    // Of a module that has to agree with nobody there is nothing to tell; nor of another record.
    let of = |module: &str, did| plan::agree::others(v, &case(&all), &module.into(), did);
    assert!(of("A20", None).is_empty() && of("A12", Some(0x0600)).is_empty());
    assert_eq!(of("A26", Some(0x0601))[0].module, "A12");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    #[test]
    fn two_records_are_told_apart_exactly_where_their_fields_differ(ours in 0u8..16, theirs in 0u8..16, rest: u8) {
        // The brake module's tyres are its first four bits, the panel's its second four; the others mean other things.
        let a12 = format!("{:02X}{rest:02X}", ours << 4 | rest & 15);
        let a26 = format!("{:02X}{rest:02X}", rest & 0xF0 | theirs);
        let all = case(&[kept("A12", 0x0601, &a12), kept("A26", 0x0601, &a26)]);
        let told = plan::agree::apart(&MODEL.circuit.vehicle, &all);
        prop_assert_eq!(told.len(), usize::from(ours != theirs), "{:?}", told);
    }
}

#[test]
fn what_follows_from_another_build_is_worked_out() {
    let all = plan::choices(&MODEL, &Prices::default(), &"A25".into());
    let of = |number: &str| all.iter().find(|c| c.number == number).unwrap();
    let (gone, used) = (of("PW 10 0 44320"), of("PW 10 0 44322"));
    assert!(gone.discontinued && gone.consequences[0].contains("no longer"));
    let said = used.consequences.join("; ");
    assert!(said.contains("differs") && said.contains("margins"), "{said}");
    // Each of the vehicle's parts can be asked about; where the file names no variant a new one goes in.
    for part in plan::replaceable(&MODEL.circuit.vehicle) {
        let all = plan::choices(&MODEL, &Prices::default(), &part.id);
        assert!(!all.is_empty() && all.iter().all(|c| c.cost.is_finite()), "{}", part.id);
    }
}

fn any_entry() -> impl Strategy<Value = Entry> {
    prop_oneof![
        Just(decided("A20")),
        Just(decided("B10")),
        Just(decided("A12")),
        Just(kept("A26", 0x0601, "2700")),
        Just(replaced("A12")),
        Just(writing("A26", 0x0601)),
        Just(key(KeyPosition::Off)),
        Just(key(KeyPosition::On)),
        Just(scan(&[])),
        Just(scan(&["A2", "A20"])),
        Just(kept("A20", 0x0601, "4000")),
        Just(replaced("A20")),
        Just(replaced("B10")),
        Just(writing("A20", 0x0601)),
        (1_u64..20, any::<bool>(), any::<bool>())
            .prop_map(|(number, holds, as_before)| { Entry::Written { number, holds, as_before } }),
        Just(Entry::Cleared { modules: Vec::new() }),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    #[test]
    fn whatever_was_done_nothing_is_set_before_it_is_in_and_a_wait_has_a_reason(
        entries in prop::collection::vec(any_entry(), 0..16),
    ) {
        let Some(p) = plan::plan(&MODEL, &case(&entries)) else { return Ok(()) };
        let of = |id: &str| p.steps.iter().find(|s| s.id == id);
        let is_in = of("replace").is_none_or(|s| s.stands == StepStands::Done);
        for s in &p.steps {
            if let StepStands::Blocked { by } = &s.stands {
                prop_assert!(!by.is_empty(), "{}", s.id);
            }
            let sets = s.id.starts_with("write") || s.id.starts_with("teach");
            prop_assert!(!sets || is_in || s.stands != StepStands::Open, "{:?}", s);
        }
        let later = ["key_cycle", "clear", "rescan"].map(|id| &of(id).unwrap().stands);
        prop_assert!(later[1] != &StepStands::Done || later[0] == &StepStands::Done);
        prop_assert!(later[2] != &StepStands::Done || later[1] == &StepStands::Done);
    }
}
