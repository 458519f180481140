//! A level of a bus line, recessive or dominant, as a scope shows it.

use super::BAD_PROBE;
use crate::model::{HypIx, Model, ModelError};
use circuit::{BODY, Change, NodeId, Sweep};
use vehicle::{OperatingState, PartId, PartIx, TiVec};

/// Range of levels outside of what the file predicts, volts.
pub(super) const SPAN: f64 = 15.0;
/// A scope's accuracy, volts, its share of the value, and the share of a deviation that the step of
/// a grid leaves open.
const FLOOR: f64 = 0.05;
const SHARE: f64 = 0.02;
const STEP: f64 = 0.15;
/// Share of levels of a named sender that come from elsewhere: its frames were read with the same probes, so
/// that none has slipped; what is left is an identifier that is another's in this vehicle.
const OTHER_SENDER: f64 = 0.002;

/// Evidence weighed by the voltages of a few nodes in two phases: resting, and with something held.
pub(super) struct InPhase<'a> {
    /// What is held beside the resting phase.
    pub(super) holds: Vec<Change>,
    /// Nodes looked at, three at most.
    pub(super) nodes: [NodeId; 3],
    /// Parts whose life matters, two at most.
    pub(super) parts: [PartIx; 2],
    /// Log-likelihood from the sound vehicle's voltages, the resting and the held ones, the life of
    /// the parts, and the fault's own changes.
    pub(super) score: Score<'a>,
}

/// See [`InPhase::score`].
pub(super) type Score<'a> = Box<dyn Fn(&Phases, &[Change]) -> f64 + Sync + 'a>;

/// What a hypothesis predicts in the two phases.
#[derive(Debug, Clone, Copy)]
pub(super) struct Phases {
    pub(super) rest: [f64; 3],
    pub(super) held: [f64; 3],
    pub(super) alive: [bool; 2],
}

impl InPhase<'_> {
    fn take(&self, p: &circuit::Point<'_>) -> ([f64; 3], [bool; 2]) {
        (self.nodes.map(|n| p.volts[n]), self.parts.map(|n| p.alive[n]))
    }

    fn held(&self, model: &Model, state: &OperatingState) -> Sweep {
        Sweep::new(&model.circuit, state, &self.holds)
    }

    /// Log-likelihood under every hypothesis, and with nothing wrong.
    pub(super) fn all(&self, model: &Model, state: &OperatingState) -> (TiVec<HypIx, f64>, f64) {
        let p = model.predict_all(state);
        let held = self.held(model, state);
        let nothing = ([f64::NAN; 3], [false; 2]);
        let in_phase =
            model.sweep_all(&held, None, Some(&self.nodes), |_| true, nothing, |p| self.take(&p));
        let there = p
            .all()
            .zip(in_phase)
            .zip(&model.faults)
            .map(|((s, (volts, _)), f)| {
                let phases = Phases {
                    rest: self.nodes.map(|n| s.volts(n)),
                    held: volts,
                    alive: self.parts.map(|p| s.alive(p)),
                };
                (self.score)(&phases, &f.changes)
            })
            .collect();
        (there, self.under(model, state, &[]))
    }

    /// Log-likelihood under any changes.
    pub(super) fn under(&self, model: &Model, state: &OperatingState, changes: &[Change]) -> f64 {
        let mut sweep = model.predict(state).sweep.clone();
        let (rest, alive) = self.take(&sweep.solve_at(changes, &self.nodes));
        let (held, _) = self.take(&self.held(model, state).solve_at(changes, &self.nodes));
        (self.score)(&Phases { rest, held, alive }, changes)
    }
}

/// Where a level is measured and who sends in it.
struct Spot {
    holds: Vec<Change>,
    nodes: [NodeId; 3],
    /// Part that sends, where it is known who.
    sender: Option<PartIx>,
}

impl Spot {
    /// `sends` says who drives while it is measured: none where nobody does, and none within where it is not
    /// known who.
    fn of(
        model: &Model,
        state: &OperatingState,
        bus: &str,
        [red, black]: [&str; 2],
        sends: Option<Option<&PartId>>,
    ) -> Result<Self, ModelError> {
        let c = &model.circuit;
        if !c.vehicle.buses.iter().any(|b| b.id == bus) {
            return Err(ModelError::Unknown { what: "bus", id: bus.to_owned() });
        }
        let sender = sends.flatten().map(|id| super::part(model, id)).transpose()?;
        let holds = match (sends, sender) {
            (_, Some(part)) => c.dominant(bus, part).ok_or_else(|| ModelError::Unknown {
                what: "member of the bus",
                id: c.vehicle.parts[part].id.to_string(),
            })?,
            _ => {
                let all = c.phases(state, &model.predict(state).solution).into_iter();
                let own = all.filter(|x| x.id == format!("bus:{bus}")).map(|x| x.holds);
                own.flatten().collect()
            }
        };
        Ok(Self { holds, nodes: [c.node(red)?, c.node(black)?, BODY], sender })
    }
}

/// The level that each of some sets of changes makes, volts.
pub(crate) fn predicted(
    model: &Model,
    state: &OperatingState,
    bus: &str,
    points: [&str; 2],
    sender: Option<&PartId>,
    sets: &[&[Change]],
) -> Result<Vec<f64>, ModelError> {
    let spot = Spot::of(model, state, bus, points, sender.map(Some))?;
    let mut sweep = match sender {
        None => model.predict(state).sweep.clone(),
        Some(_) => Sweep::new(&model.circuit, state, &spot.holds),
    };
    let of = |changes: &&[Change]| {
        let p = sweep.solve_at(changes, &spot.nodes);
        p.volts[spot.nodes[0]] - p.volts[spot.nodes[1]]
    };
    Ok(sets.iter().map(of).collect())
}

pub(super) fn level<'a>(
    model: &'a Model,
    state: &OperatingState,
    bus: &str,
    points: [&str; 2],
    sends: Option<Option<&PartId>>,
    value: f64,
) -> Result<InPhase<'a>, ModelError> {
    let c = &model.circuit;
    let Spot { holds, nodes, sender } = Spot::of(model, state, bus, points, sends)?;
    let dominant = sends.is_some();
    let p = model.predict(state);
    let of = |volts: [f64; 3]| volts[0] - volts[1];
    let at = move |rest: f64, held: f64| if dominant { held } else { rest };
    let mut sound = Sweep::new(c, state, &holds);
    let held = of(nodes.map(|n| sound.solve_at(&[], &nodes).volts[n]));
    let healthy = at(p.healthy.between(nodes[0], nodes[1]), held);
    Ok(InPhase {
        holds,
        nodes,
        parts: [sender.unwrap_or(PartIx(0)); 2],
        score: Box::new(move |p, _| {
            let predicted = at(of(p.rest), of(p.held));
            let own = STEP * (predicted - healthy);
            let sigma = FLOOR.hypot(SHARE * predicted).hypot(own);
            let z = (value - predicted) / sigma;
            let close = (-0.5 * z * z).exp() / (sigma * (2.0 * std::f64::consts::PI).sqrt());
            // Whoever does not work sends nothing: such a level came from elsewhere.
            let sends = sender.is_none() || p.alive[0];
            let close = if sends { close } else { 0.0 };
            let bad = if sender.is_some() { OTHER_SENDER } else { BAD_PROBE };
            ((1.0 - bad) * close + bad / SPAN).ln()
        }),
    })
}
