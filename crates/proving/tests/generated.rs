//! Made-up vehicles are sound: nothing in them is doubtful, and what their states switch on works.
#![allow(missing_docs, clippy::unwrap_used)]

use circuit::{Circuit, doubts};
use proving::generated::{self, Sort};
use rayon::prelude::*;

#[test]
fn nothing_is_doubtful_in_a_sound_vehicle() {
    let said: Vec<String> = (1..=40u64)
        .into_par_iter()
        .flat_map(|seed| [(Sort::Plain, seed), (Sort::WithModules, seed)])
        .flat_map_iter(|(sort, seed)| {
            let circuit = Circuit::new(generated::vehicle(sort, seed)).unwrap();
            let said = doubts(&circuit);
            said.iter().map(|d| format!("{sort:?} {seed}: {d}")).collect::<Vec<_>>()
        })
        .collect();
    assert!(said.is_empty(), "{} doubts:\n{}", said.len(), said.join("\n"));
}

#[test]
fn they_differ_in_shape_and_size() {
    let all: Vec<_> = (1..=40).map(|seed| generated::vehicle(Sort::WithModules, seed)).collect();
    let spread = |of: &dyn Fn(&vehicle::Vehicle) -> usize| {
        let mut n: Vec<usize> = all.iter().map(of).collect();
        n.sort_unstable();
        (n[2], n[37])
    };
    for (what, of) in [
        (
            "conductors",
            &(|v: &vehicle::Vehicle| v.wires.len()) as &dyn Fn(&vehicle::Vehicle) -> usize,
        ),
        ("grounds", &|v| v.grounds.len()),
        ("parts", &|v| v.parts.len()),
        ("in-line pairs", &|v| v.connectors.iter().filter(|c| c.sides.is_some()).count()),
    ] {
        let (low, high) = spread(of);
        println!("{what}: {low} to {high}");
        assert!(high >= 2 * low.max(1), "{what}: {low} to {high}");
    }
}
