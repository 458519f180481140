//! A capture's file, whichever of the formats it is in.

use bus::Trace;
pub use bus::format::csv::Hints;
use bus::format::{FormatError, Logged, candump, csv, pcapng};
use std::path::Path;

/// What a file holds.
#[derive(Debug)]
pub enum Content {
    /// Voltages over time.
    Volts(Trace),
    /// Frames.
    Frames(Vec<Logged>),
}

/// First bytes of a pcapng file.
const PCAPNG: [u8; 4] = [0x0A, 0x0D, 0x0D, 0x0A];

/// Reads a file.
///
/// # Errors
/// [`FormatError`], with the line or byte.
pub fn read(path: &Path, hints: &Hints) -> Result<Content, FormatError> {
    let bytes = std::fs::read(path).map_err(|e| FormatError::Whole(e.to_string()))?;
    if bytes.starts_with(&PCAPNG) {
        return pcapng::read(&bytes).map(Content::Frames);
    }
    if bytes.trim_ascii_start().starts_with(b"(") {
        return candump::read(&bytes).map(Content::Frames);
    }
    let text = String::from_utf8_lossy(&bytes);
    csv::read(&text, hints).map(Content::Volts)
}
