//! Service 14, clear diagnostic information.

use crate::{Gateway, LinkError};

/// Clears all codes of a module.
///
/// # Errors
/// [`LinkError`].
pub async fn all(link: &Gateway, who: u16) -> Result<(), LinkError> {
    link.request(who, "clearing its codes", &[0x14, 0xFF, 0xFF, 0xFF]).await.map(|_| ())
}
