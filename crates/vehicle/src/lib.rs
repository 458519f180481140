//! The vehicle file: one JSON document that says what a vehicle is made of.
//!
//! A [`Vehicle`] is parsed once by [`Vehicle::from_json`], which also validates
//! it; everything downstream may trust that names resolve and numbers are in range.

pub mod condition;
pub mod data;
pub mod element;
pub mod formula;
pub mod hex;
pub mod ids;
mod load;
pub mod message;
pub mod options;
mod output;
pub mod physical;
pub mod procedure;
pub mod profile;
pub mod quantity;
pub mod replace;
pub mod state;
pub mod types;
pub mod typical;
mod validate;
pub mod vin;

pub use condition::{Condition, Signal, SignalSource};
pub use data::{Coding, Datum, Identifiers};
pub use element::{Element, at_table};
pub use formula::Formula;
pub use ids::{
    CavityId, ConnectorId, FailureType, FaultId, GroundId, GroundIx, Item, ItemKind, MonitorIx,
    NameError, OutputId, OutputIx, PartId, PartIx, PlaceId, Point, SignalId, SignalIx, SpliceId,
    TroubleCode, WireId, WireIx,
};
pub use load::{LoadError, Problem, listed, misshapen};
pub use message::Message;
pub use options::Equipment;
pub use physical::{Band, Physical, Transfer};
pub use procedure::Procedure;
pub use profile::Profile;
pub use quantity::{Quantity, QuantityError, parse_quantity};
pub use replace::{Agreement, Origin, RecordCopy, Variant};
pub use state::{Amount, Engine, KeyPosition, OperatingState};
pub use typed_index_collections::{TiSlice, TiVec};
pub use types::*;

/// The vehicle-file format this version reads and writes.
pub const FORMAT: u32 = 1;
