//! An independent oracle: ngspice solves the exported decks to the same voltages.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;
use circuit::{fault, spice};
use common::wren;
use std::collections::BTreeMap;
use std::io::Write;
use std::process::{Command, Stdio};

/// Runs one deck; node voltages by node number.
fn ngspice(deck: &str) -> BTreeMap<usize, f64> {
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
            volts.insert(node, value);
        }
    }
    assert!(volts.len() > 50, "ngspice said: {text}\n{}", String::from_utf8_lossy(&out.stderr));
    volts
}

#[test]
fn the_same_voltages_as_ngspice() {
    let c = wren();
    let faults = fault::all(&c);
    let (mut points, mut nodes, mut worst) = (0, 0, 0.0f64);
    for (s, named) in c.vehicle.states.iter().enumerate() {
        for f in faults.iter().skip(s * 37).step_by(211) {
            let solution = c.solve(&named.state, &f.changes, None);
            if !solution.converged {
                continue;
            }
            let deck =
                spice::deck(&c, &format!("{} {}", named.id, f.id), &solution, &f.changes, None);
            let theirs = ngspice(&deck);
            for (node, ours) in solution.volts.iter().enumerate().skip(1) {
                let theirs = theirs.get(&node).unwrap_or_else(|| panic!("{} node {node}", f.id));
                let error = (ours - theirs).abs();
                worst = worst.max(error);
                nodes += 1;
                assert!(
                    error < 1e-3 + 1e-3 * theirs.abs(),
                    "{} {} node {node}: {ours} here, {theirs} in ngspice",
                    named.id,
                    f.id
                );
            }
            points += 1;
        }
    }
    println!("{points} points, {nodes} node voltages, worst difference {worst:e} V");
    assert!(points >= 60, "{points}");
}
