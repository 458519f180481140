//! Four wheels compared while they roll: a ring that has lost teeth, found by their rates alone.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

use crate::common::{Exact, MODEL, ranked, state};
use circuit::Instrument;
use diagnosis::next::Ranked;
use diagnosis::next::candidates::What;
use diagnosis::{Evidence, Finding, LiveReading, Posterior, Strength, live, trial};
use vehicle::SignalId;

const RING: &str = "part:R62:teeth:0.9";
const RATES: [&str; 4] = ["ws_fl_rate", "ws_fr_rate", "ws_rl_rate", "ws_rr_rate"];

fn heavy() -> Vec<Evidence> {
    let finding = Finding::Effect { part: "M13".into(), strength: Strength::None };
    vec![Evidence { complaint: true, ..Evidence::new(state("rolling"), finding) }]
}

fn together(hertz: [f64; 4]) -> Finding {
    let values = RATES.iter().zip(hertz);
    let values = values.map(|(s, value)| LiveReading { signal: SignalId::from(*s), value });
    Finding::Together { values: values.collect(), apart: 0.0 }
}

fn share(evidence: &[Evidence], item: &str) -> f64 {
    let p = Posterior::new(&MODEL, evidence).unwrap();
    p.items[MODEL.item(&item.parse().unwrap()).unwrap()]
}

#[test]
fn the_slow_one_of_four_names_its_ring_however_fast_it_went() {
    for speed in [0.85, 1.0, 1.2] {
        // Said to be 20 km/h, 133 Hz; the rear left counts a tenth less than the others.
        let hertz = [133.0, 134.0, 120.0, 132.6].map(|f| f * speed);
        let mut evidence = heavy();
        evidence.push(Evidence::new(state("rolling"), together(hertz)));
        assert!(share(&evidence, "part:R62") > 0.9, "{speed}: {}", share(&evidence, "part:R62"));
        // Four alike at the same speed speak against every ring.
        let mut alike = heavy();
        alike.push(Evidence::new(
            state("rolling"),
            together([133.0, 134.0, 133.2, 132.6].map(|f| f * speed)),
        ));
        for ring in ["part:R60", "part:R61", "part:R62", "part:R63"] {
            assert!(share(&alike, ring) < 0.2 * share(&heavy(), ring), "{speed}: {ring}");
        }
    }
}

#[test]
fn the_wheels_are_proposed_together_and_nobody_probes_on_the_road() {
    let rolling = state("rolling");
    let mut evidence = heavy();
    let list = ranked(&evidence, &rolling, &[]);
    let reads = |r: &&Ranked| match &r.candidate.what {
        What::Values { signals } => {
            *r.candidate.state == rolling && RATES.iter().all(|w| signals.iter().any(|s| s == w))
        }
        _ => false,
    };
    let wheels = list.iter().find(reads).expect("the four wheels are read");
    let v = &MODEL.circuit.vehicle;
    for r in list.iter().filter(|r| v.is_driven(&r.candidate.state)) {
        let hands =
            matches!(r.candidate.what, What::Reading(_) | What::Record(_) | What::Swap { .. });
        assert!(!hands && r.candidate.state.unplugged.is_empty(), "{}", r.candidate.id());
    }
    let before = share(&evidence, "part:R62");
    evidence.extend(trial::perform(&mut Exact::with(&[RING]), &wheels.candidate, 3));
    assert!(share(&evidence, "part:R62") > 0.9, "{before} to {}", share(&evidence, "part:R62"));
}

#[test]
fn what_cannot_be_weighed_is_refused_in_words() {
    let read =
        |state: &str, finding| Evidence::new(crate::common::state(state), finding).check(&MODEL);
    let one = |signal: &str, value| Finding::Signal { signal: signal.into(), value };
    // At rest nothing turns, and while it rolls the sensor's volts go to and fro.
    let at_rest = read("on", together([0.0; 4])).unwrap_err().to_string();
    assert!(at_rest.contains("something turns"), "{at_rest}");
    let alternates = read("rolling", one("ws_rl_volts", 0.6)).unwrap_err().to_string();
    assert!(alternates.contains("to and fro"), "{alternates}");
    read("on", one("ws_rl_volts", 0.6)).unwrap();
    let mixed = Finding::Together {
        values: ["ws_fl_rate", "torque_volts"]
            .map(|s| LiveReading { signal: s.into(), value: 3.0 })
            .into(),
        apart: 0.0,
    };
    assert!(read("rolling", mixed).is_err());
}

#[test]
fn rates_read_at_once_count_together_and_other_values_alone() {
    let v = &MODEL.circuit.vehicle;
    let read = |signal: &str, value| LiveReading { signal: signal.into(), value };
    let found = live::findings(
        v,
        [read("ws_fl_rate", 130.0), read("gw_supply", 13.8), read("ws_rr_rate", 131.0)],
    );
    assert_eq!(found.len(), 2, "{found:?}");
    assert!(
        found.iter().any(|f| matches!(f, Finding::Together { values, .. } if values.len() == 2))
    );
    let alone = live::findings(v, [read("ws_fl_rate", 130.0)]);
    assert!(matches!(&alone[..], [Finding::Signal { .. }]), "{alone:?}");
}

#[test]
fn a_voltmeter_on_an_alternating_line_shows_the_middle() {
    // 7 mA and 14 mA through 90 ohms: 0.63 V and 1.26 V, on average 0.945 V.
    let probe = circuit::Probe {
        instrument: Instrument::Volts,
        red: next_to("A12", "RL-"),
        black: next_to("A12", "31"),
    };
    let shown = MODEL.expect(&state("rolling"), &probe).unwrap().healthy;
    assert!((shown - 0.945).abs() < 0.03, "{shown}");
    let still = MODEL.expect(&state("on"), &probe).unwrap().healthy;
    assert!((still - 0.63).abs() < 0.03, "{still}");
}

/// The cavity at a pin of a part.
fn next_to(part: &str, pin: &str) -> String {
    let v = &MODEL.circuit.vehicle;
    let own = v.connectors.iter().find(|c| c.part.as_deref() == Some(part)).unwrap();
    let of = own.cavities.iter().find(|c| c.pin.as_deref().unwrap_or(&c.no) == pin).unwrap();
    format!("{}.{}", own.id, of.no)
}
