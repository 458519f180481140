//! Every check a technician could do, from the vehicle file. One file per kind of check.

use crate::evidence::Present;
use crate::model::{HypIx, Model};
use crate::next::CheckId;
use crate::posterior::{Explains, Live, Posterior};
use circuit::{Instrument, Probe};
use std::collections::BTreeMap;
use std::sync::{Arc, OnceLock};
use vehicle::{ItemKind, OperatingState, PartId, PartIx, Point, SignalId, Vehicle};

mod agree;
mod component;
mod continuity;
mod effects;
mod hands;
mod minutes;
mod readings;
mod roll_calls;
mod scans;
mod unplugged;
mod values;

pub use effects::Loads;
pub use minutes::Here;
pub(crate) use minutes::reach;
pub use readings::{Reachable, points};

/// Most outcomes a check is divided into.
pub(super) const MOST_BINS: usize = 9;
/// Minutes lost, on average, when touching a contact makes a fault that comes and goes vanish.
const DISTURBED_BY_PROBE: f64 = 1.0;
const DISTURBED_BY_UNPLUGGING: f64 = 10.0;
/// Share of the suspicion that has to come and go before readings are recorded.
const MOSTLY: f64 = 0.5;

/// What is looked at.
#[derive(Debug, Clone, PartialEq)]
pub enum What {
    /// A meter reading.
    Reading(Probe),
    /// A meter left on, its lowest and highest value held, while what may bring the fault about is done.
    Record(Probe),
    /// An effect, of what is driven or switched on.
    Effect {
        /// The part whose effect is looked at.
        part: PartId,
    },
    /// Codes cleared, the state brought about so that their monitors run, all modules asked again.
    Scan,
    /// Every module asked whether it answers, codes left as they are.
    RollCall,
    /// What modules say of voltages at their own pins, read at once.
    Values {
        /// The signals.
        signals: Vec<SignalId>,
    },
    /// Sensors compared that have to agree, on nobody knows what.
    Agree {
        /// The signals.
        signals: Vec<SignalId>,
        /// How far what they feel may lie apart, one standard deviation in its unit; more than 0 for what a
        /// night makes alike.
        apart: f64,
    },
    /// The harness moved at a place while the symptom is watched.
    Move {
        /// Place or connector.
        at: String,
    },
    /// A look at a place or a thing.
    Look {
        /// Place, connector, conductor or ground point.
        at: String,
    },
    /// A fused jumper put between two points while an effect is watched.
    Jumper {
        /// Red end.
        red: String,
        /// Black end.
        black: String,
        /// The part whose effect is watched.
        part: PartId,
    },
    /// A part swapped with a known-good one while an effect is watched.
    Swap {
        /// The part swapped.
        swapped: PartId,
        /// The part whose effect is watched.
        part: PartId,
    },
}

impl What {
    /// Whether it can be done while somebody drives, or stops whoever does.
    fn is_done_from_the_seat(&self, state: &OperatingState) -> bool {
        match self {
            Self::Scan | Self::RollCall | Self::Values { .. } | Self::Agree { .. } => true,
            // One feels what happens, and drives nothing from a tester on the road.
            Self::Effect { .. } => state.outputs.is_empty(),
            Self::Move { .. } | Self::Look { .. } => true,
            Self::Reading(_) | Self::Record(_) | Self::Jumper { .. } | Self::Swap { .. } => false,
        }
    }
}

/// A possible check in a state.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    /// What is looked at.
    pub what: What,
    /// The state it is looked at in.
    pub state: Arc<OperatingState>,
    /// Name of that state, for the id.
    pub state_id: Arc<str>,
    /// Information it can give at most, bits; infinite where nobody has thought about it.
    pub at_most: f64,
}

/// What the candidates are made from: the field of suspects as it stands.
pub(crate) struct Field<'a> {
    pub(crate) model: &'a Model,
    pub(crate) posterior: &'a Posterior,
    /// What is suspected most, likeliest first.
    pub(crate) live: &'a [Live],
    /// Where one stands.
    pub(crate) here: Here<'a>,
    /// Whether the symptom shows now.
    present: Present,
    /// See [`Field::to_place`].
    to_place: OnceLock<[Vec<f64>; 3]>,
}

impl<'a> Field<'a> {
    pub(crate) fn new(
        model: &'a Model,
        posterior: &'a Posterior,
        live: &'a [Live],
        here: Here<'a>,
        present: Present,
    ) -> Self {
        Self { model, posterior, live, here, present, to_place: OnceLock::new() }
    }

    /// Share of the suspicion that comes and goes.
    pub(super) fn wavering(&self) -> f64 {
        let of = |l: &Live| match l.what {
            Explains::Fault(h) => l.p * self.posterior.share_wavering(h),
            _ => 0.0,
        };
        self.live.iter().map(of).sum()
    }

    /// Whether a reading is to be recorded: what is looked for mostly comes and goes, and is not known to
    /// be there now.
    pub(super) fn records(&self) -> bool {
        self.present != Present::Yes && self.wavering() > MOSTLY
    }

    /// Whether a bus passes a connector or socket.
    pub(super) fn on_bus(&self, connector: &str) -> bool {
        let c = &self.model.circuit;
        let lines = self.model.bus_lines();
        let own = c.terminal_branch.range((connector.into(), String::new())..);
        own.take_while(|((id, _), _)| *id == *connector)
            .any(|(_, k)| lines[c.branches[*k].from] != 0)
    }

    /// Minutes to place leads anywhere from here.
    pub(super) fn to_place(&self) -> &[Vec<f64>; 3] {
        self.to_place.get_or_init(|| self.model.reachable().minutes(self.model, &self.here))
    }

    /// Things of a kind by their ids, with the share of the suspicion that lies on
    /// each: the `most` likeliest of those above `worth`.
    pub(super) fn suspected(&self, kind: ItemKind, worth: f64, most: usize) -> Vec<&'a str> {
        let mut suspicion: BTreeMap<&str, f64> = BTreeMap::new();
        for l in self.live {
            let Explains::Fault(h) = l.what else { continue };
            let item = &self.model.faults[h].repair_item;
            if let Some(id) = item.thing().filter(|_| item.kind() == kind) {
                *suspicion.entry(id).or_default() += l.p;
            }
        }
        let mut ranked: Vec<(&str, f64)> = suspicion.into_iter().filter(|s| s.1 > worth).collect();
        ranked.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(b.0)));
        ranked.into_iter().take(most).map(|(id, _)| id).collect()
    }

    /// Hypotheses among what is suspected, those of pairs too.
    pub(super) fn hypotheses(&self) -> Vec<HypIx> {
        let mut out = Vec::new();
        for l in self.live {
            match l.what {
                Explains::Fault(h) => out.push(h),
                Explains::Pair(k) => {
                    out.extend([self.posterior.pairs[k].a, self.posterior.pairs[k].b])
                }
                Explains::Elsewhere => {}
            }
        }
        out.sort_unstable();
        out.dedup();
        out
    }
}

impl Candidate {
    /// A check in a state.
    pub fn new(
        what: What,
        state: impl Into<Arc<OperatingState>>,
        state_id: impl Into<Arc<str>>,
    ) -> Self {
        Self { what, state: state.into(), state_id: state_id.into(), at_most: f64::INFINITY }
    }

    /// Its name.
    pub fn id(&self) -> CheckId {
        CheckId::of(self)
    }

    /// What kind of check it is, in a word.
    pub fn kind(&self) -> &'static str {
        match &self.what {
            What::Reading(p) => p.instrument.name(),
            What::Record(_) => "recorded",
            What::Effect { .. } => "effect",
            What::Scan => "scan",
            What::RollCall => "answers",
            What::Values { .. } => "values",
            What::Agree { .. } => "agree",
            What::Move { .. } => "moved",
            What::Look { .. } => "seen",
            What::Jumper { .. } => "jumper",
            What::Swap { .. } => "swap",
        }
    }

    /// Whether another check is the same step, in whatever state: the same leads, or live values read, of which
    /// each state has its own.
    pub fn is_like(&self, other: &Self) -> bool {
        match (&self.what, &other.what) {
            (What::Values { .. }, What::Values { .. }) => true,
            (own, other) => own == other,
        }
    }

    /// Minutes from where one stands to the value.
    pub fn minutes(&self, model: &Model, here: &Here<'_>) -> f64 {
        minutes::of(model, here, &self.what, &self.state, &self.state_id)
    }

    /// Connectors whose contacts it touches, with the minutes lost on average if that makes a fault
    /// that comes and goes there vanish.
    pub fn disturbs<'c>(&'c self, now: &'c OperatingState) -> Vec<(&'c str, f64)> {
        let pulled = self.state.unplugged.symmetric_difference(&now.unplugged);
        let mut out: Vec<(&str, f64)> =
            pulled.map(|c| (c.as_str(), DISTURBED_BY_UNPLUGGING)).collect();
        match &self.what {
            What::Reading(Probe { red, black, instrument })
            | What::Record(Probe { red, black, instrument })
                if *instrument != Instrument::Amps =>
            {
                out.extend([red, black].map(|p| (owner(p), DISTURBED_BY_PROBE)));
            }
            What::Swap { swapped, .. } => out.push((swapped, DISTURBED_BY_UNPLUGGING)),
            _ => {}
        }
        out
    }
}

pub(super) fn owner(id: &str) -> &str {
    Point::of(id).owner
}

/// The cavity that belongs to a pin of a part, by its index: `X3.7`, or `K9.87` in a socket.
pub(crate) fn cavity_of(v: &Vehicle, part: PartIx, pin: &str) -> String {
    let id = &v.parts[part].id;
    let connector = v.connectors.iter().find(|c| {
        c.part.as_ref() == Some(id)
            && c.cavities.iter().any(|x| x.pin.as_ref().unwrap_or(&x.no) == pin)
    });
    match connector {
        Some(c) => {
            let own = c.cavities.iter().find(|x| x.pin.as_ref().unwrap_or(&x.no) == pin);
            format!("{}.{}", c.id, own.map_or(pin, |x| &x.no))
        }
        None => format!("{id}.{pin}"),
    }
}

/// Outputs driven and looked at.
pub(crate) fn effects(field: &Field<'_>) -> Vec<Candidate> {
    let mut out = Vec::new();
    effects::generate(field, &mut out);
    out
}

/// All candidates that bear on what is suspected, in a fixed order.
pub(crate) fn all(field: &Field<'_>) -> Vec<Candidate> {
    let mut out = Vec::new();
    readings::generate(field, &mut out);
    effects::generate(field, &mut out);
    scans::generate(field, &mut out);
    roll_calls::generate(field, &mut out);
    values::generate(field, &mut out);
    agree::generate(field, &mut out);
    unplugged::generate(field, &mut out);
    component::generate(field, &mut out);
    continuity::generate(field, &mut out);
    hands::generate(field, &mut out);
    let v = &field.model.circuit.vehicle;
    let from_the_seat =
        |c: &Candidate| c.what.is_done_from_the_seat(&c.state) && c.state.unplugged.is_empty();
    out.retain(|c| from_the_seat(c) || !v.is_driven(&c.state));
    out
}
