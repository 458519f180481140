//! A bus read with a plain meter, and parted to find what is on it.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

use crate::common::{Exact, MODEL, scan, state};
use circuit::fault;
use diagnosis::bus_static::{self, BusStatic};
use diagnosis::costs::Prices;
use diagnosis::evidence::{Evidence, Finding, Present};
use diagnosis::isolation::{self, BusPlan};
use diagnosis::next::Ask;
use diagnosis::trial::Bench;
use diagnosis::{Posterior, Priors};
use vehicle::OperatingState;

/// What everybody says with a fault there, as one moment.
fn scanned(state: &OperatingState, id: &str, moment: u64) -> Vec<Evidence> {
    let changes = fault::by_id(&MODEL.circuit, id).unwrap().changes;
    let found = scan(state, &changes);
    found.into_iter().map(|f| Evidence { moment, ..Evidence::new(state.clone(), f) }).collect()
}

/// Who answers alone.
fn called(state: &OperatingState, id: &str, moment: u64) -> Vec<Evidence> {
    let mut all = scanned(state, id, moment);
    all.retain(|e| matches!(e.finding, Finding::Answer { .. }));
    all
}

fn plan(evidence: &[Evidence], now: &OperatingState, bus: &str) -> (BusPlan, Posterior) {
    let priors = Priors::told(&MODEL, evidence);
    let posterior = Posterior::given(&MODEL, &priors, evidence).unwrap();
    let ask = Ask {
        model: &MODEL,
        priors: &priors,
        evidence,
        posterior: &posterior,
        present: Present::Yes,
        now,
        refused: &[],
        prices: &Prices::default(),
    };
    (isolation::plan(&ask, bus, &|_, _| true).unwrap().unwrap(), posterior)
}

fn look(evidence: &[Evidence], now: &OperatingState, bus: &str, at: &str) -> BusStatic {
    bus_static::look(&MODEL, evidence, now, bus, Some(at)).unwrap()
}

/// Middle of a range as it is written: `118 to 122 Ω`, `6.1 to 6.3 kΩ`.
fn middle(range: &str) -> f64 {
    let (low, high) = range.split_once(" to ").unwrap();
    let (high, unit) = high.split_once(' ').unwrap();
    let times = match unit {
        "kΩ" => 1e3,
        "MΩ" => 1e6,
        _ => 1.0,
    };
    let low: f64 = low.parse().unwrap();
    times * (low + high.parse::<f64>().unwrap()) / 2.0
}

#[test]
fn resistances_are_expected_as_the_bus_is_plugged() {
    let ohms = |now: &OperatingState, bus: &str, at: &str| {
        middle(&look(&[], now, bus, at).steps[0].readings[0].expected)
    };
    let plain = OperatingState::default();
    // The drive bus: 120 ohms in the gateway and in the engine module.
    assert!((ohms(&plain, "drive", "X1") - 60.0).abs() < 3.0);
    let without = plain.without("X10");
    assert!((ohms(&without, "drive", "X1") - 120.0).abs() < 5.0);
    // The body bus passes the seat heating module, which lets go without supply: with the battery off
    // only one of its two terminators is to be seen from either end, led past it both.
    assert!((ohms(&plain, "body", "X1") - 120.0).abs() < 5.0);
    assert!((ohms(&plain, "body", "X3") - 120.0).abs() < 5.0);
    let past = OperatingState { rerouted: ["bridge:A24".to_owned()].into(), ..plain.clone() };
    assert!((ohms(&past, "body", "X1") - 60.0).abs() < 3.0);
    // The assist bus: 60 ohms in the coupler behind 22 in either line of a leg.
    assert!((ohms(&plain, "assist", "X43") - 104.0).abs() < 5.0);
    assert!((ohms(&plain, "assist", "X40") - 104.0).abs() < 5.0);
}

#[test]
fn readings_at_a_bus_are_read_together() {
    let now = OperatingState::default();
    let sheet = look(&[], &now, "drive", "X1");
    assert!(sheet.says.is_empty() && sheet.together == 0);
    let dead = sheet.steps[0].state.clone();
    // The three resistances as a meter shows them with something hidden.
    let read = |hidden: &[&str]| -> Vec<Evidence> {
        let mut bench = Exact::with(hidden);
        bench.set(&dead);
        let of = |r: &bus_static::BusReading| {
            let (red, black) = (r.red.clone(), r.black.clone());
            let probe = circuit::Probe { instrument: r.quantity, red, black };
            let value = bench.read(&probe);
            let circuit::Probe { instrument, red, black } = probe;
            Evidence::new(dead.clone(), Finding::Reading { instrument, red, black, value })
        };
        sheet.steps[0].readings.iter().map(of).collect()
    };
    // One terminator missing: 120 ohms between the lines, and nothing to ground.
    let one = look(&read(&["part:A10:open"]), &now, "drive", "X1");
    assert!(one.steps[0].readings[0].is_off && one.together == 3);
    assert!(one.on_bus[1] > 0.9 && one.on_bus[0] < 0.2, "{:?}", one.on_bus);
    assert!(one.says.iter().any(|s| s.item == vehicle::Item::part("A10")), "{:?}", one.says);
    // As a sound bus reads: less of the suspicion lies on it than before.
    let sound = look(&read(&[]), &now, "drive", "X1");
    assert!(sound.steps[0].readings.iter().all(|r| r.is_read && !r.is_off), "{:?}", sound.steps);
    assert!(sound.on_bus[1] < sound.on_bus[0], "{:?}", sound.on_bus);
    // What was read at one bus says nothing of another.
    assert_eq!(look(&read(&[]), &now, "body", "X1").together, 0);
    // A line to ground is said in just these words.
    let stub = MODEL.circuit.vehicle.wires.iter().find(|w| w.to == "X26.H" || w.from == "X26.H");
    let hidden = format!("wire:{}:ground:2", stub.unwrap().id);
    let low = look(&read(&[&hidden]), &now, "drive", "X1");
    assert!(low.says[0].variant.contains("to ground"), "{:?}", low.says);
    assert!(bus_static::look(&MODEL, &[], &now, "drive", Some("X24")).is_err());
    assert!(bus_static::look(&MODEL, &[], &now, "none", None).is_err());
}

#[test]
fn a_bus_held_low_is_parted_where_it_tells_most_and_harm_is_told_before() {
    let on = state("on");
    // The trailer module's stub behind the tow bar's plug lies on ground.
    let hidden = "wire:562:ground:0.3";
    let evidence = scanned(&on, hidden, 1);
    let (first, before) = plan(&evidence, &on, "body");
    let best = &first.moves[0];
    assert!(best.bits > 0.3, "{best:?}");
    // The engine's own choice is followed until the stub is found or its plug is out.
    let harm = |connector: &str| {
        let m = first.moves.iter().find(|m| m.connector == connector);
        m.map(|m| m.harm.join("; ")).unwrap_or_default()
    };
    let seats = harm("X24");
    assert!(seats.contains("cut off") && seats.contains("A22") && seats.contains("A3"), "{seats}");
    // Who takes the trailer module off takes the end of the bus with it.
    let ends: Vec<&str> = (first.moves.iter())
        .filter(|m| m.harm.iter().any(|h| h.contains("terminator")))
        .map(|m| m.connector.as_str())
        .collect();
    assert!(!ends.is_empty() && !ends.contains(&"X3"), "{ends:?}");
    let mut now = on;
    let mut evidence = evidence;
    for moment in 2..8 {
        let (next, _) = plan(&evidence, &now, "body");
        let Some(m) = next.moves.first() else { break };
        now = m.state.clone();
        evidence.extend(called(&now, hidden, moment));
    }
    let (_, after) = plan(&evidence, &now, "body");
    let stub = |p: &Posterior| -> f64 {
        let items = MODEL.items.iter_enumerated();
        let behind = ["wire:562", "wire:564", "pair:560+562", "pair:562+564", "part:A25"];
        let is_behind = |i: &vehicle::Item| behind.contains(&i.to_string().as_str());
        items.filter(|(_, i)| is_behind(i)).map(|(k, _)| p.items[k]).sum()
    };
    assert!(stub(&before) < 0.7 && stub(&after) > 0.9, "{} {}", stub(&before), stub(&after));
}

#[test]
fn a_slave_that_holds_its_lin_low_is_found_by_unplugging() {
    let on = state("on");
    let hidden = "part:A50:stuck_dominant";
    let mut evidence = scanned(&on, hidden, 1);
    let mut now = on;
    let mut pulled = Vec::new();
    for moment in 2..8 {
        let (next, _) = plan(&evidence, &now, "lin_climate");
        let Some(m) = next.moves.first() else { break };
        pulled.push(m.connector.clone());
        now = m.state.clone();
        assert_eq!(m.quantity, "scan", "flaps say nothing to a tester");
        evidence.extend(scanned(&now, hidden, moment));
    }
    let (_, after) = plan(&evidence, &now, "lin_climate");
    let top = after.ranking()[0];
    assert_eq!(MODEL.items[top.0].to_string(), "part:A50", "after {pulled:?}");
}

#[test]
fn exchanging_identical_partners_tells_the_flap_from_its_harness() {
    let on = state("on");
    let flap = "part:A50";
    for (hidden, in_flap) in [("part:A50:silent", true), ("terminal:X50.LIN:open", false)] {
        let mut evidence = scanned(&on, hidden, 1);
        // A capture at the master shows that nobody answers for the flap.
        let (bus, from, at) = ("lin_climate".to_owned(), "A50".into(), "A23".into());
        let missing = Finding::Heard { bus, from, at, heard: false };
        evidence.push(Evidence::new(on.clone(), missing));
        let (first, before) = plan(&evidence, &on, "lin_climate");
        let exchange = |m: &&isolation::BusMove| m.reroute == "exchange:A50+A51";
        let m = first.moves.iter().find(exchange);
        let m = m.unwrap_or_else(|| panic!("{:?}", first.idle));
        assert!(m.harm.iter().any(|h| h.contains("A50 works where A51 belongs")), "{:?}", m.harm);
        assert!(m.minutes > 10.0, "two flaps behind the dash: {}", m.minutes);
        evidence.extend(scanned(&m.state, hidden, 2));
        let (_, after) = plan(&evidence, &m.state, "lin_climate");
        let of = |p: &Posterior| p.items[MODEL.item(&flap.parse().unwrap()).unwrap()];
        match in_flap {
            true => assert!(of(&after) > 0.95 && of(&after) > of(&before), "{}", of(&after)),
            false => assert!(of(&after) < 0.05 && of(&before) > 0.1, "{}", of(&after)),
        }
    }
}

#[test]
fn a_pass_through_without_supply_is_told_by_leading_the_bus_past_it() {
    let on = state("on");
    let hidden = "terminal:X24.30:open";
    let evidence = scanned(&on, hidden, 1);
    let (first, _) = plan(&evidence, &on, "body");
    let past = first.moves.iter().find(|m| m.reroute == "bridge:A24").unwrap();
    // Everything behind returns; the module itself stays silent.
    let mut after = evidence;
    after.extend(called(&past.state, hidden, 2));
    let answers = |module: &str| {
        after.iter().any(|e| {
            e.moment == 2
                && matches!(&e.finding, Finding::Answer { module: m, answers: true } if *m == *module)
        })
    };
    assert!(answers("A3") && answers("A22") && !answers("A24"));
}

#[test]
fn the_spare_leg_of_a_coupler_is_offered_for_every_leg_in_use() {
    let on = state("on");
    let hidden = "pair:639+640:bridge:70";
    let evidence = scanned(&on, hidden, 1);
    let (first, _) = plan(&evidence, &on, "assist");
    let all: Vec<&str> = first
        .moves
        .iter()
        .map(|m| m.reroute.as_str())
        .chain(first.idle.iter().map(String::as_str))
        .collect();
    for leg in ["spare:XSC.1H", "spare:XSC.2H", "spare:XSC.5H"] {
        assert!(all.contains(&leg), "{leg} of {all:?}");
    }
}

#[test]
fn a_lone_code_of_a_missing_message_is_laid_to_what_makes_it_miss() {
    let on = state("on");
    let v = &MODEL.circuit.vehicle;
    let lost: Vec<_> = v.monitors.iter().filter(|m| m.failure_type == "87").collect();
    assert!(lost.len() > 40);
    for m in lost {
        let finding = Finding::Code {
            module: m.module.clone(),
            code: m.code,
            failure_type: m.failure_type,
            failing: true,
        };
        let evidence = [Evidence { present: Present::Yes, ..Evidence::new(on.clone(), finding) }];
        let p = Posterior::given(&MODEL, &Priors::told(&MODEL, &evidence), &evidence).unwrap();
        let (first, _) = p.ranking()[0];
        assert!(first != MODEL.elsewhere(), "{} {}", m.module, m.text);
        // Something of the first suspect sets the code.
        let number = MODEL.monitor_of(&m.module, m.code, m.failure_type).unwrap();
        let heard = MODEL.predict_heard(&on);
        let sets = heard.all_heard().enumerate().any(|(h, s)| {
            MODEL.faults.raw.get(h).is_some_and(|f| f.repair_item == MODEL.items[first])
                && s.monitor(number) == circuit::software::Verdict::Failed
        });
        assert!(sets, "{} {}: {}", m.module, m.text, MODEL.items[first]);
    }
}
