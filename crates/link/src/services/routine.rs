//! Service 31, routine control: self-tests, teaching, zeroing.

use super::garbled;
use crate::{Gateway, LinkError};

/// What is asked of a routine (ISO 14229-1 table 378).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Control {
    /// It starts.
    Start = 0x01,
    /// It stops.
    Stop = 0x02,
    /// It tells its results.
    Results = 0x03,
}

/// Starts or stops a routine or asks for its results; what it tells.
///
/// # Errors
/// [`LinkError`].
pub async fn control(
    link: &Gateway,
    who: u16,
    routine: u16,
    control: Control,
    more: &[u8],
) -> Result<Vec<u8>, LinkError> {
    let asked = format!("routine {routine:04X}");
    let id = routine.to_be_bytes();
    let request = [&[0x31, control as u8][..], &id, more].concat();
    let answer = link.request(who, &asked, &request).await?;
    match answer.as_slice() {
        [0x71, _, a, b, told @ ..] if [*a, *b] == id => Ok(told.to_vec()),
        other => Err(garbled(who, &asked, other)),
    }
}
