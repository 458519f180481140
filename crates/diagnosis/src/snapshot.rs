//! What a hypothesis predicts in a state, kept small: only what differs from the healthy vehicle.

mod packed;

use crate::bytes;
use circuit::hearing::Unheard;
use circuit::software::{ArrivalIx, Verdict, View};
use circuit::{Circuit, NodeId, Point, Solution, software};
use packed::{Loose, Order, Packed};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use vehicle::{MonitorIx, OutputIx, PartIx, SignalIx, TiSlice, TiVec, WireIx};

/// Below this a voltage counts as the healthy one, volts: a quarter of a meter's last digit.
const SAME_VOLTS: f64 = 0.0025;
/// Below this and this share a current counts as the healthy one, amperes.
const SAME_AMPS: f64 = 0.005;
/// Share of the nodes from which on all of them are kept.
const DENSE: usize = 3;

/// Everything predicted with nothing wrong.
#[derive(Debug, Clone)]
pub struct Healthy {
    /// Node voltages, volts.
    pub volts: TiVec<NodeId, f32>,
    /// Current in each conductor, amperes.
    pub amps: TiVec<WireIx, f32>,
    /// Effect of each part, where it has one.
    pub effects: TiVec<PartIx, Option<f32>>,
    /// Parts that have one.
    showing: Vec<PartIx>,
    /// Whether each part works as a module.
    pub alive: TiVec<PartIx, bool>,
    /// Verdict of each monitor.
    pub monitors: TiVec<MonitorIx, Verdict>,
    /// Who works and still does not answer, and what does not arrive.
    pub unheard: Unheard,
    /// Outputs asked for.
    asked: BTreeSet<OutputIx>,
    /// How much of the time those are on that a tester set so, percent.
    percent: BTreeMap<OutputIx, f64>,
    order: Order,
}

impl Healthy {
    /// Everything of a solution, with who works and does not answer.
    pub fn of(circuit: &Circuit, s: &Solution, unheard: &Unheard) -> Self {
        let parts = circuit.vehicle.parts.keys();
        let effects: TiVec<PartIx, Option<f32>> =
            parts.clone().map(|p| s.effect(circuit, p).map(|e| e as f32)).collect();
        let volts: TiVec<NodeId, f32> = s.volts.iter().map(|v| *v as f32).collect();
        Self {
            order: Order::of(&volts),
            showing: parts.filter(|p| effects[*p].is_some()).collect(),
            volts,
            amps: circuit.wire_branch.iter().map(|k| s.amps(circuit, *k) as f32).collect(),
            effects,
            alive: s.alive_parts(circuit),
            monitors: software::monitors(circuit, s, &unheard.lost),
            unheard: unheard.clone(),
            asked: s.asked.clone(),
            percent: s.percent.clone(),
        }
    }
}

impl Healthy {
    /// Whether a part answers a tester.
    pub fn answers(&self, part: PartIx) -> bool {
        self.alive[part] && !self.unheard.has(part)
    }
}

/// What one hypothesis predicts: the healthy vehicle and what differs.
#[derive(Debug, Clone)]
pub struct Snapshot {
    healthy: Arc<Healthy>,
    changed: Option<Packed>,
}

impl Healthy {
    /// Numbers of its things need more than 16 bits.
    fn is_wide(&self) -> bool {
        let most = self.volts.len().max(self.amps.len()).max(self.monitors.len());
        most.max(self.alive.len()) > usize::from(u16::MAX)
    }
}

impl Snapshot {
    /// The healthy vehicle itself.
    pub fn healthy(healthy: &Arc<Healthy>) -> Self {
        Self { healthy: Arc::clone(healthy), changed: None }
    }

    /// Keeps what differs at a solved point.
    pub fn of(circuit: &Circuit, healthy: &Arc<Healthy>, p: &Point<'_>) -> Self {
        let mut c = Loose::default();
        let by = |n: NodeId| p.volts[n] - f64::from(healthy.volts[n]);
        let differs = |n: NodeId| {
            let by = by(n);
            (by.abs() > SAME_VOLTS).then_some((n, by))
        };
        match p.moved() {
            Some(moved) => c.volts = moved.iter().filter_map(|n| differs(*n)).collect(),
            None => c.volts = healthy.volts.keys().filter_map(differs).collect(),
        }
        if c.volts.len() * DENSE > circuit.nodes {
            c.all_volts = Some(healthy.order.node.iter().map(|n| by(*n)).collect());
            c.volts = Vec::new();
        }
        c.volts.sort_unstable_by_key(|x| x.0);
        for (w, k) in circuit.wire_branch.iter_enumerated() {
            let b = &circuit.branches[*k];
            if p.moved().is_some() && !p.is_visited(b.from) && !p.is_visited(b.to) {
                continue;
            }
            let (amps, old) = (p.amps(*k), f64::from(healthy.amps[w]));
            if (amps - old).abs() > SAME_AMPS {
                c.amps.push((w, amps as f32));
            }
        }
        for part in healthy.showing.iter().copied() {
            if p.may_show(part)
                && let (Some(old), Some(now)) = (healthy.effects[part], p.effect(part))
                && (f64::from(old) - now).abs() > 1e-3
            {
                c.effects.push((part, now as f32));
            }
        }
        for (part, old) in healthy.alive.iter_enumerated() {
            if *old != p.alive[part] {
                c.flipped.push(part);
            }
        }
        // Who works is reached as before, until somebody says otherwise.
        c.silenced = c.flipped.iter().copied().filter(|f| !healthy.unheard.has(*f)).collect();
        for (m, now) in
            circuit.software.monitors(p.view(&healthy.unheard.lost)).into_iter_enumerated()
        {
            if healthy.monitors[m] != now {
                c.monitors.push((m, now));
            }
        }
        Self { changed: Packed::of(&c, healthy.is_wide()), healthy: Arc::clone(healthy) }
    }

    /// Writes what differs.
    pub(crate) fn save(&self, out: &mut Vec<u8>) {
        let words = self.changed.as_ref().map_or(&[][..], Packed::words);
        bytes::put(out, words.len());
        out.extend(words.iter().flat_map(|w| w.to_le_bytes()));
    }

    /// Reads what was written; nothing where it is damaged.
    pub(crate) fn load(healthy: &Arc<Healthy>, from: &mut &[u8]) -> Option<Self> {
        let count = bytes::take(from)?;
        let (words, rest) = from.split_at_checked(2 * count)?;
        *from = rest;
        let changed = match count {
            0 => None,
            _ => {
                let words = words.chunks_exact(2).map(|w| u16::from_le_bytes([w[0], w[1]]));
                Some(Packed::from_words(words.collect())?)
            }
        };
        Some(Self { healthy: Arc::clone(healthy), changed })
    }

    /// Passes over what was written.
    pub(crate) fn skip(from: &mut &[u8]) -> Option<()> {
        let count = bytes::take(from)?;
        *from = from.split_at_checked(2 * count)?.1;
        Some(())
    }

    /// Bytes it takes beside the healthy vehicle.
    pub fn bytes(&self) -> usize {
        self.changed.as_ref().map_or(0, Packed::bytes)
    }

    /// Voltage of a node, volts.
    pub fn volts(&self, node: NodeId) -> f64 {
        let by = self.changed.as_ref().map_or(0.0, |c| c.volts(node, &self.healthy.order));
        f64::from(self.healthy.volts[node]) + by
    }

    /// Volts between two nodes.
    pub fn between(&self, a: NodeId, b: NodeId) -> f64 {
        self.volts(a) - self.volts(b)
    }

    /// Current in a conductor, by its number, amperes.
    pub fn amps(&self, wire: WireIx) -> f64 {
        let own = self.changed.as_ref().and_then(|c| c.amps(wire));
        f64::from(own.unwrap_or(self.healthy.amps[wire]))
    }

    /// Effect of a part.
    pub fn effect(&self, part: PartIx) -> Option<f64> {
        let own = self.changed.as_ref().and_then(|c| c.effect(part));
        own.or(self.healthy.effects[part]).map(f64::from)
    }

    /// Whether a part works as a module.
    pub fn alive(&self, part: PartIx) -> bool {
        let flipped = self.changed.as_ref().is_some_and(|c| c.is_flipped(part));
        self.healthy.alive[part] != flipped
    }

    /// Says who works and still does not answer, and what does not arrive; what other modules make of
    /// that follows.
    pub fn set_unheard(&mut self, circuit: &Circuit, unheard: &Unheard) {
        let differs = |part: &PartIx| {
            let is_deaf = unheard.has(*part);
            let answers = self.alive(*part) && !is_deaf;
            answers != self.healthy.answers(*part)
        };
        let silenced: Vec<PartIx> = self.healthy.alive.keys().filter(differs).collect();
        let monitors = match unheard.lost == self.healthy.unheard.lost {
            true => self.changed.as_ref().map_or_else(Vec::new, Packed::monitors),
            false => self.listen(circuit, &unheard.lost),
        };
        let wide = self.healthy.is_wide();
        self.changed =
            Packed::with(self.changed.as_ref(), silenced, monitors, &self.healthy.order, wide);
    }

    /// What the software looks at; what is asked for as on the sound vehicle.
    fn view<'a>(
        &'a self,
        volts: &'a TiSlice<NodeId, f64>,
        alive: &'a TiSlice<PartIx, bool>,
        lost: &'a [ArrivalIx],
    ) -> View<'a> {
        let Healthy { asked, percent, .. } = &*self.healthy;
        View { volts, alive, asked, percent, lost }
    }

    /// The monitors that differ, with those judged anew that look at what arrives over a bus.
    fn listen(&self, circuit: &Circuit, lost: &[ArrivalIx]) -> Vec<(MonitorIx, Verdict)> {
        let volts: TiVec<NodeId, f64> = self.healthy.volts.keys().map(|n| self.volts(n)).collect();
        let alive: TiVec<PartIx, bool> = self.healthy.alive.keys().map(|p| self.alive(p)).collect();
        let view = self.view(&volts, &alive, lost);
        let anew: Vec<(MonitorIx, Verdict)> = circuit.software.listening(view).collect();
        let mut monitors = self.changed.as_ref().map_or_else(Vec::new, Packed::monitors);
        monitors.retain(|(m, _)| anew.iter().all(|(k, _)| k != m));
        let differs = anew.iter().filter(|(k, v)| self.healthy.monitors[*k] != *v);
        monitors.extend(differs.map(|(k, v)| (*k, *v)));
        monitors.sort_unstable_by_key(|x| x.0);
        monitors
    }

    /// Whether a part answers a tester.
    pub fn answers(&self, part: PartIx) -> bool {
        let differs = self.changed.as_ref().is_some_and(|c| c.is_silenced(part));
        self.healthy.answers(part) != differs
    }

    /// Value of every signal, each in its unit; what arrives over a bus as on the sound vehicle.
    pub fn signals(&self, circuit: &Circuit) -> TiVec<SignalIx, f64> {
        let volts: TiVec<NodeId, f64> = self.healthy.volts.keys().map(|n| self.volts(n)).collect();
        let alive: TiVec<PartIx, bool> = self.healthy.alive.keys().map(|p| self.alive(p)).collect();
        let lost = &self.healthy.unheard.lost;
        let view = self.view(&volts, &alive, lost);
        circuit.vehicle.signals.keys().map(|k| circuit.software.signal(view, k)).collect()
    }

    /// Verdict of a monitor.
    pub fn monitor(&self, monitor: MonitorIx) -> Verdict {
        let own = self.changed.as_ref().and_then(|c| c.monitor(monitor));
        own.unwrap_or(self.healthy.monitors[monitor])
    }

    /// Whether it differs from the healthy vehicle at all.
    pub fn differs(&self) -> bool {
        self.changed.is_some()
    }

    /// Every node whose voltage differs, with the difference, volts.
    pub fn each_moved(&self, mut tell: impl FnMut(NodeId, f64)) {
        let changed = self.changed.iter();
        for (n, by) in changed.flat_map(|c| c.each_volts(&self.healthy.order)) {
            tell(n, by);
        }
    }

    /// Every conductor whose current differs, with the difference, amperes.
    pub fn each_loaded(&self, mut tell: impl FnMut(WireIx, f64)) {
        for (w, amps) in self.changed.iter().flat_map(Packed::each_amps) {
            tell(w, f64::from(amps) - f64::from(self.healthy.amps[w]));
        }
    }

    /// Monitors with another verdict than on a sound vehicle, and parts that answer a tester otherwise.
    pub fn software(&self) -> (Vec<(MonitorIx, Verdict)>, Vec<PartIx>) {
        match &self.changed {
            Some(c) => (c.monitors(), c.silenced()),
            None => (Vec::new(), Vec::new()),
        }
    }
}
