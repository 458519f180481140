//! Service 10, diagnostic session control.

use crate::{Gateway, LinkError};

/// Enters the extended session (03), in which outputs may be driven.
///
/// # Errors
/// [`LinkError`].
pub async fn extended(link: &Gateway, who: u16) -> Result<(), LinkError> {
    link.request(who, "the extended session", &[0x10, 0x03]).await.map(|_| ())
}
