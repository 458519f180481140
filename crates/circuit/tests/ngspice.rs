//! An independent oracle: ngspice solves the exported decks to the same voltages.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::wren;
use circuit::{NodeId, Sweep, fault, spice};
use rayon::prelude::*;
use serde_json::json;
use std::collections::BTreeMap;
use std::io::Write;
use std::process::{Command, Stdio};
use vehicle::TiSlice;

/// Runs one deck; node voltages by node number.
fn ngspice(deck: &str) -> BTreeMap<NodeId, f64> {
    let mut child = Command::new("ngspice")
        .args(["-b", "/dev/stdin"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("ngspice is installed by `cargo xtask test`");
    child.stdin.take().unwrap().write_all(deck.as_bytes()).unwrap();
    let out = child.wait_with_output().unwrap();
    let text = String::from_utf8_lossy(&out.stdout).into_owned();
    let mut volts = BTreeMap::new();
    for line in text.lines() {
        let mut words = line.split_whitespace();
        let (Some(name), Some(value)) = (words.next(), words.next_back()) else {
            continue;
        };
        let name = name.trim_start_matches("V(").trim_end_matches(')');
        if let (Ok(node), Ok(value)) = (name.parse::<usize>(), value.parse::<f64>()) {
            volts.insert(NodeId::from(node), value);
        }
    }
    assert!(volts.len() > 20, "ngspice said: {text}\n{}", String::from_utf8_lossy(&out.stderr));
    volts
}

/// Compares every node; the largest difference, volts.
fn compare(name: &str, deck: &str, volts: &TiSlice<NodeId, f64>) -> f64 {
    let theirs = ngspice(deck);
    let mut worst = 0.0f64;
    for (node, ours) in volts.iter_enumerated().skip(1) {
        let theirs = theirs.get(&node).unwrap_or_else(|| panic!("{name} node {node}"));
        let error = (ours - theirs).abs();
        worst = worst.max(error);
        assert!(
            error < 1e-3 + 1e-3 * theirs.abs(),
            "{name} node {node}: {ours} here, {theirs} in ngspice"
        );
    }
    worst
}

#[test]
fn the_same_voltages_as_ngspice() {
    let c = wren();
    let faults = fault::all(&c);
    let mut points = Vec::new();
    for (s, named) in c.vehicle.states.iter().enumerate() {
        let mut sweep = Sweep::new(&c, &named.state, &[]);
        // A stride with no common factor with the grids: every kind of fault comes up.
        for f in faults.iter().skip(s * 37).step_by(2503) {
            let p = sweep.solve(&f.changes);
            if p.settled {
                let name = format!("{} {}", named.id, f.id);
                let deck = spice::deck_of(&c, &name, p.laws, p.volts, &f.changes, None);
                points.push((name, deck, p.volts.to_vec()));
            }
        }
    }
    let worst = points
        .par_iter()
        .map(|(name, deck, volts)| compare(name, deck, volts))
        .reduce(|| 0.0, f64::max);
    println!("{} points, {} nodes each, worst difference {worst:e} V", points.len(), c.nodes - 1);
    assert!(points.len() >= 300, "{}", points.len());
}

/// A vehicle of loads, diodes and lamps between a battery and ground, from random numbers.
fn random_vehicle(seed: u64) -> vehicle::Vehicle {
    let mut x = seed | 1;
    let mut next = move |n: usize| {
        x ^= x << 13;
        x ^= x >> 7;
        x ^= x << 17;
        (x >> 20) as usize % n
    };
    let mut parts = vec![json!({"id": "BAT", "name": "Battery", "kind": "battery", "place": "p",
        "elements": [{"type": "battery", "plus": "+", "minus": "-", "open_volts": 12.6, "internal_ohms": 0.01}]})];
    let mut wires = vec![
        json!({"id": "1", "from": "BAT.+", "to": "J0", "colour": "RD", "area_mm2": 16, "length_m": 1}),
        json!({"id": "2", "from": "BAT.-", "to": "G", "colour": "BK", "area_mm2": 16, "length_m": 1}),
    ];
    for k in 0..24 {
        let r = [0.5, 4.7, 47.0, 1000.0, 22000.0][next(5)];
        let element = match next(7) {
            0 => {
                json!({"type": "lamp", "plus": "1", "minus": "2", "rated_volts": 12, "rated_watts": (5 + next(60)), "effect": "x"})
            }
            1 => {
                json!({"type": "led_lamp", "plus": "1", "minus": "2", "forward_volts": (2.0 + next(6) as f64), "ohms": (100 + next(900)), "rated_amps": 0.02, "effect": "x"})
            }
            2 => {
                json!({"type": "diode", "anode": "1", "cathode": "2", "forward_volts": 0.8, "rated_amps": 1, "ohms": 0.05})
            }
            3 => {
                json!({"type": "zener", "anode": "2", "cathode": "1", "zener_volts": 5.6, "ohms": 5})
            }
            4 => {
                json!({"type": "motor", "plus": "1", "minus": "2", "winding_ohms": 0.8, "rated_volts": 12, "rated_amps": 4, "breakaway_amps": 0.7, "effect": "x"})
            }
            5 => {
                json!({"type": "heater", "plus": "1", "minus": "2", "ohms": 1.5, "knee_amps": 6, "effect": "x"})
            }
            _ => json!({"type": "resistor", "a": "1", "b": "2", "ohms": r}),
        };
        parts.push(json!({"id": format!("P{k}"), "name": "Part", "kind": "other", "place": "p", "elements": [element]}));
        // Each part hangs between two of eight splices, the first on the battery, the last on ground.
        let (a, b) = (next(7), 1 + next(7));
        for (pin, j) in [("1", a.min(b)), ("2", if a == b { b + 1 } else { a.max(b) })] {
            wires.push(json!({"id": format!("{k}{pin}w"), "from": format!("P{k}.{pin}"), "to": if j >= 8 { "G".to_owned() } else { format!("J{j}") },
                "colour": "BN", "area_mm2": ([0.35, 0.75, 2.5][next(3)]), "length_m": (0.2 + next(40) as f64 / 10.0)}));
        }
    }
    wires.push(
        json!({"id": "3", "from": "J7", "to": "G", "colour": "BN", "area_mm2": 2.5, "length_m": 1}),
    );
    let splices: Vec<_> =
        (0..8).map(|j| json!({"id": format!("J{j}"), "name": "s", "place": "p"})).collect();
    let text = json!({"format": 1, "id": "r", "make": "m", "model": "m", "year": 2022,
        "places": [{"id": "p", "name": "p"}], "parts": parts, "connectors": [], "splices": splices,
        "grounds": [{"id": "G", "name": "g", "place": "p"}], "wires": wires,
        "states": [{"id": "s", "name": "s"}]});
    vehicle::Vehicle::from_json(&text.to_string()).unwrap_or_else(|e| panic!("{seed}: {e}"))
}

#[test]
fn random_circuits_agree_with_ngspice() {
    let worst = (1..=60u64)
        .into_par_iter()
        .map(|seed| {
            let c = circuit::Circuit::new(random_vehicle(seed * 7919)).unwrap();
            let s = c.solve(&vehicle::OperatingState::default(), &[], None);
            assert!(s.converged, "seed {seed}");
            compare(&format!("seed {seed}"), &spice::deck(&c, "random", &s, &[], None), &s.volts)
        })
        .reduce(|| 0.0, f64::max);
    println!("60 random circuits, worst difference {worst:e} V");
}

#[test]
fn everything_open_or_shorted_still_settles() {
    // Every branch with the same absurd resistance, whatever it was.
    let c = wren();
    for named in &c.vehicle.states {
        for ohms in [1e-3, 1.0, 1e12] {
            let changes: Vec<_> = c
                .branches
                .keys()
                .filter(|k| k.at() % 3 != 0)
                .map(|k| circuit::Change::Branch(k, circuit::Law::Ohms(ohms)))
                .collect();
            let s = c.solve(&named.state, &changes, None);
            assert!(s.volts.iter().all(|v| v.is_finite()), "{} {ohms}", named.id);
            assert!(s.converged || !s.chattering.is_empty(), "{} {ohms}", named.id);
        }
    }
}
