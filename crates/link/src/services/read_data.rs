//! Service 22, read data by identifier: one, or several at once.

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

/// Identifiers asked for in one request; more than the least that ISO 14229-1 leaves to a module would
/// often be refused.
pub const AT_ONCE: usize = 16;

/// Reads several identifiers with one request, at most [`AT_ONCE`], each with the length of its data; what
/// the module does not have is left out. A module that takes only one at a time is asked so.
///
/// # Errors
/// [`LinkError`], when the module does not answer at all.
pub async fn several(
    link: &Gateway,
    who: u16,
    wanted: &[(u16, usize)],
) -> Result<Vec<(u16, Vec<u8>)>, LinkError> {
    if let [_, _, ..] = wanted {
        let dids = wanted.iter().flat_map(|(did, _)| did.to_be_bytes());
        let request: Vec<u8> = std::iter::once(0x22).chain(dids).collect();
        match link.request(who, "several values", &request).await {
            Ok(answer) => {
                if let Some(all) = answer.split_first().and_then(|(_, data)| divided(data, wanted))
                {
                    return Ok(all);
                }
            }
            Err(LinkError::Refused { .. }) => {}
            Err(e) => return Err(e),
        }
    }
    let mut out = Vec::new();
    for (did, _) in wanted {
        match by_identifier(link, who, *did).await {
            Ok(data) => out.push((*did, data)),
            Err(LinkError::Refused { .. }) => {}
            Err(e) => return Err(e),
        }
    }
    Ok(out)
}

/// Divides an answer by identifiers and lengths; nothing where it does not come out even.
fn divided(mut data: &[u8], wanted: &[(u16, usize)]) -> Option<Vec<(u16, Vec<u8>)>> {
    let mut out = Vec::new();
    while !data.is_empty() {
        let [high, low, tail @ ..] = data else { return None };
        let did = u16::from_be_bytes([*high, *low]);
        let (_, length) = wanted.iter().find(|(d, _)| *d == did)?;
        out.push((did, tail.get(..*length)?.to_vec()));
        data = &tail[*length..];
    }
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::divided;
    use proptest::prelude::*;

    #[test]
    fn an_answer_is_divided_by_the_lengths_that_are_known() {
        let wanted = [(0x2001, 2), (0x2052, 1), (0x2053, 2)];
        // 12.6 V are 12600 = 0x3138; 2053 is one the module does not have.
        let all = divided(&[0x20, 0x01, 0x31, 0x38, 0x20, 0x52, 1], &wanted);
        assert_eq!(all, Some(vec![(0x2001, vec![0x31, 0x38]), (0x2052, vec![1])]));
        assert_eq!(divided(&[0x20, 0x01, 0x31], &wanted), None, "it ends too early");
        assert_eq!(divided(&[0x20, 0x99, 0x31], &wanted), None, "nobody asked for it");
    }

    proptest! {
        #[test]
        fn no_bytes_panic(data in proptest::collection::vec(any::<u8>(), 0..60), length in 0usize..9) {
            let _ = divided(&data, &[(0x0101, length), (0x0202, 1)]);
        }
    }
}
