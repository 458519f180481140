//! Wishes followed from the switch to the effect on the shipped van.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

use crate::common::{MODEL, state};
use circuit::{fault, hearing, software};
use diagnosis::request::{self, Chain, ChainStep, Known};
use diagnosis::{Evidence, Finding, Strength};
use std::collections::BTreeMap;
use vehicle::{OperatingState, SignalIx};

/// The chain with what the modules say exactly, with a fault.
fn chain(function: &str, state: &OperatingState, hidden: &[&str], seen: &[Evidence]) -> Chain {
    let c = &MODEL.circuit;
    let changes: Vec<_> =
        hidden.iter().flat_map(|id| fault::by_id(c, id).unwrap().changes).collect();
    let solution = hearing::solve(c, state, &changes);
    let lost = hearing::unheard(c, state, &changes).lost;
    let f = c.vehicle.functions.iter().find(|f| f.id == function).unwrap();
    let said: BTreeMap<SignalIx, f64> = request::signals(&MODEL, f)
        .into_iter()
        .map(|k| (k, software::signal(c, &solution, &lost, &c.vehicle.signals[k].id)))
        .collect();
    request::chain(&MODEL, function, state, &said, seen).unwrap()
}

fn known(c: &Chain) -> Vec<(ChainStep, Known)> {
    c.links.iter().map(|l| (l.step, l.known)).collect()
}

#[test]
fn on_a_sound_vehicle_every_link_holds_up_to_what_nobody_saw() {
    let c = chain("slide_release_on", &state("slide"), &[], &[]);
    let holds = [ChainStep::Seen, ChainStep::Permitted, ChainStep::Commanded, ChainStep::AtPin];
    let mut expected: Vec<_> = holds.map(|s| (s, Known::Holds)).into();
    expected.push((ChainStep::Effect, Known::Unknown));
    assert_eq!(known(&c), expected);
    assert_eq!(c.fails_at, None);
}

#[test]
fn nobody_asks_for_it_and_so_the_first_link_fails() {
    let c = chain("slide_release_on", &state("on"), &[], &[]);
    assert_eq!((c.links[0].step, c.fails_at), (ChainStep::Seen, Some(0)));
}

#[test]
fn the_condition_that_blocks_leads_to_its_conductor() {
    let c = chain("slide_open_on", &state("slide"), &["wire:490:ground:2"], &[]);
    let link = &c.links[c.fails_at.unwrap()];
    assert_eq!(link.step, ChainStep::Permitted);
    // What blocks comes first, before what the module has learned and is coded for.
    let fails = link.permits.iter().filter(|p| p.known == Known::Fails).count();
    assert_eq!((fails, link.permits[0].known, link.permits.len()), (1, Known::Fails, 3));
    let looked = &link.permits[0].looks[0];
    assert_eq!((looked.says.as_str(), looked.expected.as_str()), ("open", "shut"));
    assert!(!looked.as_expected);
    assert_eq!((looked.pin.as_str(), looked.wire.as_deref()), ("A22.FLAP", Some("490")));
}

#[test]
fn of_forty_conditions_the_one_blocks_whose_value_was_put_in_its_place() {
    let heating = state("windscreen_heating");
    let sound = chain("heat_windscreen", &heating, &[], &[]);
    assert_eq!(sound.fails_at, None);
    let permits = |c: &Chain| {
        c.links.iter().find(|l| l.step == ChainStep::Permitted).unwrap().permits.clone()
    };
    assert_eq!(permits(&sound).len(), 40);
    assert!(permits(&sound).iter().all(|p| p.known == Known::Holds));
    // The conductor of the outside temperature sensor is broken: the climate module sends 5 V, which the
    // body module does not take for real.
    let c = chain("heat_windscreen", &heating, &["wire:520:open"], &[]);
    let blocking: Vec<_> = permits(&c).into_iter().filter(|p| p.known == Known::Fails).collect();
    assert_eq!(blocking.len(), 1);
    let [received, sent] = &blocking[0].looks[..] else { panic!("two looks") };
    assert_eq!(received.says, "20.6 °C in its place");
    assert_eq!(received.expected, "-5.0 °C");
    assert!(!received.as_expected && received.message.contains("A23"));
    assert_eq!((sent.pin.as_str(), sent.wire.as_deref()), ("A23.AMB", Some("520")));
    assert!(sent.volts.unwrap() > 4.9 && !sent.as_expected);
    // With the body module's own bus line cut a dozen are missing at once, each with its sender.
    let line = MODEL.circuit.vehicle.wires.iter().find(|w| w.from == "X2.H" || w.to == "X2.H");
    let cut = format!("wire:{}:open", line.unwrap().id);
    let c = chain("heat_windscreen", &heating, &[&cut], &[]);
    let failing = permits(&c).iter().filter(|p| p.known == Known::Fails).count();
    assert!(failing >= 6, "{failing}");
    assert_eq!(c.links[c.fails_at.unwrap()].step, ChainStep::Received);
}

#[test]
fn commanded_and_nothing_at_the_pin_is_told_from_nothing_at_the_load() {
    // The module commands its output on, and its driver does not follow.
    let driver = chain("slide_release_on", &state("slide"), &["part:A22:driver_open"], &[]);
    assert_eq!(driver.links[driver.fails_at.unwrap()].step, ChainStep::AtPin);
    // Broken behind it: the pin follows, and only the eye finds that nothing happens.
    let load = MODEL.circuit.vehicle.outputs.iter().find(|o| o.id == "slide_release").unwrap();
    let finding = Finding::Effect { part: load.load.clone(), strength: Strength::None };
    let seen = [Evidence::new(state("slide"), finding)];
    let broken = chain("slide_release_on", &state("slide"), &["wire:484:open"], &seen);
    assert_eq!(broken.links[broken.fails_at.unwrap()].step, ChainStep::Effect);
}

#[test]
fn what_was_not_read_is_not_known_until_a_later_link_proves_it() {
    let unread = request::chain(&MODEL, "slide_release_on", &state("slide"), &BTreeMap::new(), &[]);
    assert!(unread.unwrap().links.iter().all(|l| l.known == Known::Unknown));
    let load = MODEL.circuit.vehicle.outputs.iter().find(|o| o.id == "slide_release").unwrap();
    let finding = Finding::Effect { part: load.load.clone(), strength: Strength::Normal };
    let seen = [Evidence::new(state("slide"), finding)];
    let c = request::chain(&MODEL, "slide_release_on", &state("slide"), &BTreeMap::new(), &seen);
    let c = c.unwrap();
    assert!(c.links.iter().all(|l| l.known == Known::Holds), "{:?}", known(&c));
    assert!(c.links[..c.links.len() - 1].iter().all(|l| l.by_later));
    assert!(request::chain(&MODEL, "none", &state("on"), &BTreeMap::new(), &[]).is_none());
}
