//! Money still to be spent until a repair is proven, given what is believed.

use crate::posterior::entropy;

/// What is believed of one repair and what it costs.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Way {
    /// Its weight; all weights need not sum to one.
    pub(crate) p: f64,
    /// What mending it costs.
    pub(crate) cost: f64,
}

/// The lesser of two estimates, each of a plan that could be carried out.
///
/// *Repair in turn*: what is likely and cheap first, trying the complaint after each. By the ratio of
/// probability to cost that order is the best there is (Kadane and Simon 1977).
///
/// *Find out first*: checks that go on telling as much per minute as the best one in reach (`bit`, money
/// for one bit of information), then the one repair that it is.
pub(crate) fn to_go(ways: &[Way], bit: f64) -> f64 {
    let total: f64 = ways.iter().map(|w| w.p).sum();
    if total <= 0.0 {
        return 0.0;
    }
    let known: f64 = ways.iter().map(|w| w.p / total * w.cost).sum();
    let shares: Vec<f64> = ways.iter().map(|w| w.p / total).collect();
    let found = known + bit * entropy(&shares);
    in_turn(ways, total).min(found)
}

fn in_turn(ways: &[Way], total: f64) -> f64 {
    let mut order: Vec<&Way> = ways.iter().filter(|w| w.p > 0.0).collect();
    order.sort_by(|a, b| (b.p * a.cost).total_cmp(&(a.p * b.cost)));
    let (mut left, mut cost) = (1.0, 0.0);
    for way in order {
        cost += left * way.cost;
        left -= way.p / total;
    }
    cost
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn way(p: f64, cost: f64) -> Way {
        Way { p, cost }
    }

    #[test]
    fn what_is_likely_and_cheap_is_mended_first() {
        // By hand: 10 first (0.7 / 10), then 100 in the 0.3 that are left: 10 + 0.3 x 100 = 40. The other
        // way round it would be 100 + 0.7 x 10 = 107.
        let ways = [way(0.3, 100.0), way(0.7, 10.0)];
        assert!((to_go(&ways, f64::INFINITY) - 40.0).abs() < 1e-9);
        // Found out for nothing: 0.3 x 100 + 0.7 x 10 = 37.
        assert!((to_go(&ways, 0.0) - 37.0).abs() < 1e-9);
        // H = 0.8813 bit; at 2 a bit 37 + 1.76 = 38.76, below 40.
        assert!((to_go(&ways, 2.0) - 38.763).abs() < 1e-3);
    }

    proptest! {
        #[test]
        fn no_order_of_repairs_is_cheaper(
            list in proptest::collection::vec((0.01f64..1.0, 1.0f64..500.0), 2..6),
            shuffle in any::<u64>(),
        ) {
            let ways: Vec<Way> = list.iter().map(|(p, c)| way(*p, *c)).collect();
            let total: f64 = ways.iter().map(|w| w.p).sum();
            let mut other = ways.clone();
            let turn = shuffle as usize % other.len();
            other.rotate_left(turn);
            if shuffle.is_multiple_of(2) {
                other.reverse();
            }
            let (mut left, mut cost) = (1.0, 0.0);
            for w in &other {
                cost += left * w.cost;
                left -= w.p / total;
            }
            prop_assert!(in_turn(&ways, total) <= cost + 1e-9);
            // Knowing more never costs more than not knowing.
            prop_assert!(to_go(&ways, 1.0) <= to_go(&ways, 5.0) + 1e-9);
        }
    }
}
