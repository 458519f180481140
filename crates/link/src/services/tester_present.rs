//! Service 3E, tester present: keeps a session open.

use crate::{Gateway, LinkError};

/// Says that the tester is still there; the module need not answer.
///
/// # Errors
/// [`LinkError`].
pub async fn say(link: &Gateway, who: u16) -> Result<(), LinkError> {
    link.tell(who, "tester present", &[0x3E, 0x80]).await
}

/// Asks whether a module is there: the shortest question that is answered.
///
/// # Errors
/// [`LinkError`].
pub async fn ask(link: &Gateway, who: u16) -> Result<(), LinkError> {
    link.request(who, "whether it is there", &[0x3E, 0x00]).await.map(|_| ())
}
