//! Names that are made of other names, each with one parser: points, repair items, faults.
//!
//! In files, over HTTP and in jobs they are strings; inside they are these types.

mod code;
mod fault;
mod index;
mod item;
mod name;
mod point;

pub use code::{FailureType, TroubleCode};
pub use fault::FaultId;
pub use index::{GroundIx, MonitorIx, OutputIx, PartIx, SignalIx, WireIx};
pub use item::{Item, ItemKind};
pub use name::{
    CavityId, ConnectorId, GroundId, OutputId, PartId, PlaceId, SignalId, SpliceId, WireId,
};
pub use point::Point;

/// What is written as a string: read from one and put into one by serde, described as one over HTTP, and
/// compared with one as it is written.
macro_rules! a_string {
    ($($name:ident),*) => {$(
        impl utoipa::PartialSchema for $name {
            fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::schema::Schema> {
                String::schema()
            }
        }
        impl utoipa::ToSchema for $name {}

        impl TryFrom<String> for $name {
            type Error = NameError;

            fn try_from(text: String) -> Result<Self, NameError> {
                text.parse()
            }
        }

        impl From<$name> for String {
            fn from(name: $name) -> Self {
                name.to_string()
            }
        }

        impl PartialEq<str> for $name {
            fn eq(&self, other: &str) -> bool {
                other.parse::<Self>().is_ok_and(|other| other == *self)
            }
        }

        impl PartialEq<&str> for $name {
            fn eq(&self, other: &&str) -> bool {
                *self == **other
            }
        }
    )*};
}
a_string!(Item, FaultId, TroubleCode, FailureType);

/// A name that does not read as what it should name.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{text:?} is no {what}; it is written {form}")]
pub struct NameError {
    /// What was given.
    pub text: String,
    /// What it should have named.
    pub what: &'static str,
    /// How such names are written.
    pub form: &'static str,
}
