//! The stand-in scope: what the lines of a bus do while its members send, made from the solved circuit with
//! what is hidden in it. Every sender has the levels that the circuit gives it at the probes; who hears
//! whom decides about acknowledging and error frames; resistance and capacitance of the lines make the
//! edges, a missing terminator the ringing.

mod can;
mod lin;
mod noise;

use bus::trace::{Channel, Trace};
use circuit::bus_lines::{bit, bus_lines};
use circuit::{Change, Circuit, NodeId, Solution};
use serde::Deserialize;
use std::sync::Arc;
use vehicle::OperatingState;

/// Most channels, and most samples of each.
pub(crate) const CHANNELS: usize = 4;
pub(crate) const SAMPLES: usize = 20_000_000;
/// Longest sweep, seconds.
pub(crate) const SECONDS: f64 = 2.0;

/// Where a channel's probe sits, and its ground lead.
#[derive(Debug, Clone, Deserialize)]
pub(crate) struct Probed {
    pub red: String,
    #[serde(default)]
    pub black: String,
}

/// What a capture is made from: the vehicle as it stands for a moment.
#[derive(Debug)]
pub(crate) struct Scene {
    pub circuit: Arc<Circuit>,
    pub state: OperatingState,
    pub changes: Vec<Change>,
    pub probes: Vec<Probed>,
    pub seed: u64,
}

/// A sweep.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Sweep {
    pub seconds: f64,
    pub samples: usize,
}

/// A scene with the nodes of its probes and its resting point.
struct Set<'s> {
    scene: &'s Scene,
    rest: Solution,
    /// Probe and ground lead of each channel.
    at: Vec<[NodeId; 2]>,
}

impl Set<'_> {
    /// What each channel shows at a solved point, volts.
    fn shown(&self, s: &Solution) -> Vec<f64> {
        self.at.iter().map(|[red, black]| s.volts[*red] - s.volts[*black]).collect()
    }

    /// Whether what is hidden keeps a transceiver from sending.
    fn is_silent(&self, device: circuit::DeviceIx) -> bool {
        self.scene.changes.iter().any(|c| matches!(c, Change::Hold(d, 0) if *d == device))
    }

    /// The point with a device held in a mode.
    fn held(&self, more: &[Change]) -> Solution {
        let all: Vec<Change> = self.scene.changes.iter().chain(more).copied().collect();
        self.scene.circuit.solve_lacking(&self.scene.state, &all, None, &self.rest.lost)
    }
}

/// A capture of the scene.
///
/// # Errors
/// In words, when a probe does not sit anywhere.
pub(crate) fn capture(scene: &Scene, sweep: Sweep) -> Result<Trace, String> {
    let c = &scene.circuit;
    let node = |id: &str| {
        let id = if id.is_empty() { c.reference.as_str() } else { id };
        c.node(id).map_err(|e| e.to_string())
    };
    let at = scene
        .probes
        .iter()
        .map(|p| Ok([node(&p.red)?, node(&p.black)?]))
        .collect::<Result<Vec<_>, String>>()?;
    if at.is_empty() {
        return Err("no probe is placed".to_owned());
    }
    let rest = circuit::hearing::solve(c, &scene.state, &scene.changes);
    let set = Set { scene, rest, at };
    let on = bus_lines(c);
    let step_s = sweep.seconds / sweep.samples as f64;
    let mut channels: Vec<Option<Vec<f32>>> = vec![None; set.at.len()];
    for (number, b) in c.vehicle.buses.iter().enumerate() {
        let own: Vec<usize> =
            (0..set.at.len()).filter(|k| on[set.at[*k][0]] & bit(number) != 0).collect();
        if own.is_empty() {
            continue;
        }
        let drawn = match b.kind {
            vehicle::BusKind::Lin => lin::draw(&set, b, &own, sweep),
            _ => can::draw(&set, b, &own, sweep),
        };
        for (k, volts) in own.into_iter().zip(drawn) {
            channels[k] = Some(volts);
        }
    }
    let flat = set.shown(&set.rest);
    let channels = channels.into_iter().enumerate().map(|(k, drawn)| {
        let mut volts = drawn.unwrap_or_else(|| vec![flat[k] as f32; sweep.samples]);
        noise::add(&mut volts, scene.seed.wrapping_add(k as u64));
        Channel { name: scene.probes[k].red.clone(), volts }
    });
    Ok(Trace { start_s: 0.0, step_s, channels: channels.collect() })
}
