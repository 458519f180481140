//! What is concluded follows from the evidence alone, whatever was worked out before.
#![allow(missing_docs, clippy::panic, clippy::unwrap_used)]

use crate::common::{MODEL, state};
use diagnosis::costs::Prices;
use diagnosis::next::{self, Ask};
use diagnosis::{Evidence, Finding, Model, Posterior, Present, Priors, Strength};

/// What is proposed, with all its numbers.
fn proposed(model: &Model, evidence: &[Evidence]) -> String {
    let priors = Priors::told(model, evidence);
    let posterior = Posterior::given(model, &priors, evidence).unwrap();
    let ask = Ask {
        model,
        priors: &priors,
        evidence,
        posterior: &posterior,
        present: Present::Yes,
        now: &evidence[0].state,
        refused: &[],
        prices: &Prices::default(),
    };
    let moves = next::checks(&ask, 5).unwrap();
    format!("{:#?}\n{:#?}", moves, next::beside(&ask, 5))
}

#[test]
fn what_is_solved_already_changes_nothing() {
    let lost = |id: &str, part: &str, strength| {
        let finding = Finding::Effect { part: part.into(), strength };
        Evidence { complaint: true, ..Evidence::new(state(id), finding) }
    };
    let volts = |id: &str, red: &str, black: &str, value: f64| {
        let finding = Finding::Reading {
            instrument: circuit::Instrument::Volts,
            red: red.into(),
            black: black.into(),
            value: Some(value),
        };
        Evidence::new(state(id), finding)
    };
    let washer = lost("rear_washer", "M7", Strength::Weak);
    let jobs = [
        vec![washer, volts("rear_washer", "M7.1", "M7.2", 7.9)],
        vec![Evidence::new(state("on"), Finding::Answer { module: "A3".into(), answers: false })],
    ];
    // Once with nothing solved before, once with much solved and other jobs worked in between.
    let text = serde_json::to_string(&MODEL.circuit.vehicle).unwrap();
    let fresh = || Model::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
    let first: Vec<String> = jobs.iter().map(|e| proposed(&fresh(), e)).collect();
    let used = fresh();
    for named in used.circuit.vehicle.states.iter().step_by(4) {
        used.predict_all(&named.state);
    }
    for output in used.circuit.vehicle.outputs.iter().step_by(40) {
        let mut driven = state("on");
        driven.outputs.insert(output.id.clone());
        used.predict_all(&driven);
    }
    for (e, first) in jobs.iter().zip(&first).rev() {
        let again = proposed(&used, e);
        assert_eq!(again.lines().count(), first.lines().count());
        if let Some(differs) = again.lines().zip(first.lines()).find(|(a, b)| !same(a, b)) {
            panic!("{differs:?}");
        }
    }
}

/// Whether two lines say the same: a solver that began elsewhere ends within its own tolerance.
fn same(a: &str, b: &str) -> bool {
    let number =
        |line: &str| -> Option<f64> { line.rsplit(' ').next()?.trim_end_matches(',').parse().ok() };
    a == b || matches!((number(a), number(b)), (Some(x), Some(y)) if (x - y).abs() < 1e-6)
}
