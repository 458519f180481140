//! The supply judged by itself.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::MODEL;
use circuit::fault;
use diagnosis::supply;
use diagnosis::verdict::Verdict;

#[test]
fn each_reading_is_taken_across_the_posts_in_a_state_that_shows_it() {
    let checks = supply::checks(&MODEL).unwrap();
    let kinds: Vec<(&str, &str)> = checks.iter().map(|c| (c.kind, c.state.id.as_str())).collect();
    let expected =
        [("rest", "off"), ("load", "low_beam"), ("crank", "cranking"), ("charging", "running")];
    assert_eq!(kinds, expected);
    for c in &checks {
        assert_eq!((c.probe.red.as_str(), c.probe.black.as_str()), ("BAT.+:part", "BAT.-:part"));
        // What the sound vehicle itself shows is good, whatever its tolerance.
        for sigmas in [-2.0, 0.0, 2.0] {
            assert_eq!(c.judge(c.sound.0 + sigmas * c.sound.1).0, Verdict::Good, "{}", c.kind);
        }
    }
    let (rest, load, crank, charging) =
        (checks[0].sound.0, checks[1].sound.0, checks[2].sound.0, checks[3].sound.0);
    assert!(charging > rest && rest > load && load > crank, "{rest} {load} {crank} {charging}");
}

#[test]
fn a_dead_generator_and_a_tired_battery_show_where_they_should() {
    let checks = supply::checks(&MODEL).unwrap();
    let read = |kind: &str, hidden: &str| {
        let c = checks.iter().find(|c| c.kind == kind).unwrap();
        let changes = fault::by_id(&MODEL.circuit, hidden).unwrap().changes;
        let shown = MODEL.circuit.measure(&c.state.state, &changes, &c.probe).unwrap().value();
        c.judge(shown)
    };
    let (verdict, why) = read("charging", "part:GEN:dead");
    assert_eq!(verdict, Verdict::Bad);
    assert!(why.contains("hardly charging"), "{why}");
    // Internal resistance shows under load, the more the heavier it is.
    assert_eq!(read("rest", "part:BAT:weak:0.05").0, Verdict::Good);
    assert_eq!(read("crank", "part:BAT:weak:0.05").0, Verdict::Bad);
    let (verdict, why) = read("rest", "part:BAT:flat");
    assert_eq!(verdict, Verdict::Bad);
    assert!(why.contains("charge it first"), "{why}");
}
