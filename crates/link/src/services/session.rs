//! Service 10, diagnostic session control.

use crate::{Gateway, LinkError};

/// Enters the extended session (03), in which outputs may be driven.
///
/// # Errors
/// [`LinkError`].
pub async fn extended(link: &Gateway, who: u16) -> Result<(), LinkError> {
    link.request(who, "the extended session", &[0x10, 0x03]).await.map(|_| ())
}

/// Goes back to the default session (01): what was driven is given back.
///
/// # Errors
/// [`LinkError`].
pub async fn default(link: &Gateway, who: u16) -> Result<(), LinkError> {
    link.request(who, "the default session", &[0x10, 0x01]).await.map(|_| ())
}
