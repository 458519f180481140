//! Service 11, ECU reset.

use crate::{Gateway, LinkError};

/// What is reset (ISO 14229-1 table 34).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// As power off and on.
    Hard = 0x01,
    /// As key off and on.
    KeyOffOn = 0x02,
    /// The program starts anew.
    Soft = 0x03,
}

/// Resets a module.
///
/// # Errors
/// [`LinkError`].
pub async fn reset(link: &Gateway, who: u16, kind: Kind) -> Result<(), LinkError> {
    link.request(who, "a reset", &[0x11, kind as u8]).await.map(|_| ())
}
