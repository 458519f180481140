//! What can go in the place of a part, and where else what its module holds is kept.

use crate::PartId;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Where a replacement comes from.
#[derive(
    Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema, utoipa::ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum Origin {
    /// From its box: nothing is set.
    #[default]
    New,
    /// Out of another vehicle: bound to that one, set as that one was.
    Used,
}

/// A part number that goes in the place of a part.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Variant {
    /// The part number; unique among those of the part.
    pub number: String,
    /// What a technician calls it, in a few words.
    pub name: String,
    /// Where it comes from.
    #[serde(default)]
    pub origin: Origin,
    /// Its price; none: that of the part.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub price: Option<f64>,
    /// It is no longer to be had.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub discontinued: bool,
    /// How it differs from what the vehicle was built with: ids of faults that are so with it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub differs: Vec<String>,
    /// It cannot be given another vehicle's identity.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub bound: bool,
}

/// A record of a module that another one keeps a copy of.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RecordCopy {
    /// The module whose record it is.
    pub module: PartId,
    /// Identifier of the record there.
    pub did: u16,
    /// The module that keeps the copy.
    pub kept_by: PartId,
    /// Identifier of the copy there.
    pub kept_did: u16,
}

/// Fields of the records of different modules that have to hold the same.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Agreement {
    /// What they are about, as a technician calls it.
    pub name: String,
    /// Ids of the settings; each stands in a record, and all hold the same number on a sound vehicle.
    pub settings: Vec<String>,
}
