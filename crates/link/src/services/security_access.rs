//! Service 27, security access: a seed is asked for, its key sent.

use super::garbled;
use crate::{Gateway, LinkError};

/// Unlocks a level, an odd number; `key` works the key out of the seed. A seed of zeros says that
/// the level is open already.
///
/// # Errors
/// [`LinkError`].
pub async fn unlock(
    link: &Gateway,
    who: u16,
    level: u8,
    key: impl FnOnce(&[u8]) -> Vec<u8>,
) -> Result<(), LinkError> {
    let asked = "security access";
    let answer = link.request(who, asked, &[0x27, level]).await?;
    let [0x67, _, seed @ ..] = answer.as_slice() else {
        return Err(garbled(who, asked, &answer));
    };
    if seed.iter().all(|b| *b == 0) {
        return Ok(());
    }
    let request = [&[0x27, level.wrapping_add(1)][..], &key(seed)].concat();
    link.request(who, asked, &request).await.map(|_| ())
}
