//! Least and largest values over ever longer stretches, so that any part of a long trace is drawn from a
//! few thousand of them.

/// Samples under one pair at the lowest step, and pairs under one of the next.
const FIRST: usize = 16;
const NEXT: usize = 4;

/// Least and largest value of a stretch.
pub type Pair = (f32, f32);

/// The pyramid of a channel.
#[derive(Debug, Clone, PartialEq)]
pub struct Pyramid {
    steps: Vec<Vec<Pair>>,
    len: usize,
}

fn both(pairs: &[Pair]) -> Pair {
    pairs.iter().fold((f32::MAX, f32::MIN), |m, p| (m.0.min(p.0), m.1.max(p.1)))
}

fn of(values: &[f32]) -> Pair {
    values.iter().fold((f32::MAX, f32::MIN), |m, v| (m.0.min(*v), m.1.max(*v)))
}

impl Pyramid {
    /// Builds it: about a tenth of the memory of the samples.
    pub fn new(volts: &[f32]) -> Self {
        let mut steps = vec![volts.chunks(FIRST).map(of).collect::<Vec<Pair>>()];
        while let Some(last) = steps.last().filter(|s| s.len() > NEXT) {
            steps.push(last.chunks(NEXT).map(both).collect());
        }
        Self { steps, len: volts.len() }
    }

    /// At most `columns` pairs for the samples from `from` to before `to`: each covers as many samples, and
    /// no value that occurs in them is missed.
    pub fn view(&self, volts: &[f32], from: usize, to: usize, columns: usize) -> Vec<Pair> {
        let to = to.min(self.len).min(volts.len());
        if from >= to || columns == 0 {
            return Vec::new();
        }
        let columns = columns.min(to - from);
        (0..columns)
            .map(|c| {
                let at = |c: usize| from + (to - from) * c / columns;
                self.stretch(volts, at(c), at(c + 1))
            })
            .collect()
    }

    /// Least and largest of the samples from `from` to before `to`.
    fn stretch(&self, volts: &[f32], from: usize, to: usize) -> Pair {
        let first = from.div_ceil(FIRST);
        let last = to / FIRST;
        if first >= last {
            return of(&volts[from..to]);
        }
        let ends = [of(&volts[from..first * FIRST]), of(&volts[last * FIRST..to])];
        let inside = self.climb(0, first, last);
        both(&[ends[0], inside, ends[1]])
    }

    fn climb(&self, step: usize, from: usize, to: usize) -> Pair {
        let first = from.div_ceil(NEXT);
        let last = to / NEXT;
        if step + 1 >= self.steps.len() || first >= last {
            return both(&self.steps[step][from..to]);
        }
        let pairs = &self.steps[step];
        let ends = [both(&pairs[from..first * NEXT]), both(&pairs[last * NEXT..to])];
        both(&[ends[0], self.climb(step + 1, first, last), ends[1]])
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_view_is_what_the_samples_are(
            volts in prop::collection::vec(-10f32..10.0, 1..3000),
            ends in (0usize..3000, 0usize..3000),
            columns in 1usize..50,
        ) {
            let pyramid = Pyramid::new(&volts);
            let (from, to) = (ends.0.min(ends.1), ends.0.max(ends.1).min(volts.len()));
            let view = pyramid.view(&volts, from, to, columns);
            if from >= to {
                prop_assert!(view.is_empty());
            } else {
                let n = view.len();
                prop_assert!(n <= columns);
                for (c, pair) in view.iter().enumerate() {
                    let at = |c: usize| from + (to - from) * c / n;
                    prop_assert_eq!(*pair, of(&volts[at(c)..at(c + 1)]));
                }
            }
        }
    }
}
