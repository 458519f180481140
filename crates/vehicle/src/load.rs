//! From bytes to a vehicle the rest can trust.

use crate::{FORMAT, Vehicle};
use std::borrow::Cow;
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
    #[error("{path} (line {line}, column {column}): {what}")]
    Shape {
        /// Where in the document, for example `wires[3].to`.
        path: String,
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
    #[error("{}", listed(.0))]
    Content(Vec<Problem>),
}

/// Problems said at once; more than anybody mends before checking again are counted.
const SAID: usize = 50;
/// Longest text shown of what a file holds, characters.
const LONGEST: usize = 200;

/// Problems as lines: so many as anybody mends at once, the rest counted.
pub fn listed(problems: &[Problem]) -> String {
    let mut lines: Vec<String> = problems.iter().take(SAID).map(ToString::to_string).collect();
    if let more @ 1.. = problems.len().saturating_sub(SAID) {
        lines.push(format!("and {more} more; mend these first and check again"));
    }
    lines.join("\n")
}

/// A text, cut where it is longer than anybody reads.
pub(crate) fn short(text: &str) -> Cow<'_, str> {
    match text.char_indices().nth(LONGEST) {
        Some((end, _)) => format!("{} …", &text[..end]).into(),
        None => text.into(),
    }
}

/// Why a JSON document does not have the shape of a type: path, line, column, reason.
pub fn misshapen(
    e: serde_path_to_error::Error<serde_json::Error>,
) -> (String, usize, usize, String) {
    let path = short(&e.path().to_string()).into_owned();
    let why = e.into_inner();
    let text = why.to_string();
    let what = short(text.split(" at line ").next().unwrap_or_default()).into_owned();
    (path, why.line(), why.column(), what)
}

impl Vehicle {
    /// Parses and validates a vehicle file.
    ///
    /// # Errors
    /// [`LoadError`] names the line for a broken shape, and path and mend for broken content.
    pub fn from_json(text: &str) -> Result<Self, LoadError> {
        let mut reader = serde_json::Deserializer::from_str(text);
        let read = serde_path_to_error::deserialize(&mut reader);
        let vehicle: Self = read.map_err(|e| {
            let (path, line, column, what) = misshapen(e);
            LoadError::Shape { path, line, column, what }
        })?;
        reader.end().map_err(|e| LoadError::Shape {
            path: "after the end".into(),
            line: e.line(),
            column: e.column(),
            what: "something follows the document".into(),
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
