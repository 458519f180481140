//! Names that are made of other names, each with one parser: points, repair items, faults.
//!
//! In files, over HTTP and in jobs they are strings; inside they are these types.

mod fault;
mod item;
mod point;

pub use fault::FaultId;
pub use item::{Item, ItemKind};
pub use point::Point;

/// Described over HTTP as the strings they are written as.
macro_rules! a_string {
    ($($name:ident),*) => {$(
        impl utoipa::PartialSchema for $name {
            fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::schema::Schema> {
                String::schema()
            }
        }
        impl utoipa::ToSchema for $name {}
    )*};
}
a_string!(Item, FaultId);

/// A name that does not read as what it should name.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{text:?} is not the name of a {what}; it is written {form}")]
pub struct NameError {
    /// What was given.
    pub text: String,
    /// What it should have named.
    pub what: &'static str,
    /// How such names are written.
    pub form: &'static str,
}
