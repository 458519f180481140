//! Service 2F, input output control: drives an output, and gives it back.

use crate::{Gateway, LinkError};

/// Short-term adjustment on (03 01) or off (03 00).
///
/// # Errors
/// [`LinkError`].
pub async fn drive(link: &Gateway, who: u16, did: u16, on: bool) -> Result<(), LinkError> {
    let [h, l] = did.to_be_bytes();
    link.request(who, "driving the output", &[0x2F, h, l, 0x03, u8::from(on)]).await.map(|_| ())
}

/// Returns control to the module (00).
///
/// # Errors
/// [`LinkError`].
pub async fn give_back(link: &Gateway, who: u16, did: u16) -> Result<(), LinkError> {
    let [h, l] = did.to_be_bytes();
    link.request(who, "giving the output back", &[0x2F, h, l, 0x00]).await.map(|_| ())
}
