//! Levels of a capture, each sender's own, beside what suspects predict at the cavities it was tapped at.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

use crate::common::{MODEL, state};
use circuit::fault;
use diagnosis::tapped::{Compared, Frame, Seen, Tap, Who, asleep, compared, edges, sender_of};
use diagnosis::{Evidence, Finding, Posterior};
use vehicle::{Item, PartId};

/// Senders with the levels of the first span, volts, in so many frames each.
fn seen<const N: usize>(recessive: &[f64], senders: [(&str, &[f64]); N]) -> Seen {
    let senders = senders.map(|(part, volts)| (PartId::from(part), (volts.to_vec(), 4)));
    Seen { recessive: recessive.to_vec(), senders: senders.into(), ..Seen::default() }
}

/// What a fault makes of a bus, as a capture at a member's pins would show it.
fn under(id: &str, tap: &Tap, senders: &[&str]) -> Seen {
    let nought = vec![0.0; tap.spans.len()];
    let of = |part: &&str| (PartId::from(*part), (nought.clone(), 3));
    let sound = Seen {
        recessive: nought.clone(),
        senders: senders.iter().map(of).collect(),
        ..Seen::default()
    };
    let fault = fault::by_id(&MODEL.circuit, id).unwrap();
    let all = compared(&MODEL, &state("on"), tap, &sound, Some(&fault.changes)).unwrap();
    let mut out = sound.clone();
    for Compared { span, sender, under, .. } in all {
        let to = match &sender {
            None => &mut out.recessive,
            Some(part) => &mut out.senders.get_mut(part).unwrap().0,
        };
        to[span] = under.unwrap();
    }
    out
}

/// Senders of the drive bus.
const DRIVE: [&str; 5] = ["A1", "A10", "A12", "A13", "A14"];

fn frame(identifier: u32, rest: f64, driven: f64) -> Frame {
    Frame { who: Who::Identifier(identifier), rest: vec![rest], driven: vec![driven] }
}

fn weighed(seen: &Seen, tap: &Tap) -> Posterior {
    let all = seen.findings(tap).into_iter();
    let evidence: Vec<_> = all.map(|f| Evidence::new(state("on"), f)).collect();
    Posterior::new(&MODEL, &evidence).unwrap()
}

#[test]
fn a_sound_bus_has_sound_levels_at_every_member() {
    let tap = Tap::of(&MODEL, "drive", "A10").unwrap();
    assert_eq!(tap.spans.len(), 2);
    assert_ne!(tap.spans[0][0], tap.spans[0][1]);
    let seen = seen(&[0.0, 2.5], [("A12", &[2.0, 3.5])]);
    let rows = compared(&MODEL, &state("on"), &tap, &seen, None).unwrap();
    // ISO 11898-2: a recessive bus has -0.5 to 0.05 V between its lines, a driven one 1.5 to 3.0 V.
    assert!((-0.5..=0.05).contains(&rows[0].expected), "{rows:?}");
    assert!((1.5..=3.0).contains(&rows[1].expected), "{rows:?}");
    assert_eq!((rows[1].sender.as_deref(), rows[1].under), (Some("A12"), None));
    // The high line alone: 2 to 3 V at rest, 2.75 to 4.5 V driven.
    assert!((2.0..=3.0).contains(&rows[2].expected), "{rows:?}");
    assert!((2.75..=4.5).contains(&rows[3].expected), "{rows:?}");
    assert_eq!(rows.iter().map(|r| r.span).collect::<Vec<_>>(), [0, 0, 1, 1]);
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
fn a_bus_is_tapped_wherever_its_lines_can_be_touched() {
    let spots = diagnosis::bus_static::spots_of(&MODEL, "drive").unwrap();
    let between = spots.iter().find(|s| s.id.starts_with("C4:")).unwrap();
    let tap = Tap::of(&MODEL, "drive", &between.id).unwrap();
    assert_eq!((tap.at.as_deref(), &tap.spans[0][..]), (None, &between.lines[..]));
    // A member's own plug is its pins.
    let own = Tap::of(&MODEL, "drive", "X10").unwrap();
    assert_eq!(own, Tap::of(&MODEL, "drive", "A10").unwrap());
    // Nobody listens in between, so that nobody is missed there.
    let gone = Seen { missing: vec!["A13".into()], ..seen(&[0.0], []) };
    let heard = |tap: &Tap| {
        gone.findings(tap).iter().filter(|f| matches!(f, Finding::Heard { .. })).count()
    };
    assert_eq!((heard(&tap), heard(&own)), (0, 1));
}

#[test]
fn the_bus_of_a_capture_is_known_by_its_identifiers() {
    use diagnosis::tapped::bus_of;
    assert_eq!(bus_of(&MODEL, false, &[0x350, 0x330]).as_deref(), Some("assist"));
    assert_eq!(bus_of(&MODEL, false, &[0xC0]).as_deref(), Some("drive"));
    assert_eq!(bus_of(&MODEL, false, &[]).as_deref(), Some("drive"));
    assert_eq!(bus_of(&MODEL, true, &[33]).as_deref(), Some("lin_doors"));
}

#[test]
fn a_capture_of_another_state_is_known_by_who_sends() {
    let seen = seen(&[0.0], [("A13", &[2.0])]);
    assert_eq!(asleep(&MODEL, &state("off"), &seen).map(|p| &**p), Some("A13"));
    assert_eq!(asleep(&MODEL, &state("on"), &seen), None);
}

#[test]
fn levels_are_the_usual_ones_of_each_sender() {
    let frames = [
        frame(0xC0, 0.0, 2.0),
        frame(0xC0, 0.01, 2.1),
        frame(0xC4, 0.0, 9.0),
        frame(0x7FF, 0.02, 2.0),
    ];
    let seen = Seen::of(&MODEL, "drive", &frames).unwrap();
    // Both identifiers are of A12: 2.0, 2.1 and 9.0 V, in the middle 2.1.
    assert_eq!(seen.senders, [("A12".into(), (vec![2.1], 3))].into());
    assert_eq!((seen.recessive, seen.unknown), (vec![0.01], 1));
    assert_eq!(Seen::of(&MODEL, "drive", &[]), None);
}

#[test]
fn only_what_says_something_of_its_own_is_weighed() {
    let tap = Tap::of(&MODEL, "drive", "A10").unwrap();
    let senders: [(&str, &[f64]); 5] =
        [("A1", &[2.0]), ("A10", &[2.02]), ("A12", &[1.1]), ("A13", &[1.98]), ("A14", &[2.01])];
    let all = seen(&[0.0], senders).findings(&tap);
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
    let at = Tap::of(&MODEL, "drive", "A13").unwrap().spans[0][0].clone();
    assert!(at.starts_with(own.id.as_str()), "{at}");
    let seen = under(&format!("terminal:{at}:series:100"), &tap, &DRIVE);
    // The others drive as ever, this one through another 100 ohms less.
    let of = |part: &str| seen.senders[&PartId::from(part)].0[0];
    assert!(of("A13") < of("A12") - 0.3 && (of("A12") - of("A10")).abs() < 0.15, "{seen:?}");
    let p = weighed(&seen, &tap);
    let before = Posterior::new(&MODEL, &[]).unwrap();
    let gain = |id: &str| {
        let item = MODEL.item(&Item::Terminal(id.into())).unwrap();
        p.items[item] / before.items[item]
    };
    // What lies in the way of that sender alone gains by it, and what lies in the way of others does not.
    let other = Tap::of(&MODEL, "drive", "A12").unwrap().spans[0][0].clone();
    let leading = p.ranking().into_iter().take(6).map(|(k, p)| (MODEL.items[k].to_string(), p));
    let leading: Vec<_> = leading.collect();
    assert!(gain(&at) > 100.0 && gain(&other) < 1.0, "{} {} {leading:?}", gain(&at), gain(&other));
}

#[test]
fn whoever_does_not_work_sends_nothing() {
    let tap = Tap::of(&MODEL, "drive", "A10").unwrap();
    let p = weighed(&seen(&[0.0], [("A13", &[2.0])]), &tap);
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
    let frames = [frame(160, 0.0, 2.0), frame(192, 0.0, 2.0)];
    let seen = Seen::of(&MODEL, "drive", &frames).unwrap();
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

/// How much more suspect an item is than before anything was found.
fn gain(p: &Posterior, item: &str) -> f64 {
    let before = Posterior::new(&MODEL, &[]).unwrap();
    let item = MODEL.item(&item.parse().unwrap()).unwrap();
    p.items[item] / before.items[item]
}

#[test]
fn a_bus_pulled_up_is_told_by_its_high_line_alone() {
    let tap = Tap::of(&MODEL, "drive", "A10").unwrap();
    let seen = under("wire:302:supply:2200", &tap, &DRIVE);
    let p = weighed(&seen, &tap);
    let lines = weighed(&seen, &Tap { spans: tap.spans[..1].to_vec(), ..tap.clone() });
    let (with, without) = (gain(&p, "wire:302"), gain(&lines, "wire:302"));
    assert!(with > 3.0 * without, "{with} {without}");
}

#[test]
fn on_lin_whoever_answers_has_its_own_level_and_whoever_does_not_is_missing() {
    let tap = Tap::of(&MODEL, "lin_climate", "A23").unwrap();
    assert!(tap.is_lin());
    let master = |volts: f64| Frame { who: Who::Master, rest: vec![12.0], driven: vec![volts] };
    let frames = [master(0.7), frame(17, 12.0, 0.8), master(0.9), frame(18, 12.0, 1.4)];
    let asked = [19, 19, 19, 20, 20];
    let seen = Seen::of(&MODEL, "lin_climate", &frames).unwrap();
    let seen = seen.with_unanswered(&MODEL, &state("on"), "lin_climate", &asked);
    let levels: Vec<_> = seen.senders.iter().map(|(p, v)| (p.as_str(), v.0[0])).collect();
    assert_eq!(levels, [("A23", 0.9), ("A50", 0.8), ("A51", 1.4)]);
    // Asked twice is not often enough.
    assert_eq!(seen.missing, ["A52"]);
    let p = weighed(&Seen { missing: vec!["A52".into()], ..seen }, &tap);
    assert!(gain(&p, "part:A52") > 20.0 * gain(&p, "part:A50"), "{}", gain(&p, "part:A52"));
}

#[test]
fn a_resistance_in_the_way_of_a_lin_slave_shows_in_its_level_at_the_master() {
    let slaves = ["A23", "A50", "A51", "A52"];
    let tap = Tap::of(&MODEL, "lin_climate", "A23").unwrap();
    let own = Tap::of(&MODEL, "lin_climate", "A51").unwrap().spans[0][0].clone();
    let seen = under(&format!("terminal:{own}:series:100"), &tap, &slaves);
    // A pull-up of 1 kOhm against 100 ohms more: 1.1 V of 12 V higher.
    let of = |part: &str| seen.senders[&PartId::from(part)].0[0];
    assert!(of("A51") > of("A50") + 0.7, "{seen:?}");
    let p = weighed(&seen, &tap);
    let other = Tap::of(&MODEL, "lin_climate", "A50").unwrap().spans[0][0].clone();
    let (it, not) = (format!("terminal:{own}"), format!("terminal:{other}"));
    assert!(gain(&p, &it) > 50.0 * gain(&p, &not), "{} {}", gain(&p, &it), gain(&p, &not));
}

#[test]
fn a_bus_without_a_terminator_comes_back_half_as_fast() {
    let open = fault::by_id(&MODEL.circuit, "part:A10:open").unwrap();
    let sets: [&[circuit::Change]; 2] = [&[], &open.changes];
    let times = edges::returns(&MODEL, &state("on"), "drive", &sets).unwrap().unwrap();
    let (with, without) = (times[0], times[1]);
    // 60 ohms become about 120, with what the others' inputs take away.
    assert!((1.5..2.1).contains(&(without / with)), "{without} {with}");
    assert_eq!(edges::returns(&MODEL, &state("on"), "lin_roof", &[&[]]).unwrap(), None);
}
