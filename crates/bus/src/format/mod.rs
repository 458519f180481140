//! Captures in open formats, in and out.

pub mod candump;
pub mod csv;
pub mod pcapng;
mod rows;

use crate::Frame;

/// A frame with its time and the bus it was on, as loggers write them.
#[derive(Debug, Clone, PartialEq)]
pub struct Logged {
    /// Time, seconds; of the epoch, or of the start of the log.
    pub at_s: f64,
    /// Interface.
    pub bus: String,
    /// The frame.
    pub frame: Frame,
}

/// What is wrong in a file, and where.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum FormatError {
    /// In a line of text, the first one is 1.
    #[error("line {line}: {what}")]
    Line {
        /// The line.
        line: usize,
        /// What is wrong.
        what: String,
    },
    /// At a byte.
    #[error("at byte {offset}: {what}")]
    Byte {
        /// Bytes before it.
        offset: u64,
        /// What is wrong.
        what: String,
    },
    /// It says nowhere how fast it was sampled.
    #[error("there is no time column; tell the time between two samples or the sample rate")]
    NoTimes,
    /// With all of it.
    #[error("{0}")]
    Whole(String),
}
