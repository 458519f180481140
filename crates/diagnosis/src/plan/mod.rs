//! The plan of a replacement: an order of steps with reasons, worked out from what is replaced with what and from what
//! the job's ledger says was done. One file per stretch of the way.

mod after;
pub mod agree;
mod before;
mod codes;
mod consequences;
pub mod options;
mod set;

use crate::ledger::Case;
use crate::model::Model;
use crate::setup;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use vehicle::element::{Held, Setting};
use vehicle::vin::DID as VIN;
use vehicle::{Origin, PartId, Vehicle};

pub use agree::AgreesWith;
pub use options::{Replaceable, Replacement, choices, replaceable};

/// What was decided to put in the place of a part, and who agreed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct Decision {
    /// The part that is replaced.
    pub part: PartId,
    /// Part number that goes in; empty: as the vehicle was built.
    #[serde(default)]
    pub number: String,
    /// Where it comes from.
    #[serde(default)]
    pub origin: Origin,
    /// It was put in before the vehicle came: the old unit is gone.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub already: bool,
    /// What it costs, part and work, as it was told.
    pub cost: f64,
    /// Sign of the currency.
    pub currency: String,
    /// What follows from it, as it was told, a line each.
    #[serde(default)]
    pub consequences: Vec<String>,
    /// Who agreed to it; empty where nobody was asked.
    #[serde(default)]
    pub agreed_by: String,
}

/// A record or identity that was kept before the unit that held it was unplugged.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct KeptRecord {
    /// The module whose it is.
    pub module: PartId,
    /// Its identifier.
    pub did: u16,
    /// What it held, two hexadecimal digits a byte.
    pub data: String,
    /// Where it is from.
    pub from: RecordSource,
}

/// Where a record is from; the most to be trusted first.
#[derive(
    Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema, ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum RecordSource {
    /// Read from the old unit itself.
    Unit,
    /// Read from the copy that another module keeps.
    Copy {
        /// That module.
        of: PartId,
    },
    /// Worked out from the equipment; bytes that no field names are as a new unit has them.
    Equipment,
}

impl RecordSource {
    /// In words, with how far it can be trusted.
    pub fn words(&self) -> String {
        match self {
            Self::Unit => "the old unit's own record".to_owned(),
            Self::Copy { of } => format!("the copy that {of} keeps, as last written there"),
            Self::Equipment => {
                "built from the equipment; bytes that no field names are the new unit's".to_owned()
            }
        }
    }
}

/// How a step stands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
#[serde(tag = "stands", rename_all = "snake_case")]
pub enum StepStands {
    /// Done, as the ledger says.
    Done,
    /// To be done.
    Open,
    /// It has to wait.
    Blocked {
        /// For whom or what, in words.
        by: String,
    },
}

/// What a press on a step does.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
#[serde(tag = "does", rename_all = "snake_case")]
pub enum StepPress {
    /// The charger is connected.
    Charger,
    /// All modules are asked and their codes kept.
    Scan,
    /// What the module holds is read and kept.
    Keep {
        /// The module.
        module: PartId,
    },
    /// The part is replaced.
    Replace {
        /// The part.
        part: PartId,
    },
    /// A record or identity is written.
    Write {
        /// The module.
        module: PartId,
        /// The record.
        did: u16,
        /// What it is called.
        name: String,
    },
    /// A routine teaches, zeroes or resets.
    Teach {
        /// The setting.
        setting: String,
    },
    /// A procedure is followed.
    Follow {
        /// The procedure.
        procedure: String,
    },
    /// The ignition is switched off and on.
    KeyCycle,
    /// Codes are cleared.
    Clear,
    /// All modules are asked again.
    Rescan,
}

/// A step of the plan.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct PlanStep {
    /// Stable name of it.
    pub id: String,
    /// What is done.
    pub text: String,
    /// Why, and why here.
    pub why: String,
    /// How it stands.
    #[serde(flatten)]
    pub stands: StepStands,
    /// What a press does.
    pub press: StepPress,
    /// What must hold for it, in words.
    pub needs: Vec<String>,
}

/// A plan.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ReplacementPlan {
    /// Number of the entry in which it was decided.
    pub number: u64,
    /// What was decided.
    pub decision: Decision,
    /// The part in words.
    pub part_text: String,
    /// Its steps, the first one first.
    pub steps: Vec<PlanStep>,
}

/// What a plan is worked out from.
pub(crate) struct On<'a> {
    pub(crate) model: &'a Model,
    pub(crate) case: &'a Case,
    pub(crate) decision: &'a Decision,
    /// Entry in which it was decided: what was done since counts.
    pub(crate) since: u64,
}

impl<'a> On<'a> {
    pub(crate) fn vehicle(&self) -> &'a Vehicle {
        &self.model.circuit.vehicle
    }

    /// Whether the part that is replaced is a module.
    pub(crate) fn is_module(&self) -> bool {
        let of = self.vehicle().parts.iter().find(|p| p.id == self.decision.part);
        of.is_some_and(|p| p.module.is_some())
    }

    /// Entry in which the part was replaced, once it was.
    pub(crate) fn replaced(&self) -> Option<u64> {
        if self.decision.already {
            return Some(self.since);
        }
        let own = |r: &&crate::ledger::Repair| {
            r.item.as_part() == Some(self.decision.part.as_str()) && r.number > self.since
        };
        self.case.repair.as_ref().filter(own).map(|r| r.number)
    }

    /// Records of the module that is replaced: identifier and name.
    pub(crate) fn records(&self) -> Vec<(u16, String)> {
        records(self.vehicle(), &self.decision.part)
    }

    /// Lessons that are due once the part is replaced, in the order of the file.
    pub(crate) fn lessons(&self) -> impl Iterator<Item = &'a Setting> {
        let part = &self.decision.part;
        let due = move |s: &&Setting| {
            matches!(s.held, Held::Learned { .. }) && (s.module == *part || s.after.contains(part))
        };
        self.vehicle().settings().filter(due)
    }
}

/// Records of a module that settings stand in. Its identity comes first, where it holds one: it decides whose
/// records the unit takes.
pub fn records(vehicle: &Vehicle, module: &PartId) -> Vec<(u16, String)> {
    let mut out: Vec<(u16, String)> = Vec::new();
    let own = vehicle.parts.iter().find(|p| p.id == *module).and_then(|p| p.module.as_ref());
    for s in vehicle.settings().filter(|s| s.module == *module) {
        let (did, name) = match &s.held {
            Held::Record { did, .. } => {
                let record = own.and_then(|m| m.configuration.get(&format!("{did:04X}")));
                (*did, record.map_or_else(|| s.name.clone(), |r| r.name.clone()))
            }
            Held::Identity => (VIN, "Identity".to_owned()),
            Held::Learned { .. } => continue,
        };
        if out.iter().all(|(known, _)| *known != did) {
            out.push((did, name));
        }
    }
    out.sort_by_key(|(did, _)| (*did != VIN, *did));
    out
}

/// The plan of what was decided last; none where nothing was.
pub fn plan(model: &Model, case: &Case) -> Option<ReplacementPlan> {
    let (number, decision) = case.decision.as_ref()?;
    let on = On { model, case, decision, since: *number };
    let mut steps = before::steps(&on);
    if !decision.already {
        steps.push(set::replace(&on, &steps));
    }
    steps.extend(set::steps(&on));
    steps.extend(after::steps(&on, &steps));
    Some(ReplacementPlan {
        number: *number,
        decision: decision.clone(),
        part_text: crate::words::thing(model, &decision.part),
        steps,
    })
}

/// What a record is written as: on top of what was kept, or else of what the unit holds now, every field as on a
/// sound vehicle with this equipment; with where the rest is from.
pub fn to_write(
    vehicle: &Vehicle,
    case: &Case,
    of: (&PartId, u16),
    now: &[u8],
) -> (Vec<u8>, RecordSource) {
    let (module, did) = of;
    let kept = case.kept.iter().rev().find(|(_, k)| k.module == *module && k.did == did);
    let kept = kept.and_then(|(_, k)| Some((vehicle::hex::bytes(&k.data)?, k.from.clone())));
    let (base, from) = kept
        .filter(|(data, _)| data.len() == now.len())
        .unwrap_or_else(|| (now.to_vec(), RecordSource::Equipment));
    (setup::as_it_should(vehicle, module, did, &base), from)
}

/// Steps that have to be done before another one: the first that is not.
fn waits_for(steps: &[PlanStep]) -> StepStands {
    match steps.iter().find(|s| s.stands != StepStands::Done) {
        None => StepStands::Open,
        Some(PlanStep { stands: StepStands::Blocked { by }, .. }) => {
            StepStands::Blocked { by: by.clone() }
        }
        Some(step) => StepStands::Blocked { by: step.text.clone() },
    }
}
