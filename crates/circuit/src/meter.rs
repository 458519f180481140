//! Meters: what they do to the circuit and what they show.

use crate::compile::{Circuit, CircuitError, NodeId, Of};
use crate::fault::Change;
use crate::law::Law;
use crate::solve::{Extra, Solution};
use serde::{Deserialize, Serialize};
use vehicle::OperatingState;

/// Input resistance of a digital voltmeter, ohms.
pub const VOLTMETER_OHMS: f64 = 10e6;
/// The ohmmeter's source: 1 V behind 1 kOhm, so at most 1 mA.
const OHMMETER: Law = Law::Source { volts: 1.0, ohms: 1000.0 };
/// Above this the ohmmeter shows OL, ohms.
pub const OVER_LIMIT_OHMS: f64 = 40e6;

/// What is measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Instrument {
    /// Volts between two points.
    Volts,
    /// Ohms between two points.
    Ohms,
    /// Amperes through a conductor, with a clamp around it.
    Amps,
}

impl Instrument {
    /// Unit as shown.
    pub fn unit(self) -> &'static str {
        match self {
            Self::Volts => "V",
            Self::Ohms => "Ω",
            Self::Amps => "A",
        }
    }

    /// One standard deviation of a common workshop meter at a value, in its unit.
    /// Volts 0.5 % + 2 digits of 10 mV, ohms 1 % + 0.1 (leads), clamp 2 % + 50 mA.
    pub fn sigma(self, value: f64) -> f64 {
        let (part, floor) = match self {
            Self::Volts => (0.005, 0.02),
            Self::Ohms => (0.01, 0.1),
            Self::Amps => (0.02, 0.05),
        };
        (part * value.abs()).hypot(floor)
    }
}

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
    /// Beyond the end of the range.
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
    Around(usize),
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
    /// What the meter adds to the circuit.
    pub fn extra(self) -> Option<Extra> {
        match self {
            Self::Between(instrument, from, to) => Some(Extra {
                from,
                to,
                law: match instrument {
                    Instrument::Ohms => OHMMETER,
                    _ => Law::Ohms(VOLTMETER_OHMS),
                },
            }),
            Self::Around(_) => None,
        }
    }

    /// The same as a change of the circuit.
    pub fn change(self) -> Option<Change> {
        match self.extra()? {
            Extra { from, to, law: Law::Source { volts, ohms } } => {
                Some(Change::Meter(from, to, volts, ohms))
            }
            Extra { from, to, law: Law::Ohms(ohms) } => Some(Change::Meter(from, to, 0.0, ohms)),
            Extra { .. } => None,
        }
    }

    /// What the meter shows with so many volts across its leads, or amperes in the clamp.
    pub fn reads(self, value: f64) -> Shown {
        match self {
            Self::Between(Instrument::Ohms, ..) => {
                let amps = -OHMMETER.amps(value);
                // A live circuit drives the meter: it shows OL, or nonsense near zero.
                let ohms = value / amps;
                if amps <= 0.0 || ohms > OVER_LIMIT_OHMS {
                    Shown::OverLimit
                } else {
                    Shown::Value(ohms)
                }
            }
            _ => Shown::Value(value),
        }
    }

    /// What the meter shows at an operating point solved with [`Leads::extra`].
    pub fn shown(self, circuit: &Circuit, solution: &Solution) -> Shown {
        match self {
            Self::Around(branch) => Shown::Value(solution.amps(circuit, branch)),
            Self::Between(_, a, b) => self.reads(solution.volts[a] - solution.volts[b]),
        }
    }
}

impl Circuit {
    /// What a meter shows, its own effect on the circuit included.
    ///
    /// # Errors
    /// [`CircuitError`] for points or state names that do not exist.
    pub fn measure(
        &self,
        state: &OperatingState,
        changes: &[Change],
        probe: &Probe,
    ) -> Result<Shown, CircuitError> {
        self.check_state(state)?;
        let leads = probe.leads(self)?;
        Ok(match leads {
            // A voltmeter averages what alternates faster than it follows.
            Leads::Between(Instrument::Volts, a, b) => {
                Shown::Value(self.levels(state, changes, leads.extra(), a, b).average)
            }
            _ => leads.shown(self, &self.solve(state, changes, leads.extra())),
        })
    }

    /// Largest current through any conductor or terminal that ends at a node, amperes:
    /// what loads the point a probe touches.
    pub fn load_at(&self, solution: &Solution, node: NodeId) -> f64 {
        self.branches
            .iter()
            .enumerate()
            .filter(|(_, b)| {
                (b.from == node || b.to == node) && matches!(b.of, Of::Wire(_) | Of::Terminal(..))
            })
            .map(|(k, _)| solution.amps(self, k).abs())
            .fold(0.0, f64::max)
    }
}
