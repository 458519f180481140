//! What differs from the healthy vehicle, packed into one piece of memory: tens of thousands of
//! hypotheses are kept for every state.
//!
//! Voltages are kept as differences in steps of a millivolt, well below what a meter shows; numbers
//! of things in 16 bits, or in 32 on a vehicle that has more than those can count. Where most nodes
//! differ they stand in an order in which those that hang together lie side by side, and a stretch
//! that differs by the same is kept once.

use circuit::NodeId;
use circuit::software::Verdict;
use vehicle::{MonitorIx, PartIx, TiSlice, TiVec, WireIx};

/// Step of a voltage, volts.
const STEP: f64 = 1e-3;

/// Differences, each list in rising order of its number.
#[derive(Debug, Clone, Default)]
pub(super) struct Loose {
    /// Every node's difference, by its place in the order, where most nodes differ, volts; `volts` is
    /// empty then.
    pub(super) all_volts: Option<Vec<f64>>,
    /// Nodes with their difference, volts.
    pub(super) volts: Vec<(NodeId, f64)>,
    /// Conductors with their current, amperes.
    pub(super) amps: Vec<(WireIx, f32)>,
    /// Parts with their effect.
    pub(super) effects: Vec<(PartIx, f32)>,
    /// Parts that work otherwise.
    pub(super) flipped: Vec<PartIx>,
    /// Parts that answer a tester otherwise.
    pub(super) silenced: Vec<PartIx>,
    /// Monitors with their verdict.
    pub(super) monitors: Vec<(MonitorIx, Verdict)>,
}

impl Loose {
    fn is_empty(&self) -> bool {
        self.all_volts.is_none()
            && self.volts.is_empty()
            && self.amps.is_empty()
            && self.effects.is_empty()
            && self.flipped.is_empty()
            && self.silenced.is_empty()
            && self.monitors.is_empty()
    }
}

/// An order of the nodes: those with the same voltage on the sound vehicle lie side by side, and so do
/// mostly those that move together.
#[derive(Debug, Clone, Default)]
pub(super) struct Order {
    /// Node at each place.
    pub(super) node: Vec<NodeId>,
    /// Place of each node.
    pub(super) place: TiVec<NodeId, u32>,
}

impl Order {
    pub(super) fn of(volts: &TiSlice<NodeId, f32>) -> Self {
        let mut node: Vec<NodeId> = volts.keys().collect();
        node.sort_by(|a, b| volts[*a].total_cmp(&volts[*b]).then(a.cmp(b)));
        let mut place: TiVec<NodeId, u32> = vec![0; volts.len()].into();
        for (at, n) in node.iter().enumerate() {
            place[*n] = at as u32;
        }
        Self { node, place }
    }
}

/// Where each stretch of the same difference begins, with its steps.
fn stretches(all: &[f64]) -> Vec<(u32, u16)> {
    let mut out: Vec<(u32, u16)> = Vec::new();
    for (at, volts) in all.iter().enumerate() {
        let steps = steps(*volts);
        if out.last().is_none_or(|(_, last)| *last != steps) {
            out.push((at as u32, steps));
        }
    }
    out
}

/// Sections in the order in which they lie.
const VOLTS: usize = 0;
const AMPS: usize = 1;
const EFFECTS: usize = 2;
const FLIPPED: usize = 3;
const SILENCED: usize = 4;
const MONITORS: usize = 5;
const SECTIONS: usize = 6;
/// Words of a value in each section.
const VALUE: [usize; SECTIONS] = [1, 2, 2, 0, 0, 1];
/// Words of the head: whether numbers are wide and voltages in stretches, then a length of two words
/// for each section.
const HEAD: usize = 1 + 2 * SECTIONS;
const WIDE: u16 = 1;
const STRETCHES: u16 = 2;

/// Differences in one piece of memory.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Packed(Box<[u16]>);

/// A section: where it begins, how many things it holds.
#[derive(Clone, Copy)]
struct Section {
    at: usize,
    count: usize,
}

fn steps(volts: f64) -> u16 {
    // As a float is cast: what is beyond the range is as far as it goes.
    ((volts / STEP).round() as i16) as u16
}

fn verdict_word(v: Verdict) -> u16 {
    match v {
        Verdict::NotRun => 0,
        Verdict::Passed => 1,
        Verdict::Failed => 2,
    }
}

impl Packed {
    /// Packs differences; nothing where there are none. `wide` where numbers do not fit 16 bits.
    pub(super) fn of(loose: &Loose, wide: bool) -> Option<Self> {
        if loose.is_empty() {
            return None;
        }
        let number = if wide { 2 } else { 1 };
        let in_stretches = loose.all_volts.is_some();
        let volts: Vec<(u32, u16)> = match &loose.all_volts {
            Some(all) => stretches(all),
            None => loose.volts.iter().map(|(n, v)| (n.0, steps(*v))).collect(),
        };
        let counts = [
            volts.len(),
            loose.amps.len(),
            loose.effects.len(),
            loose.flipped.len(),
            loose.silenced.len(),
            loose.monitors.len(),
        ];
        let length: usize = counts.iter().zip(VALUE).map(|(n, value)| n * (number + value)).sum();
        let mut out: Vec<u16> = Vec::with_capacity(HEAD + length);
        out.push(if wide { WIDE } else { 0 } | if in_stretches { STRETCHES } else { 0 });
        for count in counts {
            out.extend([count as u16, (count >> 16) as u16]);
        }
        let numbers = |out: &mut Vec<u16>, list: &mut dyn Iterator<Item = u32>| {
            for n in list {
                out.push(n as u16);
                if wide {
                    out.push((n >> 16) as u16);
                }
            }
        };
        let bits = |v: f32| [v.to_bits() as u16, (v.to_bits() >> 16) as u16];
        numbers(&mut out, &mut volts.iter().map(|x| x.0));
        out.extend(volts.iter().map(|x| x.1));
        numbers(&mut out, &mut loose.amps.iter().map(|x| x.0.0));
        out.extend(loose.amps.iter().flat_map(|x| bits(x.1)));
        numbers(&mut out, &mut loose.effects.iter().map(|x| x.0.0));
        out.extend(loose.effects.iter().flat_map(|x| bits(x.1)));
        numbers(&mut out, &mut loose.flipped.iter().map(|x| x.0));
        numbers(&mut out, &mut loose.silenced.iter().map(|x| x.0));
        numbers(&mut out, &mut loose.monitors.iter().map(|x| x.0.0));
        out.extend(loose.monitors.iter().map(|x| verdict_word(x.1)));
        Some(Self(out.into_boxed_slice()))
    }

    /// What it is made of.
    pub(super) fn words(&self) -> &[u16] {
        &self.0
    }

    /// Made of words; nothing where their number does not fit what they say.
    pub(super) fn from_words(words: Vec<u16>) -> Option<Self> {
        if words.len() < HEAD {
            return None;
        }
        let made = Self(words.into_boxed_slice());
        let end: usize =
            (0..SECTIONS).map(|s| made.count(s) * (made.number_words() + VALUE[s])).sum();
        (HEAD + end == made.0.len()).then_some(made)
    }

    /// Bytes it takes.
    pub(super) fn bytes(&self) -> usize {
        2 * self.0.len()
    }

    fn is_wide(&self) -> bool {
        self.0[0] & WIDE != 0
    }

    fn is_in_stretches(&self) -> bool {
        self.0[0] & STRETCHES != 0
    }

    /// Words of a number.
    fn number_words(&self) -> usize {
        if self.is_wide() { 2 } else { 1 }
    }

    fn count(&self, section: usize) -> usize {
        usize::from(self.0[1 + 2 * section]) | usize::from(self.0[2 + 2 * section]) << 16
    }

    fn section(&self, wanted: usize) -> Section {
        let before = (0..wanted).map(|s| self.count(s) * (self.number_words() + VALUE[s]));
        Section { at: HEAD + before.sum::<usize>(), count: self.count(wanted) }
    }

    fn number(&self, s: Section, k: usize) -> u32 {
        match self.is_wide() {
            true => {
                let at = s.at + 2 * k;
                u32::from(self.0[at]) | u32::from(self.0[at + 1]) << 16
            }
            false => u32::from(self.0[s.at + k]),
        }
    }

    /// Place in a section of the last number that is not above one.
    fn up_to(&self, s: Section, wanted: u32) -> Option<usize> {
        let (mut low, mut high) = (0, s.count);
        while low < high {
            let middle = usize::midpoint(low, high);
            match self.number(s, middle) <= wanted {
                true => low = middle + 1,
                false => high = middle,
            }
        }
        low.checked_sub(1)
    }

    /// Place of a number in a section.
    fn find(&self, s: Section, wanted: u32) -> Option<usize> {
        self.up_to(s, wanted).filter(|k| self.number(s, *k) == wanted)
    }

    fn volts_at(&self, s: Section, k: usize) -> f64 {
        let at = s.at + s.count * self.number_words() + k;
        f64::from(self.0[at] as i16) * STEP
    }

    fn float_at(&self, s: Section, k: usize) -> f32 {
        let at = s.at + s.count * self.number_words() + 2 * k;
        f32::from_bits(u32::from(self.0[at]) | u32::from(self.0[at + 1]) << 16)
    }

    fn verdict_at(&self, s: Section, k: usize) -> Verdict {
        match self.0[s.at + s.count * self.number_words() + k] {
            0 => Verdict::NotRun,
            1 => Verdict::Passed,
            _ => Verdict::Failed,
        }
    }

    fn numbers(&self, section: usize) -> impl Iterator<Item = u32> + '_ {
        let s = self.section(section);
        (0..s.count).map(move |k| self.number(s, k))
    }

    /// By how much a node's voltage differs, volts.
    pub(super) fn volts(&self, node: NodeId, order: &Order) -> f64 {
        let s = self.section(VOLTS);
        let k = match self.is_in_stretches() {
            true => self.up_to(s, order.place[node]),
            false => self.find(s, node.0),
        };
        k.map_or(0.0, |k| self.volts_at(s, k))
    }

    /// Current in a conductor that differs, amperes.
    pub(super) fn amps(&self, wire: WireIx) -> Option<f32> {
        let s = self.section(AMPS);
        self.find(s, wire.0).map(|k| self.float_at(s, k))
    }

    /// Effect of a part that differs.
    pub(super) fn effect(&self, part: PartIx) -> Option<f32> {
        let s = self.section(EFFECTS);
        self.find(s, part.0).map(|k| self.float_at(s, k))
    }

    /// Whether a part works otherwise.
    pub(super) fn is_flipped(&self, part: PartIx) -> bool {
        self.find(self.section(FLIPPED), part.0).is_some()
    }

    /// Whether a part answers a tester otherwise.
    pub(super) fn is_silenced(&self, part: PartIx) -> bool {
        self.find(self.section(SILENCED), part.0).is_some()
    }

    /// Verdict of a monitor that differs.
    pub(super) fn monitor(&self, monitor: MonitorIx) -> Option<Verdict> {
        let s = self.section(MONITORS);
        self.find(s, monitor.0).map(|k| self.verdict_at(s, k))
    }

    /// Every node that differs, with the difference, volts.
    pub(super) fn each_volts<'a>(
        &'a self,
        order: &'a Order,
    ) -> impl Iterator<Item = (NodeId, f64)> + 'a {
        let (s, in_stretches) = (self.section(VOLTS), self.is_in_stretches());
        let from = move |k: usize| self.number(s, k) as usize;
        (0..s.count).flat_map(move |k| {
            let to = match in_stretches {
                true if k + 1 < s.count => from(k + 1),
                true => order.node.len(),
                false => from(k) + 1,
            };
            let node =
                move |at: usize| if in_stretches { order.node[at] } else { NodeId::from(at) };
            (from(k)..to).map(move |at| (node(at), self.volts_at(s, k)))
        })
    }

    /// Every conductor whose current differs, with the current, amperes.
    pub(super) fn each_amps(&self) -> impl Iterator<Item = (WireIx, f32)> + '_ {
        let s = self.section(AMPS);
        (0..s.count).map(move |k| (WireIx(self.number(s, k)), self.float_at(s, k)))
    }

    /// Parts that answer a tester otherwise.
    pub(super) fn silenced(&self) -> Vec<PartIx> {
        self.numbers(SILENCED).map(PartIx).collect()
    }

    /// Monitors with another verdict.
    pub(super) fn monitors(&self) -> Vec<(MonitorIx, Verdict)> {
        let s = self.section(MONITORS);
        (0..s.count).map(|k| (MonitorIx(self.number(s, k)), self.verdict_at(s, k))).collect()
    }

    /// The same with other parts silent and other verdicts; nothing where nothing differs any more.
    pub(super) fn with(
        this: Option<&Self>,
        silenced: Vec<PartIx>,
        monitors: Vec<(MonitorIx, Verdict)>,
        order: &Order,
        wide: bool,
    ) -> Option<Self> {
        let mut loose = Loose { silenced, monitors, ..Loose::default() };
        if let Some(p) = this {
            let volts = p.each_volts(order);
            match p.is_in_stretches() {
                // They come in the order they are kept in.
                true => loose.all_volts = Some(volts.map(|x| x.1).collect()),
                false => loose.volts = volts.collect(),
            }
            loose.amps = p.each_amps().collect();
            let s = p.section(EFFECTS);
            loose.effects =
                (0..s.count).map(|k| (PartIx(p.number(s, k)), p.float_at(s, k))).collect();
            loose.flipped = p.numbers(FLIPPED).map(PartIx).collect();
        }
        Self::of(&loose, wide)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeMap;

    fn numbers(wide: bool) -> std::ops::Range<u32> {
        if wide { 0..200_000 } else { 0..60_000 }
    }

    fn verdict() -> impl Strategy<Value = Verdict> {
        prop_oneof![Just(Verdict::NotRun), Just(Verdict::Passed), Just(Verdict::Failed)]
    }

    fn lists() -> impl Strategy<Value = (bool, Loose)> {
        any::<bool>().prop_flat_map(|wide| {
            let n = move || numbers(wide);
            let map = |values| proptest::collection::btree_map(n(), values, 0..12);
            (
                Just(wide),
                map((-30.0f64..30.0).boxed()),
                proptest::collection::btree_map(n(), -400.0f32..400.0, 0..12),
                proptest::collection::btree_map(n(), 0.0f32..1.0, 0..6),
                proptest::collection::btree_set(n(), 0..6),
                proptest::collection::btree_set(n(), 0..6),
                proptest::collection::btree_map(n(), verdict(), 0..6),
                proptest::option::of(proptest::collection::vec(
                    prop_oneof![Just(0.0), Just(-12.5), -30.0f64..30.0],
                    1..60,
                )),
            )
                .prop_map(
                    |(wide, volts, amps, effects, flipped, silenced, monitors, all)| {
                        fn list<K: From<usize>, V>(m: BTreeMap<u32, V>) -> Vec<(K, V)> {
                            m.into_iter().map(|(k, v)| (K::from(k as usize), v)).collect()
                        }
                        let volts = if all.is_some() { BTreeMap::new() } else { volts };
                        let loose = Loose {
                            all_volts: all,
                            volts: list(volts),
                            amps: list(amps),
                            effects: list(effects),
                            flipped: flipped.into_iter().map(PartIx).collect(),
                            silenced: silenced.into_iter().map(PartIx).collect(),
                            monitors: list(monitors),
                        };
                        (wide, loose)
                    },
                )
        })
    }

    proptest! {
        #[test]
        fn what_is_packed_comes_out_again((wide, loose) in lists()) {
            let Some(p) = Packed::of(&loose, wide) else {
                prop_assert!(loose.is_empty());
                return Ok(());
            };
            let nodes = loose.all_volts.as_ref().map_or(200_000, Vec::len);
            let order = Order::of(&(0..nodes).map(|n| (n * 7 % 13) as f32).collect::<TiVec<NodeId, _>>());
            for (at, v) in loose.all_volts.iter().flatten().enumerate() {
                prop_assert!((p.volts(order.node[at], &order) - v).abs() <= 0.51 * STEP);
            }
            for (n, v) in &loose.volts {
                prop_assert!((p.volts(*n, &order) - v).abs() <= 0.51 * STEP);
            }
            for (n, a) in &loose.amps {
                prop_assert_eq!(p.amps(*n), Some(*a));
            }
            for (n, e) in &loose.effects {
                prop_assert_eq!(p.effect(*n), Some(*e));
            }
            for n in &loose.flipped {
                prop_assert!(p.is_flipped(*n));
            }
            prop_assert_eq!(p.silenced(), loose.silenced.clone());
            prop_assert_eq!(p.monitors(), loose.monitors.clone());
            for (m, v) in &loose.monitors {
                prop_assert_eq!(p.monitor(*m), Some(*v));
            }
            // What is not there differs in nothing.
            prop_assert_eq!(p.amps(WireIx(199_999)), loose.amps.iter().find(|x| x.0.0 == 199_999).map(|x| x.1));
            // Other silences leave the rest as it was.
            let other = Packed::with(Some(&p), vec![PartIx(7)], Vec::new(), &order, wide).unwrap();
            prop_assert_eq!(other.silenced(), vec![PartIx(7)]);
            let same: Vec<_> = p.each_volts(&order).zip(other.each_volts(&order)).collect();
            prop_assert_eq!(same.len(), p.each_volts(&order).count());
            prop_assert!(same.iter().all(|(a, b)| a.0 == b.0 && (a.1 - b.1).abs() < 1e-9));
            prop_assert!(p.each_amps().eq(other.each_amps()));
        }
    }

    #[test]
    fn what_is_beyond_the_range_is_as_far_as_it_goes() {
        let loose = Loose { volts: vec![(NodeId(3), 400.0)], ..Loose::default() };
        let p = Packed::of(&loose, false).unwrap();
        let order = Order::of(TiSlice::from_ref(&[0.0; 5]));
        assert!((p.volts(NodeId(3), &order) - 32.767).abs() < 1e-9);
        assert_eq!(p.volts(NodeId(4), &order), 0.0);
    }
}
