//! Service 3E, tester present: keeps a session open.

use crate::{Gateway, LinkError};

/// Says that the tester is still there.
///
/// # Errors
/// [`LinkError`].
pub async fn say(link: &Gateway, who: u16) -> Result<(), LinkError> {
    link.request(who, "tester present", &[0x3E, 0x00]).await.map(|_| ())
}
