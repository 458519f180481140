//! What the reasoning expects of a meter is what the meter shows, on vehicles nothing was tuned to.
#![allow(missing_docs, clippy::unwrap_used)]

use circuit::Probe;
use diagnosis::Model;
use proving::generated::{self, Sort};
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use std::sync::atomic::{AtomicUsize, Ordering};

#[test]
fn what_is_expected_of_a_meter_is_what_it_shows() {
    let compared = AtomicUsize::new(0);
    let wrong: Vec<String> = (1..=6u64)
        .into_par_iter()
        .flat_map_iter(|seed| {
            let sort = if seed % 2 == 0 { Sort::Plain } else { Sort::WithModules };
            let model = Model::new(generated::vehicle(sort, seed)).unwrap();
            let mut rng = ChaCha8Rng::seed_from_u64(seed);
            let c = &model.circuit;
            let mut points: Vec<String> = c.node_of.keys().cloned().collect();
            points.sort();
            let mut wrong = Vec::new();
            for _ in 0..12 {
                let state = &c.vehicle.states.choose(&mut rng).unwrap().state;
                // Mostly near each other: across a contact, a fuse, a part.
                let at = rng.random_range(0..points.len());
                let other = match rng.random_range(0..3) {
                    0 => rng.random_range(0..points.len()),
                    _ => (at + rng.random_range(1..4)) % points.len(),
                };
                let probe = match rng.random_range(0..5) {
                    0 => Probe::volts(&points[at], &c.reference),
                    _ => Probe::volts(&points[at], &points[other]),
                };
                let expected = model.expect(state, &probe).unwrap();
                for (f, (value, _)) in model.faults.iter().zip(&expected.faults).step_by(7) {
                    let shown = c.measure(state, &f.changes, &probe).unwrap().value();
                    compared.fetch_add(1, Ordering::Relaxed);
                    let off = (shown - value).abs();
                    if off > 0.05 + 0.02 * shown.abs() {
                        let at = format!("{} to {} in {state:?}", probe.red, probe.black);
                        wrong.push(format!(
                            "{seed} {}: {shown:.3} V, expected {value:.3} V, {at}",
                            f.id
                        ));
                    }
                }
            }
            wrong
        })
        .collect();

    // What has two operating points (a leak that keeps its own driver on) is met in the one or the other,
    // and the share of time a bus is dominant is that of a sound one.
    let compared = compared.into_inner();
    println!("{} of {compared} differ", wrong.len());
    let said = wrong.join("\n");
    assert!(compared > 3000 && wrong.len() * 200 < compared, "of {compared}:\n{said}");
}
