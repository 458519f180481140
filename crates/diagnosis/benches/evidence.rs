//! Evidence in, suspects and next check out: the time a technician waits.
#![allow(missing_docs, clippy::unwrap_used)]

use circuit::{Instrument, Probe};
use diagnosis::costs::Prices;
use diagnosis::{Evidence, Finding, Model, Posterior, Strength, next, suspects};
use std::time::Instant;

fn main() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
    let text = std::fs::read_to_string(path).unwrap();
    let started = Instant::now();
    let model = Model::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
    println!("{} hypotheses compiled in {:?}", model.faults.len(), started.elapsed());
    let states = &model.circuit.vehicle.states;
    // As the product does while the complaint is taken.
    let started = Instant::now();
    for named in states {
        model.prepare(&named.state);
    }
    model.reachable();
    model.loads();
    println!("{} named states solved ahead in {:?}", states.len(), started.elapsed());
    let state = &states.iter().find(|s| s.id == "rear_washer").unwrap().state;
    let mut all = vec![Evidence::new(
        state.clone(),
        Finding::Effect { part: "M7".into(), strength: Strength::Weak },
    )];
    for (red, value) in
        [("", 0.0), ("K9.87", 12.3), ("M7.1", 7.3), ("M7.2", 0.04), ("C4.7:cabin", 12.25)]
    {
        if !red.is_empty() {
            all.push(Evidence::new(
                state.clone(),
                Finding::Reading {
                    instrument: Instrument::Volts,
                    red: red.into(),
                    black: "BAT.-".into(),
                    value: Some(value),
                },
            ));
        }
        // As the product does while the check it proposes is taken; a reading taken elsewhere waits
        // for it.
        let t = Instant::now();
        if let Some(Evidence {
            state,
            finding: Finding::Reading { instrument, red, black, .. },
            ..
        }) = all.last()
        {
            let (red, black) = (red.clone(), black.clone());
            model.expect(state, &Probe { instrument: *instrument, red, black }).unwrap();
        }
        let predicted = t.elapsed();
        let t = Instant::now();
        let p = Posterior::new(&model, &all).unwrap();
        let weighed = t.elapsed();
        let list = suspects::suspects(&model, model.plain(), &all, &p, 6).unwrap();
        let listed = t.elapsed();
        let ask = next::Ask {
            model: &model,
            priors: model.plain(),
            evidence: &all,
            posterior: &p,
            present: diagnosis::Present::Unknown,
            now: state,
            refused: &[],
            prices: &Prices::default(),
        };
        let checks = next::checks(&ask, 5).unwrap().checks;
        println!(
            "{} findings: predicted ahead in {predicted:?}; weighed {weighed:?}, listed {listed:?}, checks {:?}; {} {:.0} %, next {}",
            all.len(),
            t.elapsed(),
            list[0].text,
            100.0 * list[0].probability,
            checks.first().map_or("none", |c| &c.text)
        );
    }
}
