//! Levels of a capture, each sender's own, beside what suspects predict at the cavities it was tapped at.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

mod common;
use circuit::fault;
use common::{MODEL, state};
use diagnosis::tapped::{Compared, Seen, Tap, asleep, compared, sender_of};
use diagnosis::{Evidence, Finding, Posterior};
use vehicle::{Item, PartId};

/// What a fault makes of a bus, as a capture at a member's pins would show it.
fn under(id: &str, tap: &Tap) -> Seen {
    let senders = ["A1", "A10", "A12", "A13", "A14"];
    let sound = Seen {
        recessive: 0.0,
        senders: senders.map(|part| (PartId::from(part), (0.0, 3))).into(),
        unknown: 0,
        missing: Vec::new(),
    };
    let fault = fault::by_id(&MODEL.circuit, id).unwrap();
    let all = compared(&MODEL, &state("on"), tap, &sound, Some(&fault.changes)).unwrap();
    let level = |row: &Compared| row.under.unwrap();
    let of = |row: &Compared| Some((row.sender.clone()?, (level(row), row.frames)));
    let senders = all.iter().filter_map(of).collect();
    Seen { recessive: level(&all[0]), senders, unknown: 0, missing: Vec::new() }
}

fn weighed(seen: &Seen, tap: &Tap) -> Posterior {
    let all = seen.findings(tap).into_iter();
    let evidence: Vec<_> = all.map(|f| Evidence::new(state("on"), f)).collect();
    Posterior::new(&MODEL, &evidence).unwrap()
}

#[test]
fn a_sound_bus_has_sound_levels_at_every_member() {
    let tap = Tap::of(&MODEL, "drive", "A10").unwrap();
    assert_ne!(tap.high, tap.low);
    let seen = Seen {
        recessive: 0.0,
        senders: [("A12".into(), (2.0, 1))].into(),
        unknown: 0,
        missing: Vec::new(),
    };
    let rows = compared(&MODEL, &state("on"), &tap, &seen, None).unwrap();
    // ISO 11898-2: a recessive bus has -0.5 to 0.05 V between its lines, a driven one 1.5 to 3.0 V.
    assert!((-0.5..=0.05).contains(&rows[0].expected), "{rows:?}");
    assert!((1.5..=3.0).contains(&rows[1].expected), "{rows:?}");
    assert_eq!((rows[1].sender.as_deref(), rows[1].under), (Some("A12"), None));
}

#[test]
fn who_sends_is_told_by_the_identifier() {
    assert_eq!(sender_of(&MODEL, "drive", 0xC0).as_deref(), Some("A12"));
    // What another bus has is passed on by the gateway; what none has comes from nobody.
    assert_eq!(sender_of(&MODEL, "drive", 0x210).as_deref(), Some("A1"));
    assert_eq!(sender_of(&MODEL, "drive", 0x7FF), None);
    assert!(Tap::of(&MODEL, "drive", "A50").is_err());
    assert!(Tap::of(&MODEL, "nothing", "A10").is_err());
}

#[test]
fn a_capture_of_another_state_is_known_by_who_sends() {
    let senders = [(PartId::from("A13"), (2.0, 5))].into();
    let seen = Seen { recessive: 0.0, senders, unknown: 0, missing: Vec::new() };
    assert_eq!(asleep(&MODEL, &state("off"), &seen).map(|p| &**p), Some("A13"));
    assert_eq!(asleep(&MODEL, &state("on"), &seen), None);
}

#[test]
fn levels_are_the_usual_ones_of_each_sender() {
    let frames =
        [(0xC0, [0.0, 2.0]), (0xC0, [0.01, 2.1]), (0xC4, [0.0, 9.0]), (0x7FF, [0.02, 2.0])];
    let seen = Seen::of(&MODEL, "drive", frames).unwrap();
    // Both identifiers are of A12: 2.0, 2.1 and 9.0 V, in the middle 2.1.
    assert_eq!(seen.senders, [("A12".into(), (2.1, 3))].into());
    assert_eq!((seen.recessive, seen.unknown), (0.01, 1));
    assert_eq!(Seen::of(&MODEL, "drive", []), None);
}

#[test]
fn only_what_says_something_of_its_own_is_weighed() {
    let tap = Tap::of(&MODEL, "drive", "A10").unwrap();
    let senders = [("A1", 2.0), ("A10", 2.02), ("A12", 1.1), ("A13", 1.98), ("A14", 2.01)];
    let senders = senders.map(|(part, volts)| (PartId::from(part), (volts, 4))).into();
    let all = Seen { recessive: 0.0, senders, unknown: 0, missing: Vec::new() }.findings(&tap);
    let of = |f: &Finding| match f {
        Finding::Level { sender, value, .. } => (sender.clone().unwrap_or_default(), *value),
        other => panic!("{other:?}"),
    };
    let told: Vec<_> = all.iter().map(of).collect();
    assert_eq!(told, [("".into(), 0.0), ("A1".into(), 2.0), ("A12".into(), 1.1)]);
}

#[test]
fn the_level_of_one_sender_points_to_its_own_way() {
    let tap = Tap::of(&MODEL, "drive", "A10").unwrap();
    let stub = MODEL.circuit.vehicle.connectors.iter();
    let own = stub.clone().find(|c| c.part.as_deref() == Some("A13")).unwrap();
    let at = Tap::of(&MODEL, "drive", "A13").unwrap().high;
    assert!(at.starts_with(own.id.as_str()), "{at}");
    let seen = under(&format!("terminal:{at}:series:100"), &tap);
    // The others drive as ever, this one through another 100 ohms less.
    let of = |part: &str| seen.senders[&PartId::from(part)].0;
    assert!(of("A13") < of("A12") - 0.3 && (of("A12") - of("A10")).abs() < 0.15, "{seen:?}");
    let p = weighed(&seen, &tap);
    let before = Posterior::new(&MODEL, &[]).unwrap();
    let gain = |id: &str| {
        let item = MODEL.item(&Item::Terminal(id.into())).unwrap();
        p.items[item] / before.items[item]
    };
    // What lies in the way of that sender alone gains by it, and what lies in the way of others does not.
    let other = Tap::of(&MODEL, "drive", "A12").unwrap().high;
    let leading = p.ranking().into_iter().take(6).map(|(k, p)| (MODEL.items[k].to_string(), p));
    let leading: Vec<_> = leading.collect();
    assert!(gain(&at) > 100.0 && gain(&other) < 1.0, "{} {} {leading:?}", gain(&at), gain(&other));
}

#[test]
fn whoever_does_not_work_sends_nothing() {
    let tap = Tap::of(&MODEL, "drive", "A10").unwrap();
    let senders = [(PartId::from("A13"), (2.0, 5))].into();
    let p = weighed(&Seen { recessive: 0.0, senders, unknown: 0, missing: Vec::new() }, &tap);
    let before = Posterior::new(&MODEL, &[]).unwrap();
    // Each wire to its supply and ground, open, silences it.
    let part = MODEL.circuit.part("A13").unwrap();
    let all = MODEL.predict_all(&state("on"));
    let dead = |h: &diagnosis::HypIx| all.fault(*h).is_some_and(|s| !s.alive(part));
    let dead: Vec<_> = MODEL.faults.keys().filter(dead).collect();
    assert!(dead.len() > 5, "{}", dead.len());
    let share = |p: &Posterior| dead.iter().map(|h| p.hypotheses[*h]).sum::<f64>();
    assert!(share(&p) < 0.05 * share(&before), "{} of {}", share(&p), share(&before));
}

#[test]
fn who_should_have_come_and_did_not_is_a_finding() {
    let tap = Tap::of(&MODEL, "drive", "A1").unwrap();
    let frames = [(160, [0.0, 2.0]), (192, [0.0, 2.0])];
    let seen = Seen::of(&MODEL, "drive", frames).unwrap();
    // In 60 ms what is sent every 10 or 20 ms must have come: of the engine (160), the brakes (192), the
    // gearbox (176), the steering (208) and the column (216) three are missing.
    let short = seen.clone().with_missing(&MODEL, &state("on"), "drive", 0.06);
    assert_eq!(short.missing, ["A11", "A13", "A29"]);
    // In 20 ms nothing need have come three times.
    assert!(seen.with_missing(&MODEL, &state("on"), "drive", 0.02).missing.is_empty());
    let found = short.findings(&tap);
    let heard = |f: &&Finding| matches!(f, Finding::Heard { heard: false, .. });
    assert_eq!(found.iter().filter(heard).count(), 3);
    // The steering alone not heard: its stub or it itself, and nothing of the engine.
    let one = Seen { missing: vec!["A13".into()], ..short };
    let p = weighed(&one, &tap);
    let of = |item: &str| p.items[MODEL.item(&item.parse().unwrap()).unwrap()];
    assert!(of("part:A13") > 20.0 * of("part:A10"), "{} {}", of("part:A13"), of("part:A10"));
}
