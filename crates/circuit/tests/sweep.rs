//! The quick way of solving hypotheses gives what solving each from rest gives.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;
use circuit::{Sweep, fault};
use common::wren;

#[test]
fn updates_give_what_solving_from_rest_gives() {
    let c = wren();
    let faults = fault::all(&c);
    let (mut points, mut quick, mut worst) = (0, 0, 0.0f64);
    for (s, named) in c.vehicle.states.iter().enumerate() {
        let mut sweep = Sweep::new(&c, &named.state, &[]);
        for f in faults.iter().skip(s).step_by(11) {
            let slow = c.solve(&named.state, &f.changes, None);
            let before = sweep.from_rest;
            let p = sweep.solve(&f.changes);
            points += 1;
            quick += usize::from(p.moved.is_some());
            assert_eq!(p.settled, slow.converged, "{} {}", named.id, f.id);
            if !p.settled {
                continue;
            }
            for n in 0..c.nodes {
                let error = (p.volts[n] - slow.volts[n]).abs();
                worst = worst.max(error);
                assert!(
                    error < 1e-3 + 1e-4 * slow.volts[n].abs(),
                    "{} {} node {n}: {} quickly, {} from rest",
                    named.id,
                    f.id,
                    p.volts[n],
                    slow.volts[n]
                );
            }
            assert_eq!(p.alive, slow.alive_parts(&c), "{} {}", named.id, f.id);
            assert_eq!(p.asked, &slow.asked, "{} {}", named.id, f.id);
            assert!(sweep.from_rest <= before + 1);
        }
    }
    println!("{points} points, {quick} quickly, worst difference {worst:e} V");
    assert!(points > 1000 && quick * 100 > points * 98, "{quick} of {points}");
}

#[test]
fn a_sweep_forgets_each_hypothesis() {
    let c = wren();
    let state = common::state(&c, "rear_washer");
    let mut sweep = Sweep::new(&c, &state, &[]);
    let healthy = sweep.healthy().volts.clone();
    for f in fault::all(&c).iter().step_by(7) {
        sweep.solve(&f.changes);
    }
    // A hypothesis that changes nothing leaves exactly the healthy circuit.
    let p = sweep.solve(&[]);
    assert_eq!(p.volts, healthy);
    assert_eq!(p.moved, Some(&[][..]));
}
