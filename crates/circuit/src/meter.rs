//! Meters: what they do to the circuit and what they show.

use crate::compile::{BranchId, Circuit, CircuitError, NodeId, Of};
use crate::fault::Change;
use crate::hearing;
use crate::solve::{Extra, Solution};
use crate::sweep::Point;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use vehicle::OperatingState;

mod instrument;
pub use instrument::{Instrument, LOW_IMPEDANCE_OHMS, OVER_LIMIT_OHMS, VOLTMETER_OHMS};

/// A meter on two points, or a clamp on a conductor.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Probe {
    /// What is measured.
    pub instrument: Instrument,
    /// Red lead: cavity, splice or ground point; for amps the conductor's id.
    pub red: String,
    /// Black lead; for amps empty.
    #[serde(default)]
    pub black: String,
}

/// What the meter shows.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Shown {
    /// A value in the instrument's unit.
    Value(f64),
    /// Beyond the end of the range, or the tool's own fuse opened.
    OverLimit,
}

impl Shown {
    /// The value, with over limit as infinity.
    pub fn value(self) -> f64 {
        match self {
            Self::Value(v) => v,
            Self::OverLimit => f64::INFINITY,
        }
    }
}

/// A probe resolved against a circuit.
#[derive(Debug, Clone, Copy)]
pub enum Leads {
    /// Two nodes.
    Between(Instrument, NodeId, NodeId),
    /// A clamp around the conductor of this branch.
    Around(BranchId),
}

impl Probe {
    /// Volts between two points.
    pub fn volts(red: &str, black: &str) -> Self {
        Self { instrument: Instrument::Volts, red: red.into(), black: black.into() }
    }

    /// Resolves the names.
    ///
    /// # Errors
    /// [`CircuitError::NoSuchPoint`].
    pub fn leads(&self, circuit: &Circuit) -> Result<Leads, CircuitError> {
        if self.instrument == Instrument::Amps {
            let wire = circuit
                .wire(&self.red)
                .ok_or_else(|| CircuitError::NoSuchPoint(self.red.clone()))?;
            return Ok(Leads::Around(circuit.wire_branch[wire]));
        }
        Ok(Leads::Between(self.instrument, circuit.node(&self.red)?, circuit.node(&self.black)?))
    }
}

impl Leads {
    /// What the meter adds to the circuit; a clamp nothing.
    pub fn extra(self) -> Option<Extra> {
        match self {
            Self::Between(instrument, from, to) => {
                let law = instrument.law()?;
                Some(Extra { from, to, law, blows_at: instrument.blows_at() })
            }
            Self::Around(_) => None,
        }
    }

    /// The same as a change of the circuit.
    pub fn change(self) -> Option<Change> {
        self.extra().map(Change::Meter)
    }

    /// The nodes under the leads.
    pub fn nodes(self, circuit: &Circuit) -> [NodeId; 2] {
        match self {
            Self::Between(_, a, b) => [a, b],
            Self::Around(k) => [circuit.branches[k].from, circuit.branches[k].to],
        }
    }

    /// What the meter shows with so many volts across its leads, or amperes in the clamp.
    pub fn reads(self, value: f64) -> Shown {
        match self {
            Self::Between(instrument, ..) => instrument.reads(value),
            Self::Around(_) => Shown::Value(value),
        }
    }

    /// What the meter shows at an operating point solved with [`Leads::extra`].
    pub fn shown(self, circuit: &Circuit, solution: &Solution) -> Shown {
        match self {
            _ if solution.tool_blew => Shown::OverLimit,
            Self::Around(branch) => Shown::Value(solution.amps(circuit, branch)),
            Self::Between(_, a, b) => self.reads(solution.volts[a] - solution.volts[b]),
        }
    }

    /// The same at a point of a sweep solved with [`Leads::change`].
    pub fn shown_at(self, point: &Point<'_>) -> Shown {
        match self {
            _ if point.tool_blew => Shown::OverLimit,
            Self::Around(branch) => Shown::Value(point.amps(branch)),
            Self::Between(_, a, b) => self.reads(point.volts[a] - point.volts[b]),
        }
    }
}

impl Circuit {
    /// What a meter shows, its own effect on the circuit included.
    ///
    /// # Errors
    /// [`CircuitError`] for points or state names that do not exist.
    pub fn measure(
        self: &Arc<Self>,
        state: &OperatingState,
        changes: &[Change],
        probe: &Probe,
    ) -> Result<Shown, CircuitError> {
        self.check_state(state)?;
        let leads = probe.leads(self)?;
        Ok(match leads {
            // A voltmeter averages what alternates faster than it follows.
            Leads::Between(Instrument::Volts | Instrument::LowVolts, a, b) => {
                Shown::Value(self.levels(state, changes, leads.extra(), a, b).average)
            }
            _ => leads.shown(self, &self.with_meter(state, changes, leads.extra())),
        })
    }

    /// The operating point with a meter attached.
    fn with_meter(
        self: &Arc<Self>,
        state: &OperatingState,
        changes: &[Change],
        meter: Option<Extra>,
    ) -> Solution {
        let mut with = changes.to_vec();
        with.extend(meter.map(Change::Meter));
        hearing::solve(self, state, &with)
    }

    /// Largest current through any conductor or terminal that ends at a node, amperes:
    /// what loads the point a probe touches.
    pub fn load_at(&self, solution: &Solution, node: NodeId) -> f64 {
        self.branches
            .iter_enumerated()
            .filter(|(_, b)| {
                (b.from == node || b.to == node) && matches!(b.of, Of::Wire(_) | Of::Terminal(..))
            })
            .map(|(k, _)| solution.amps(self, k).abs())
            .fold(0.0, f64::max)
    }
}
