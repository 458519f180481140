//! Who each module says it is (N44): part, hardware and software, before and after.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use vehicle::PartId;

/// What a module says of itself, by the standard identifiers of ISO 14229-1 C.1; empty where it
/// does not tell.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(default)]
pub struct Identity {
    /// Module part of the vehicle file.
    pub module: PartId,
    /// It answered.
    pub answered: bool,
    /// F187, spare part number.
    pub part: String,
    /// F193, hardware version.
    pub hardware: String,
    /// F195, software version.
    pub software: String,
    /// F18C, serial number.
    pub serial: String,
    /// 0600, equipment it is set to, hexadecimal.
    pub configuration: String,
    /// F190, vehicle identification number that it carries.
    pub vin: String,
}

impl Identity {
    /// Its data with their identifiers.
    pub fn data(&mut self) -> [(u16, &mut String); 5] {
        [
            (0xF187, &mut self.part),
            (0xF193, &mut self.hardware),
            (0xF195, &mut self.software),
            (0xF18C, &mut self.serial),
            (0xF190, &mut self.vin),
        ]
    }
}
