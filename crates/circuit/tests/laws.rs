//! Laws of physics that must hold for any fault and state.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;
use circuit::{Change, Circuit, Extra, Law, fault};
use common::wren;
use proptest::prelude::*;
use std::sync::LazyLock;

static WREN: LazyLock<Circuit> = LazyLock::new(wren);
static FAULTS: LazyLock<Vec<circuit::Fault>> = LazyLock::new(|| fault::all(&WREN));

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn currents_at_every_node_add_up_to_nothing(f in 0..10_000usize, s in 0..7usize) {
        let c = &*WREN;
        let fault = &FAULTS[f % FAULTS.len()];
        let state = &c.vehicle.states[s % c.vehicle.states.len()].state;
        let out = c.solve(state, &fault.changes, None);
        let mut sum = vec![0.0; c.nodes];
        for (k, b) in c.branches.iter().enumerate() {
            let i = out.amps(c, k);
            sum[b.from] += i;
            sum[b.to] -= i;
        }
        for change in &fault.changes {
            if let Change::Bridge(a, b, ohms) = *change {
                let i = (out.volts[a] - out.volts[b]) / ohms;
                sum[a] += i;
                sum[b] -= i;
            }
        }
        for (n, sum) in sum.iter().enumerate().skip(1) {
            let left = (sum + out.volts[n] * circuit::LEAK_SIEMENS).abs();
            prop_assert!(left < 1e-5, "{} node {n}: {sum}", fault.id);
        }
    }

    #[test]
    fn more_series_resistance_never_helps_the_pump(low in 0.01..50.0f64, more in 0.01..50.0f64, spot in 0..4usize) {
        let c = &*WREN;
        let item = ["terminal:C4.7", "wire:62", "wire:64", "ground:G6"][spot];
        let at = |ohms: f64| {
            let f = fault::by_id(c, &format!("{item}:series:{ohms}")).unwrap();
            let s = c.solve(&common::state(c, "rear_washer"), &f.changes, None);
            s.volts[c.node("M7.1").unwrap()] - s.volts[c.node("M7.2").unwrap()]
        };
        prop_assert!(at(low + more) <= at(low) + 1e-9);
    }

    #[test]
    fn linear_circuits_superpose(a in 0..200usize, volts in -2.0..2.0f64) {
        // Key 0: resistors, the battery, and a test source behind 1 kOhm, too small to turn a
        // motor or pull in a relay. Both sources together give the sum of each alone.
        let c = &*WREN;
        let state = vehicle::OperatingState::default();
        let at = 1 + a % (c.nodes - 1);
        let battery = c.devices.iter().find(|d| d.device.is_source()).unwrap().branches[0];
        let dead = Change::Branch(battery, Law::Source { volts: 0.0, ohms: 0.009 });
        let test = |volts: f64| Some(Extra { from: at, to: 0, law: Law::Source { volts, ohms: 1000.0 } });
        let both = c.solve(&state, &[], test(volts));
        let first = c.solve(&state, &[], test(0.0));
        let second = c.solve(&state, &[dead], test(volts));
        for n in 0..c.nodes {
            let sum = first.volts[n] + second.volts[n];
            prop_assert!((both.volts[n] - sum).abs() < 1e-6, "node {n}: {} and {sum}", both.volts[n]);
        }
    }
}
