//! How far a node may move before somebody has to look.

use crate::compile::{Circuit, NodeId};
use crate::elements::Seen;
use crate::law::Law;
use crate::linear::{Factor, STILL_VOLTS};
use crate::solve::Solution;
use vehicle::{OperatingState, TiVec};

/// How far a bent law may stray from its linearisation, amperes and as a share of its current.
pub(super) const STRAY_AMPS: f64 = 1e-13;
pub(super) const STRAY: f64 = 1e-5;

/// How far each node may move before a device on it could change its mode, or a bent law stray
/// from its linearisation, volts; and how far before it has to be looked at although nothing near
/// it changed. The two differ for bent laws: near a change a node may have lost what held it, and
/// the current that a law strays by counts for itself; elsewhere it counts for the voltage it makes.
pub(super) fn margins(
    c: &Circuit,
    state: &OperatingState,
    base: &Solution,
    factor: &mut Factor,
) -> (TiVec<NodeId, f64>, TiVec<NodeId, f64>) {
    let mut margins: TiVec<NodeId, f64> = vec![f64::INFINITY; c.nodes].into();
    let mut reaches = margins.clone();
    factor.begin(&c.plan, margins.raw.clone(), &reaches.raw);
    let alive = base.alive_parts(c);
    let bus_awake = c.software.bus_awake(&alive, &c.woken_by_bus);
    for (d, placed) in c.devices.iter_enumerated() {
        let volts: Vec<f64> = placed
            .branches
            .iter()
            .map(|k| base.volts[c.branches[*k].from] - base.volts[c.branches[*k].to])
            .collect();
        let amps: Vec<f64> = placed.branches.iter().map(|k| base.amps(c, *k)).collect();
        let seen = Seen {
            volts: &volts,
            amps: &amps,
            alive: alive[placed.part],
            asked: &base.asked,
            bus_awake: bus_awake[placed.part],
            state,
        };
        let margin = placed.device.margin(base.modes[d], &seen).max(0.0);
        for (k, v) in placed.branches.iter().zip(&volts) {
            let b = &c.branches[*k];
            let (bent, far) = match base.laws[*k] {
                law if law.is_linear() => (f64::INFINITY, f64::INFINITY),
                law => {
                    let ohms = factor.answer(&c.plan, b.from, b.to);
                    (slack(law, *v, 0.0), slack(law, *v, STILL_VOLTS / ohms))
                }
            };
            // Both ends of a branch may move against each other.
            for n in [b.from, b.to] {
                margins[n] = margins[n].min(0.5 * margin.min(bent));
                reaches[n] = reaches[n].min(0.5 * margin.min(far));
            }
        }
    }
    let view = base.view(&alive, &[]);
    for (n, margin) in c.software.margins(view) {
        margins[n] = margins[n].min(0.5 * margin);
        reaches[n] = reaches[n].min(0.5 * margin);
    }
    (margins, reaches)
}

/// How far the voltage of a bent law may move before it strays from its linearisation by more
/// than a current (amperes) or what is tolerated everywhere, volts.
fn slack(law: Law, v: f64, amps: f64) -> f64 {
    let (g, i) = law.norton(v);
    let strays = |v: f64| {
        let true_amps = law.amps(v);
        (g * v + i - true_amps).abs() > amps.max(STRAY_AMPS) + STRAY * true_amps.abs()
    };
    // By halves of a decade: a finer answer would save nothing.
    let steps = (-10..4).map(|n| 10f64.powf(0.5 * f64::from(n)));
    steps.take_while(|m| !strays(v + m) && !strays(v - m)).last().unwrap_or(0.0)
}
