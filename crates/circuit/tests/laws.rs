//! Laws of physics that must hold for any fault and state.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::wren;
use circuit::{Change, Circuit, NodeId, fault};
use proptest::prelude::*;
use std::sync::LazyLock;
use vehicle::TiVec;

static WREN: LazyLock<std::sync::Arc<Circuit>> = LazyLock::new(wren);
static FAULTS: LazyLock<Vec<circuit::Fault>> = LazyLock::new(|| fault::all(&WREN));

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn currents_at_every_node_add_up_to_nothing(f in 0..10_000usize, s in 0..7usize) {
        let c = &*WREN;
        let fault = &FAULTS[f % FAULTS.len()];
        let state = &c.vehicle.states[s % c.vehicle.states.len()].state;
        let out = c.solve(state, &fault.changes, None);
        let mut sum: TiVec<NodeId, f64> = vec![0.0; c.nodes].into();
        for (k, b) in c.branches.iter_enumerated() {
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
        for (n, sum) in sum.iter_enumerated().skip(1) {
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
            let s = c.solve(&crate::common::state(c, "rear_washer"), &f.changes, None);
            s.volts[c.node("M7.1").unwrap()] - s.volts[c.node("M7.2").unwrap()]
        };
        prop_assert!(at(low + more) <= at(low) + 1e-9);
    }
}
