//! Whether something changes when the hand does something, and only then (N17): how sure that is.

use serde::Serialize;
use std::collections::BTreeMap;
use utoipa::ToSchema;

/// Rounds from a mark on that belong to what it says, unless another mark comes.
pub const BELONG: usize = 5;
/// Steps of the angle over which shares are integrated.
const STEPS: usize = 2000;

/// How often something changed while the hand did something, and otherwise.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Coincidence {
    /// What the hand did.
    pub text: String,
    /// Rounds that belong to it.
    pub rounds: u32,
    /// Changes in them.
    pub changes: u32,
    /// Rounds in which the hand did nothing of the kind.
    pub other_rounds: u32,
    /// Changes in those.
    pub other_changes: u32,
    /// Chance that changes really come oftener with it, 0 to 1.
    pub confidence: f64,
}

/// For every thing the hand did, by the rounds its marks stand at; `changed` says whether something changed in
/// a round. What was done first comes first.
pub fn coincidences(
    rounds: usize,
    marks: &[(usize, &str)],
    changed: impl Fn(usize) -> bool,
) -> Vec<Coincidence> {
    let mut belongs: Vec<Option<&str>> = vec![None; rounds];
    for (k, (from, text)) in marks.iter().enumerate() {
        let next = marks.get(k + 1).map_or(rounds, |m| m.0);
        let until = (from + BELONG).min(next).min(rounds);
        belongs[(*from).min(until)..until].fill(Some(text));
    }
    let mut sums: BTreeMap<&str, [u32; 2]> = BTreeMap::new();
    let mut rest = [0_u32; 2];
    for (k, of) in belongs.iter().enumerate() {
        let sum = of.map_or(&mut rest, |text| sums.entry(text).or_default());
        sum[0] += 1;
        sum[1] += u32::from(changed(k));
    }
    let mut said: Vec<&str> = Vec::new();
    for (_, text) in marks {
        if !said.contains(text) {
            said.push(text);
        }
    }
    let of = |text: &str| {
        let [rounds, changes] = *sums.get(text)?;
        let [other_rounds, other_changes] = rest;
        let confidence = oftener([changes, rounds], [other_changes, other_rounds]);
        let text = text.to_owned();
        Some(Coincidence { text, rounds, changes, other_rounds, other_changes, confidence })
    };
    said.into_iter().filter_map(of).collect()
}

/// Density of a share over an angle whose squared sine it is, after so many changes in so many rounds, with
/// Jeffreys' prior of one half each: it is flat in that angle, so that nothing is singular.
fn density([changes, rounds]: [u32; 2]) -> Vec<f64> {
    let (yes, no) = (f64::from(changes), f64::from(rounds - changes.min(rounds)));
    let at = |k: usize| {
        let angle = std::f64::consts::FRAC_PI_2 * (k as f64 + 0.5) / STEPS as f64;
        2.0 * (yes * angle.sin().ln() + no * angle.cos().ln())
    };
    let logs: Vec<f64> = (0..STEPS).map(at).collect();
    let most = logs.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let all: Vec<f64> = logs.into_iter().map(|x| (x - most).exp()).collect();
    let sum: f64 = all.iter().sum();
    all.into_iter().map(|x| x / sum).collect()
}

/// Chance that the share behind the first changes in rounds is above that behind the second.
fn oftener(one: [u32; 2], other: [u32; 2]) -> f64 {
    let mut below = 0.0;
    density(one)
        .into_iter()
        .zip(density(other))
        .map(|(one, other)| {
            let sum = one * (below + 0.5 * other);
            below += other;
            sum
        })
        .sum()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn without_rounds_nothing_is_known_and_with_many_everything() {
        assert!((oftener([0, 0], [0, 0]) - 0.5).abs() < 1e-9);
        assert!((oftener([3, 7], [3, 7]) - 0.5).abs() < 1e-9);
        assert!(oftener([5, 5], [0, 100]) > 0.9999);
        assert!(oftener([0, 50], [10, 50]) < 0.001);
        // Beta(3/2, 1/2) against Beta(1/2, 1/2), which is even in the angle: the mean of the angle's share
        // under a density of sin², one half and 2/π² more.
        let expected = 0.5 + 2.0 / std::f64::consts::PI.powi(2);
        assert!((oftener([1, 1], [0, 0]) - expected).abs() < 1e-6, "{}", oftener([1, 1], [0, 0]));
    }

    #[test]
    fn what_falls_silent_while_a_place_is_moved_is_laid_to_it() {
        let marks = [(10, "moving hinge"), (20, "moving sill"), (30, "moving hinge")];
        let changed = |k: usize| matches!(k, 11 | 13 | 32);
        let all = coincidences(60, &marks, changed);
        let [hinge, sill] = &all[..] else { panic!("{all:?}") };
        assert_eq!((hinge.rounds, hinge.changes), (10, 3));
        assert_eq!((hinge.other_rounds, hinge.other_changes), (45, 0));
        assert!(hinge.confidence > 0.99 && sill.confidence < 0.8, "{all:?}");
    }

    #[test]
    fn a_mark_ends_where_the_next_begins_and_none_reaches_beyond_the_end() {
        let all = coincidences(12, &[(8, "a"), (10, "b"), (12, "c")], |_| true);
        let of = |c: &Coincidence| (c.text.clone(), c.rounds);
        assert_eq!(all.iter().map(of).collect::<Vec<_>>(), [("a".into(), 2), ("b".into(), 2)]);
    }
}
