//! Service 22, read data by identifier.

use super::garbled;
use crate::{Gateway, LinkError};

/// Reads one identifier.
///
/// # Errors
/// [`LinkError`].
pub async fn by_identifier(link: &Gateway, who: u16, did: u16) -> Result<Vec<u8>, LinkError> {
    let asked = format!("identifier {did:04X}");
    let [high, low] = did.to_be_bytes();
    let answer = link.request(who, &asked, &[0x22, high, low]).await?;
    match answer.as_slice() {
        [0x62, a, b, data @ ..] if [*a, *b] == [high, low] => Ok(data.to_vec()),
        other => Err(garbled(who, &asked, other)),
    }
}
