//! What a hypothesis predicts in a state, kept small: only what differs from the healthy vehicle.

use circuit::software::{Verdict, View};
use circuit::{Circuit, Point, Solution, software};
use std::collections::BTreeSet;
use std::sync::Arc;

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
    pub volts: Vec<f32>,
    /// Current in each conductor, amperes.
    pub amps: Vec<f32>,
    /// Effect of each part, where it has one.
    pub effects: Vec<Option<f32>>,
    /// Parts that have one.
    showing: Vec<u32>,
    /// Whether each part works as a module.
    pub alive: Vec<bool>,
    /// Verdict of each monitor.
    pub monitors: Vec<Verdict>,
    /// Parts that work and still do not answer, in rising order.
    pub deaf: Vec<u32>,
    /// Outputs asked for.
    asked: BTreeSet<usize>,
}

impl Healthy {
    /// Everything of a solution; `deaf` are the parts that work and do not answer.
    pub fn of(circuit: &Circuit, s: &Solution, deaf: &[u32]) -> Self {
        let parts = 0..circuit.vehicle.parts.len();
        let effects: Vec<Option<f32>> =
            parts.clone().map(|p| s.effect(circuit, p).map(|e| e as f32)).collect();
        Self {
            showing: parts.filter(|p| effects[*p].is_some()).map(|p| p as u32).collect(),
            volts: s.volts.iter().map(|v| *v as f32).collect(),
            amps: circuit.wire_branch.iter().map(|k| s.amps(circuit, *k) as f32).collect(),
            effects,
            alive: s.alive_parts(circuit),
            monitors: software::monitors(circuit, s, deaf),
            deaf: deaf.to_vec(),
            asked: s.asked.clone(),
        }
    }
}

impl Healthy {
    /// Whether a part answers a tester.
    pub fn answers(&self, part: usize) -> bool {
        self.alive[part] && self.deaf.binary_search(&(part as u32)).is_err()
    }
}

/// What one hypothesis predicts: the healthy vehicle and what differs.
#[derive(Debug, Clone)]
pub struct Snapshot {
    healthy: Arc<Healthy>,
    changed: Option<Box<Changed>>,
}

/// Differences, each list in rising order of its number.
#[derive(Debug, Clone, Default)]
struct Changed {
    all_volts: Option<Vec<f32>>,
    volts: Vec<(u32, f32)>,
    amps: Vec<(u32, f32)>,
    effects: Vec<(u32, f32)>,
    flipped: Vec<u32>,
    /// Parts that answer a tester otherwise.
    silenced: Vec<u32>,
    monitors: Vec<(u32, Verdict)>,
}

fn find<T: Copy>(list: &[(u32, T)], at: usize) -> Option<T> {
    list.binary_search_by_key(&(at as u32), |x| x.0).ok().map(|k| list[k].1)
}

impl Snapshot {
    /// The healthy vehicle itself.
    pub fn healthy(healthy: &Arc<Healthy>) -> Self {
        Self { healthy: Arc::clone(healthy), changed: None }
    }

    /// Keeps what differs at a solved point.
    pub fn of(circuit: &Circuit, healthy: &Arc<Healthy>, p: &Point<'_>) -> Self {
        let mut c = Changed::default();
        let differs = |n: u32| {
            let v = p.volts[n as usize];
            let old = f64::from(healthy.volts[n as usize]);
            ((v - old).abs() > SAME_VOLTS).then_some((n, v as f32))
        };
        match p.moved() {
            Some(moved) => c.volts = moved.iter().filter_map(|n| differs(*n)).collect(),
            None => c.volts = (0..circuit.nodes as u32).filter_map(differs).collect(),
        }
        if c.volts.len() * DENSE > circuit.nodes {
            c.all_volts = Some(p.volts.iter().map(|v| *v as f32).collect());
            c.volts = Vec::new();
        }
        c.volts.sort_unstable_by_key(|x| x.0);
        for (w, k) in circuit.wire_branch.iter().enumerate() {
            let b = &circuit.branches[*k];
            if p.moved().is_some() && !p.is_visited(b.from) && !p.is_visited(b.to) {
                continue;
            }
            let (amps, old) = (p.amps(*k), f64::from(healthy.amps[w]));
            if (amps - old).abs() > SAME_AMPS {
                c.amps.push((w as u32, amps as f32));
            }
        }
        for part in healthy.showing.iter().map(|part| *part as usize) {
            if p.may_show(part)
                && let (Some(old), Some(now)) = (healthy.effects[part], p.effect(part))
                && (f64::from(old) - now).abs() > 1e-3
            {
                c.effects.push((part as u32, now as f32));
            }
        }
        for (part, (old, now)) in healthy.alive.iter().zip(p.alive).enumerate() {
            if old != now {
                c.flipped.push(part as u32);
            }
        }
        // Who works is reached as before, until somebody says otherwise.
        c.silenced =
            c.flipped.iter().copied().filter(|f| healthy.deaf.binary_search(f).is_err()).collect();
        for (m, (old, now)) in healthy
            .monitors
            .iter()
            .zip(circuit.software.monitors(p.view(&healthy.deaf)))
            .enumerate()
        {
            if *old != now {
                c.monitors.push((m as u32, now));
            }
        }
        let nothing = c.all_volts.is_none()
            && c.volts.is_empty()
            && c.amps.is_empty()
            && c.effects.is_empty()
            && c.flipped.is_empty()
            && c.silenced.is_empty()
            && c.monitors.is_empty();
        Self { healthy: Arc::clone(healthy), changed: (!nothing).then(|| Box::new(c)) }
    }

    /// Voltage of a node, volts.
    pub fn volts(&self, node: usize) -> f64 {
        let own = self.changed.as_ref().and_then(|c| match &c.all_volts {
            Some(all) => Some(all[node]),
            None => find(&c.volts, node),
        });
        f64::from(own.unwrap_or(self.healthy.volts[node]))
    }

    /// Volts between two nodes.
    pub fn between(&self, a: usize, b: usize) -> f64 {
        self.volts(a) - self.volts(b)
    }

    /// Current in a conductor, by its number, amperes.
    pub fn amps(&self, wire: usize) -> f64 {
        let own = self.changed.as_ref().and_then(|c| find(&c.amps, wire));
        f64::from(own.unwrap_or(self.healthy.amps[wire]))
    }

    /// Effect of a part.
    pub fn effect(&self, part: usize) -> Option<f64> {
        let own = self.changed.as_ref().and_then(|c| find(&c.effects, part));
        own.or(self.healthy.effects[part]).map(f64::from)
    }

    /// Whether a part works as a module.
    pub fn alive(&self, part: usize) -> bool {
        let flipped =
            self.changed.as_ref().is_some_and(|c| c.flipped.binary_search(&(part as u32)).is_ok());
        self.healthy.alive[part] != flipped
    }

    /// Says which parts work and still do not answer, in rising order; what other modules make of
    /// their silence follows.
    pub fn set_deaf(&mut self, circuit: &Circuit, deaf: &[u32]) {
        let differs = |part: &u32| {
            let is_deaf = deaf.binary_search(part).is_ok();
            let answers = self.alive(*part as usize) && !is_deaf;
            answers != self.healthy.answers(*part as usize)
        };
        let silenced: Vec<u32> = (0..self.healthy.alive.len() as u32).filter(differs).collect();
        match &mut self.changed {
            Some(changed) => changed.silenced = silenced,
            None if silenced.is_empty() => {}
            slot => *slot = Some(Box::new(Changed { silenced, ..Changed::default() })),
        }
        if deaf != self.healthy.deaf {
            self.listen(circuit, deaf);
        }
    }

    /// Judges the monitors anew that look at what arrives over a bus.
    fn listen(&mut self, circuit: &Circuit, deaf: &[u32]) {
        let volts: Vec<f64> = (0..self.healthy.volts.len()).map(|n| self.volts(n)).collect();
        let alive: Vec<bool> = (0..self.healthy.alive.len()).map(|p| self.alive(p)).collect();
        let view = View { volts: &volts, alive: &alive, asked: &self.healthy.asked, deaf };
        let anew: Vec<(usize, Verdict)> = circuit.software.listening(view).collect();
        let changed = self.changed.get_or_insert_default();
        let is_anew = |m: u32| anew.iter().any(|(k, _)| *k == m as usize);
        changed.monitors.retain(|(m, _)| !is_anew(*m));
        let differs = anew.iter().filter(|(k, v)| self.healthy.monitors[*k] != *v);
        changed.monitors.extend(differs.map(|(k, v)| (*k as u32, *v)));
        changed.monitors.sort_unstable_by_key(|x| x.0);
    }

    /// Whether a part answers a tester.
    pub fn answers(&self, part: usize) -> bool {
        let differs =
            self.changed.as_ref().is_some_and(|c| c.silenced.binary_search(&(part as u32)).is_ok());
        self.healthy.answers(part) != differs
    }

    /// Verdict of a monitor.
    pub fn monitor(&self, monitor: usize) -> Verdict {
        let own = self.changed.as_ref().and_then(|c| find(&c.monitors, monitor));
        own.unwrap_or(self.healthy.monitors[monitor])
    }

    /// Whether it differs from the healthy vehicle at all.
    pub fn differs(&self) -> bool {
        self.changed.is_some()
    }

    /// Every node whose voltage differs, with the difference, volts.
    pub fn each_moved(&self, mut tell: impl FnMut(usize, f64)) {
        let Some(c) = &self.changed else { return };
        let sound = |n: usize| f64::from(self.healthy.volts[n]);
        match &c.all_volts {
            Some(all) => {
                for (n, v) in all.iter().enumerate() {
                    tell(n, f64::from(*v) - sound(n));
                }
            }
            None => {
                for (n, v) in &c.volts {
                    tell(*n as usize, f64::from(*v) - sound(*n as usize));
                }
            }
        }
    }

    /// Every conductor whose current differs, with the difference, amperes.
    pub fn each_loaded(&self, mut tell: impl FnMut(usize, f64)) {
        for (w, amps) in self.changed.iter().flat_map(|c| &c.amps) {
            tell(*w as usize, f64::from(*amps) - f64::from(self.healthy.amps[*w as usize]));
        }
    }

    /// Monitors with another verdict than on a sound vehicle, and parts that answer a tester otherwise.
    pub fn software(&self) -> (&[(u32, Verdict)], &[u32]) {
        match &self.changed {
            Some(c) => (&c.monitors, &c.silenced),
            None => (&[], &[]),
        }
    }
}
