//! How good the reasoning is: a short trial with a fixed seed, and the exact optimum on small fields.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{Exact, MODEL, state};
use diagnosis::trial::draw::{self, Truths};
use diagnosis::trial::{self, Bench, Strategy, optimum, tally::Tally};
use diagnosis::{Evidence, Finding, Posterior, Priors, Strength};
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;

fn complaint(output: &str, part: &str, strength: Strength) -> Vec<Evidence> {
    let finding = Finding::Effect { part: part.into(), strength };
    vec![Evidence { complaint: true, ..Evidence::new(state(output), finding) }]
}

#[test]
fn drawn_faults_exist_and_lie_off_the_grid() {
    let mut rng = ChaCha8Rng::seed_from_u64(3);
    let drawn: Vec<vehicle::FaultId> =
        (0..60).filter_map(|_| draw::fault(&MODEL, Truths::Even, &mut rng)).collect();
    for id in &drawn {
        circuit::fault::named(&MODEL.circuit, id).unwrap();
    }
    let on_grid = drawn.iter().filter(|id| MODEL.faults.iter().any(|f| f.id == **id)).count();
    assert!(on_grid < drawn.len(), "some have a number of their own");
    let again = draw::fault(&MODEL, Truths::Even, &mut ChaCha8Rng::seed_from_u64(3));
    assert_eq!(again.as_ref(), drawn.first(), "the same seed draws the same");
}

#[test]
fn information_per_minute_comes_near_the_exact_optimum() {
    let mut ratios = Vec::new();
    for (output, part, strength) in [
        ("rear_washer", "M7", Strength::Weak),
        ("rear_washer", "M7", Strength::None),
        ("front_washer", "M6", Strength::None),
        ("rear_wiper", "M9", Strength::None),
        ("blower", "M30", Strength::Weak),
    ] {
        let evidence = complaint(output, part, strength);
        let p = Posterior::new(&MODEL, &evidence).unwrap();
        let c = optimum::compare(&MODEL, &p).expect("enough to tell apart");
        assert!(c.engine >= c.optimum - 1e-9 && c.optimum > 0.0, "{c:?}");
        ratios.push(c.engine / c.optimum);
    }
    let mean = ratios.iter().sum::<f64>() / ratios.len() as f64;
    println!("engine against optimum: {ratios:.3?}, mean {mean:.3}");
    assert!(mean < 1.2, "{ratios:?}");
}

#[test]
fn a_short_trial_finds_what_is_hidden_faster_than_reading_in_order() {
    let jobs = [
        ("terminal:C4.7:series:1.7", "rear_washer", "M7", Strength::Weak),
        ("wire:61:open", "rear_washer", "M7", Strength::None),
        ("part:K9:coil_open", "rear_washer", "M7", Strength::None),
        ("wire:25:open", "rear_wiper", "M9", Strength::None),
        ("part:M9:open", "rear_wiper", "M9", Strength::None),
    ];
    let mut engine = Tally::default();
    let mut in_order = Tally::default();
    for (hidden, output, part, strength) in jobs {
        for (strategy, tally) in
            [(Strategy::Engine, &mut engine), (Strategy::SourceToLoad, &mut in_order)]
        {
            let mut bench = Exact::with(&[hidden]);
            let mut rng = ChaCha8Rng::seed_from_u64(9);
            let first = complaint(output, part, strength);
            let rules = trial::Rules { most_checks: 20, fits: false, ..trial::Rules::default() };
            let priors = Priors::told(&MODEL, &first);
            let worked =
                trial::work(&MODEL, &priors, &mut bench, first, strategy, rules, &mut rng).unwrap();
            assert_eq!(bench.is_sound(), worked.right);
            let module = diagnosis::gate::is_module(&MODEL.circuit, &worked.named);
            tally.add(&worked, module);
        }
    }
    assert_eq!(engine.right, jobs.len(), "{engine:?}");
    assert_eq!(engine.good_modules, 0);
    assert!(
        engine.mean_minutes() < in_order.mean_minutes(),
        "{} against {}",
        engine.mean_minutes(),
        in_order.mean_minutes()
    );
}
