//! Bands of procedures as the modules see them at their pins: by the circuit itself, in either direction.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{state, wren};
use circuit::software::{self, procedure};
use vehicle::Amount;

#[test]
fn what_lies_in_a_band_lies_in_it_at_the_pins_as_well() {
    let c = wren();
    for of in &c.vehicle.procedures {
        let own = procedure::at_pins(&c, of);
        let both =
            of.stages.iter().zip(&own.stages).flat_map(|(a, b)| a.targets.iter().zip(&b.targets));
        for (wanted, seen) in both {
            let signal = c.vehicle.signals.iter().find(|s| s.id == wanted.signal).unwrap();
            let Some(physical) = &signal.physical else { continue };
            let vehicle::Transfer::Felt { stimulus, .. } = &physical.transfer else { continue };
            // Five units inside and outside of each end, read at the pin.
            let at = |amount: f64| {
                let mut state = state(&c, "on");
                state.stimuli.insert(stimulus.clone(), Amount(amount));
                software::signal(&c, &c.solve(&state, &[], None), &[], &wanted.signal)
            };
            for (end, inwards) in [(wanted.least, 1.0), (wanted.most, -1.0)] {
                let Some(end) = end else { continue };
                let (inside, outside) = (at(end + inwards), at(end - inwards));
                assert!(seen.holds(inside), "{}: {end} {inside} {seen:?}", of.id);
                assert!(!seen.holds(outside), "{}: {end} {outside} {seen:?}", of.id);
            }
        }
    }
}

#[test]
fn a_thermistor_falls_as_it_gets_warm_and_so_does_its_band() {
    let c = wren();
    let of = c.vehicle.procedures.iter().find(|p| p.id == "tooth_errors").unwrap();
    let own = procedure::at_pins(&c, of);
    let warm = &own.stages[0].targets[0];
    assert!(warm.least.is_none() && warm.most.is_some(), "{warm:?}");
    // 0 to 300 km/h are 0 to 2000 teeth a second: 45 km/h are 300.
    let fast = &own.stages[1].targets[0];
    assert!((fast.least.unwrap() - 300.0).abs() < 1e-6, "{fast:?}");
}
