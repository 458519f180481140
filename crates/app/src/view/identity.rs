//! Who the modules say they are, and what became of that.

use diagnosis::Model;
use diagnosis::identity::Identity;
use diagnosis::ledger::Case;
use serde::Serialize;
use utoipa::ToSchema;

/// The latest identification.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Identification {
    /// Number of its entry.
    pub number: u64,
    /// How often it was read.
    pub times: usize,
    /// Modules.
    pub modules: Vec<Identified>,
}

/// A module.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Identified {
    /// Name.
    pub name: String,
    /// What it says of itself.
    #[serde(flatten)]
    pub identity: Identity,
    /// It carries another vehicle's number.
    pub foreign: bool,
    /// What is otherwise than when it was read first; empty when nothing is.
    pub changed: String,
}

pub(super) fn identification(model: &Model, case: &Case) -> Option<Identification> {
    let (_, first) = case.identities.first()?;
    let (number, last) = case.identities.last()?;
    let modules = last.iter().map(|identity| {
        let part = model.circuit.vehicle.parts.iter().find(|p| p.id == identity.module);
        let was = first.iter().find(|f| f.module == identity.module && f.answered);
        let changed = was.filter(|_| identity.answered).map(|was| {
            let pairs = [
                ("part", &was.part, &identity.part),
                ("hardware", &was.hardware, &identity.hardware),
                ("software", &was.software, &identity.software),
                ("serial", &was.serial, &identity.serial),
                ("configuration", &was.configuration, &identity.configuration),
                ("VIN", &was.vin, &identity.vin),
            ];
            let other = pairs.into_iter().filter(|(_, was, is)| was != is);
            other.map(|(what, was, _)| format!("{what} was {was}")).collect::<Vec<_>>().join(", ")
        });
        Identified {
            name: part.map_or_else(|| identity.module.to_string(), |p| p.name.clone()),
            foreign: !identity.vin.is_empty()
                && !case.intake.vin.is_empty()
                && identity.vin != case.intake.vin,
            changed: changed.unwrap_or_default(),
            identity: identity.clone(),
        }
    });
    Some(Identification {
        number: *number,
        times: case.identities.len(),
        modules: modules.collect(),
    })
}
