//! Service 2E, write data by identifier.

use crate::{Gateway, LinkError};

/// Writes one identifier.
///
/// # Errors
/// [`LinkError`].
pub async fn by_identifier(
    link: &Gateway,
    who: u16,
    did: u16,
    data: &[u8],
) -> Result<(), LinkError> {
    let request = [&[0x2E][..], &did.to_be_bytes(), data].concat();
    link.request(who, &format!("writing identifier {did:04X}"), &request).await.map(|_| ())
}
