//! Edges of a line between two levels, with hysteresis, placed between the samples.

/// A change of a line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Edge {
    /// When, in samples.
    pub at: f64,
    /// Whether the line is active from here on: dominant.
    pub active: bool,
}

/// Above the upper threshold a line is active, below the lower one it is not; in between it stays.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Thresholds {
    /// Lower threshold.
    pub lower: f32,
    /// Upper threshold.
    pub upper: f32,
}

impl Thresholds {
    /// A seventh of the swing apart, around the middle between a resting and an active level.
    pub fn between(rest: f64, active: f64) -> Self {
        Self::at(rest, active, 0.5)
    }

    /// The same around another share of the way from the resting to the active level.
    pub fn at(rest: f64, active: f64, share: f64) -> Self {
        let (middle, half) = (rest + share * (active - rest), 0.07 * (active - rest).abs());
        Self { lower: (middle - half) as f32, upper: (middle + half) as f32 }
    }
}

/// Samples that are judged at once while nothing happens.
const BLOCK: usize = 32;

/// Finds edges in what is pushed, piece by piece.
#[derive(Debug, Clone)]
pub struct Slicer {
    thresholds: Thresholds,
    active: bool,
    seen: usize,
    before: f32,
    edges: Vec<Edge>,
}

impl Slicer {
    /// For a line that rests.
    pub fn new(thresholds: Thresholds) -> Self {
        Self { thresholds, active: false, seen: 0, before: f32::NAN, edges: Vec::new() }
    }

    /// Takes the next samples: the values of the line, already turned so that active is up.
    pub fn push(&mut self, values: &[f32]) {
        for block in values.chunks(BLOCK) {
            let quiet = match self.active {
                false => block.iter().fold(f32::MIN, |m, v| m.max(*v)) < self.thresholds.upper,
                true => block.iter().fold(f32::MAX, |m, v| m.min(*v)) > self.thresholds.lower,
            };
            if !quiet {
                self.look(block);
            }
            self.seen += block.len();
            self.before = block[block.len() - 1];
        }
    }

    /// A block in which something may happen.
    fn look(&mut self, block: &[f32]) {
        let middle = 0.5 * (self.thresholds.lower + self.thresholds.upper);
        let mut before = self.before;
        for (k, v) in block.iter().enumerate() {
            let turns = match self.active {
                false => *v >= self.thresholds.upper,
                true => *v <= self.thresholds.lower,
            };
            if turns {
                self.active = !self.active;
                // Where the straight line between the two samples crosses the middle.
                let share = (middle - before) / (v - before);
                let back = if share.is_finite() { 1.0 - share.clamp(0.0, 1.0) } else { 0.0 };
                let at = (self.seen + k) as f64 - f64::from(back);
                self.edges.push(Edge { at, active: self.active });
            }
            before = *v;
        }
    }

    /// The edges.
    pub fn finish(self) -> Vec<Edge> {
        self.edges
    }
}

/// Takes out what is shorter than a share of a bit: a glitch and the edge back.
pub fn without_glitches(edges: Vec<Edge>, shortest: f64) -> Vec<Edge> {
    let mut kept: Vec<Edge> = Vec::with_capacity(edges.len());
    for edge in edges {
        match kept.last() {
            Some(last) if last.active == edge.active => {}
            Some(last) if edge.at - last.at < shortest => {
                kept.pop();
            }
            None if !edge.active => {}
            _ => kept.push(edge),
        }
    }
    kept
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn sliced(values: &[f32], piece: usize) -> Vec<Edge> {
        let mut slicer = Slicer::new(Thresholds::between(0.0, 2.0));
        values.chunks(piece).for_each(|c| slicer.push(c));
        slicer.finish()
    }

    #[test]
    fn an_edge_lies_where_the_line_crosses_the_middle() {
        // From 0 V at sample 2 to 2 V at sample 4: it crosses 1 V at sample 3, seen at 1.2 V above.
        let edges = sliced(&[0.0, 0.0, 0.0, 0.9, 2.0, 2.0, 0.0, 0.0], 100);
        // 0.9 to 2.0 crosses 1.0 at 3 + 0.1 / 1.1; 2.0 to 0.0 at 5.5.
        assert_eq!(edges.len(), 2);
        assert!((edges[0].at - (3.0 + 0.1 / 1.1)).abs() < 1e-6 && edges[0].active, "{edges:?}");
        assert!((edges[1].at - 5.5).abs() < 1e-6 && !edges[1].active, "{edges:?}");
    }

    #[test]
    fn what_stays_between_the_thresholds_is_no_edge() {
        assert!(sliced(&[0.0, 1.1, 0.9, 1.12, 0.0], 2).is_empty());
    }

    #[test]
    fn a_glitch_goes_with_the_edge_back() {
        let edge = |at, active| Edge { at, active };
        let all = vec![edge(10.0, true), edge(20.0, false), edge(20.5, true), edge(30.0, false)];
        assert_eq!(without_glitches(all, 2.0), [edge(10.0, true), edge(30.0, false)]);
    }

    proptest! {
        #[test]
        fn pieces_do_not_matter(values in prop::collection::vec(-1.0f32..3.0, 1..400), piece in 1usize..90) {
            prop_assert_eq!(sliced(&values, piece), sliced(&values, values.len()));
        }

        #[test]
        fn edges_alternate_and_rise_in_time(values in prop::collection::vec(-1.0f32..3.0, 0..400)) {
            let edges = sliced(&values, 64);
            prop_assert!(edges.windows(2).all(|w| w[0].active != w[1].active && w[0].at <= w[1].at));
            prop_assert!(edges.first().is_none_or(|e| e.active));
        }
    }
}
