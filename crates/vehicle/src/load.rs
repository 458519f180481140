//! From bytes to a vehicle the rest can trust.

use crate::{FORMAT, Vehicle};
use std::fmt;
use thiserror::Error;

/// One thing wrong in a vehicle file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Problem {
    /// Where in the document, for example `wires[3].to`.
    pub path: String,
    /// What is wrong.
    pub what: String,
    /// How to mend it.
    pub mend: String,
}

impl fmt::Display for Problem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}; {}", self.path, self.what, self.mend)
    }
}

/// Why a vehicle file was refused.
#[derive(Debug, Error)]
pub enum LoadError {
    /// Not JSON, or not of the file's shape.
    #[error("line {line}, column {column}: {what}")]
    Shape {
        /// Line, from 1.
        line: usize,
        /// Column, from 1.
        column: usize,
        /// The parser's words.
        what: String,
    },
    /// A format number this version does not read.
    #[error("format: this file is format {0}, this version reads format {FORMAT}")]
    Format(u32),
    /// The shape is right, the content is not.
    #[error("{}", .0.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n"))]
    Content(Vec<Problem>),
}

impl Vehicle {
    /// Parses and validates a vehicle file.
    ///
    /// # Errors
    /// [`LoadError`] names the line for a broken shape, and path and mend for broken content.
    pub fn from_json(text: &str) -> Result<Self, LoadError> {
        let vehicle: Self = serde_json::from_str(text).map_err(|e| LoadError::Shape {
            line: e.line(),
            column: e.column(),
            what: e.to_string(),
        })?;
        if vehicle.format != FORMAT {
            return Err(LoadError::Format(vehicle.format));
        }
        let problems = vehicle.problems();
        if problems.is_empty() { Ok(vehicle) } else { Err(LoadError::Content(problems)) }
    }

    /// The JSON Schema of the vehicle file.
    pub fn schema() -> serde_json::Value {
        schemars::schema_for!(Vehicle).to_value()
    }
}
