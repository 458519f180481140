//! The quick way of solving hypotheses gives what solving each from rest gives.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::wren;
use circuit::{NodeId, Sweep, fault, sweep};

#[test]
fn updates_give_what_solving_from_rest_gives() {
    let c = wren();
    let all = fault::all(&c);
    // In the order in which a sweep shares work, whole chains at a time.
    let order = sweep::order(&c, &all);
    let faults: Vec<_> = order.iter().map(|k| &all[*k as usize]).collect();
    let (mut points, mut quick, mut worst) = (0, 0, 0.0f64);
    let mut others = Vec::new();
    for (s, named) in c.vehicle.states.iter().enumerate() {
        let mut sweep = Sweep::new(&c, &named.state, &[]);
        for f in faults.chunks(40).skip(s).step_by(431).flatten() {
            let slow = circuit::hearing::solve(&c, &named.state, &f.changes);
            let p = sweep.solve(&f.changes);
            points += 1;
            quick += usize::from(!p.from_rest());
            if !slow.converged {
                continue;
            }
            let error = |n: NodeId| (p.volts[n] - slow.volts[n]).abs();
            let off = p.volts.keys().find(|n| error(*n) > 1e-3 + 1e-4 * slow.volts[*n].abs());
            let same = p.settled
                && off.is_none()
                && p.alive == slow.alive_parts(&c)
                && p.asked == &slow.asked;
            if same {
                worst = p.volts.keys().map(error).fold(worst, f64::max);
            } else {
                others.push(format!("{} {}", named.id, f.id));
            }
        }
    }
    println!("{points} points, {quick} quickly, worst difference {worst:e} V");
    println!("settled otherwise: {others:?}");
    assert!(points > 1000 && quick * 100 > points * 98, "{quick} of {points}");
    // A circuit with a memory of its own (a fuse blown on the way, an output that feeds its own
    // request) may rest in more than one way.
    assert!(others.len() * 250 < points, "{others:?}");
}

#[test]
fn a_sweep_forgets_each_hypothesis() {
    let c = wren();
    let state = crate::common::state(&c, "rear_washer");
    let mut sweep = Sweep::new(&c, &state, &[]);
    let healthy = sweep.healthy().volts.clone();
    for f in fault::all(&c).iter().step_by(97) {
        sweep.solve(&f.changes);
    }
    // A hypothesis that changes nothing leaves exactly the healthy circuit.
    let p = sweep.solve(&[]);
    assert_eq!(p.volts, healthy);
    assert_eq!(p.moved(), Some(&[][..]));
}
