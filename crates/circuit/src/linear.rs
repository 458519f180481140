//! Sparse solution of a resistive network by star-mesh elimination.
//!
//! Every node's conductance to the reference is kept apart from the conductances
//! between nodes, so no elimination step subtracts: a network that mixes
//! milliohms and gigohms keeps full relative accuracy, which an ordinary
//! Cholesky factorisation of the assembled matrix would lose on floating nodes.
//! The order of elimination is by minimum degree; each [`Plan`] serves every set
//! of values on the same graph. A [`Factor`] keeps what every step passed on, so
//! that after a change of a few branches only the steps that depend on them are
//! done again. Which nodes are then visited is in `linear/visit.rs`: those that may
//! have moved beyond a margin of their own, and those asked for.

mod factor;
mod plan;
mod visit;

pub use factor::Factor;
pub use plan::Plan;
pub use visit::STILL_VOLTS;

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_floating_milliohm_chain_keeps_its_accuracy() {
        // 12 V behind 1 Ohm feeds a chain of 1 mOhm links that ends in nothing but 1 GOhm leaks.
        let mut ends = vec![(1usize, 0)];
        let mut values = vec![(1.0, -12.0)];
        for n in 1..40 {
            ends.push((n, n + 1));
            values.push((1000.0, 0.0));
        }
        let mut f = Factor::default();
        Plan::new(41, &ends).solve(1e-9, values.into_iter(), &mut f);
        // The whole chain leaks 40 x 12 nA: the 1 Ohm source drops 480 nV. Link k of 39 carries
        // (40 - k) x 12 nA: together 12 nA x 1 mOhm x (1 + ... + 39) = 9.36 nV.
        assert!((f.volts[40] - (12.0 - 489.36e-9)).abs() < 1e-13, "{}", f.volts[40]);
    }

    type Net = Vec<((usize, usize), (f64, f64))>;

    fn network() -> impl Strategy<Value = Net> {
        let branch = (0..30usize, 1..30usize, -9.0..3.0f64, -1.0..1.0f64);
        proptest::collection::vec(branch, 20..90).prop_map(|list| {
            let mut net: Net = (1..30).map(|n| ((n - 1, n), (0.1, 0.0))).collect();
            net.push(((1, 0), (10.0, -120.0)));
            net.extend(list.into_iter().map(|(a, b, g, i)| ((a, b), (10f64.powf(g), i * 1e-3))));
            net
        })
    }

    proptest! {
        #[test]
        fn sources_superpose(net in network()) {
            // The same conductances with every second source, with the others, and with all.
            let ends: Vec<_> = net.iter().map(|b| b.0).collect();
            let plan = Plan::new(30, &ends);
            let with = |keep: &dyn Fn(usize) -> bool| {
                let mut f = Factor::default();
                let values = net.iter().enumerate().map(|(k, b)| (b.1.0, if keep(k) { b.1.1 } else { 0.0 }));
                plan.solve(1e-9, values, &mut f);
                f.volts
            };
            let (even, odd, all) = (with(&|k| k % 2 == 0), with(&|k| k % 2 == 1), with(&|_| true));
            for n in 0..30 {
                prop_assert!((even[n] + odd[n] - all[n]).abs() < 1e-9 * (1.0 + all[n].abs()), "node {n}");
            }
        }

        #[test]
        fn an_update_is_as_good_as_a_new_solution(
            net in network(),
            changes in proptest::collection::vec((0..60usize, -9.0..3.0f64, -1.0..1.0f64), 1..5),
        ) {
            let ends: Vec<_> = net.iter().map(|b| b.0).collect();
            let plan = Plan::new(30, &ends);
            let mut f = Factor::default();
            plan.solve(1e-9, net.iter().map(|b| b.1), &mut f);
            f.begin(&plan, vec![0.0; 30], &[0.0; 30]);
            let before = f.clone();
            let mut changed = net.clone();
            for (k, g, i) in changes {
                let k = k % net.len();
                changed[k].1 = (10f64.powf(g), i);
                f.set_branch(&plan, k, 10f64.powf(g), i);
                f.update(&plan);
            }
            f.update(&plan);
            f.complete(&plan);
            let mut fresh = Factor::default();
            plan.solve(1e-9, changed.iter().map(|b| b.1), &mut fresh);
            for n in 0..30 {
                let error = (f.volts[n] - fresh.volts[n]).abs();
                prop_assert!(error < 2.0 * STILL_VOLTS + 1e-6 * fresh.volts[n].abs(), "node {n}: {error}");
            }
            f.undo();
            prop_assert_eq!(&f.volts, &before.volts);
            prop_assert_eq!(&f.edge, &before.edge);
            prop_assert_eq!(&f.rhs, &before.rhs);
            prop_assert_eq!(&f.ground, &before.ground);
        }
    }
}
