//! Service 19: supported codes with status (0A) and snapshots (04).

use super::garbled;
use crate::{Gateway, LinkError};

/// A code with its status byte.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Status {
    /// Code and failure type (SAE J2012-DA).
    pub code: [u8; 3],
    /// Status byte (ISO 14229-1 D.2).
    pub status: u8,
}

/// Every code the module supports (19 0A).
///
/// # Errors
/// [`LinkError`].
pub async fn supported(link: &Gateway, who: u16) -> Result<Vec<Status>, LinkError> {
    list(link, who, &[0x19, 0x0A]).await
}

async fn list(link: &Gateway, who: u16, request: &[u8]) -> Result<Vec<Status>, LinkError> {
    let asked = "its codes";
    let answer = link.request(who, asked, request).await?;
    match answer.as_slice() {
        [0x59, _, _, records @ ..] if records.len() % 4 == 0 => Ok(records
            .chunks_exact(4)
            .map(|r| Status { code: [r[0], r[1], r[2]], status: r[3] })
            .collect()),
        other => Err(garbled(who, asked, other)),
    }
}

/// Codes whose status has any bit of a mask (19 02).
///
/// # Errors
/// [`LinkError`].
pub async fn by_mask(link: &Gateway, who: u16, mask: u8) -> Result<Vec<Status>, LinkError> {
    list(link, who, &[0x19, 0x02, mask]).await
}

/// Counters of a code (19 06, all records): record number and value.
///
/// # Errors
/// [`LinkError`].
pub async fn extended(link: &Gateway, who: u16, code: [u8; 3]) -> Result<Vec<(u8, u8)>, LinkError> {
    let asked = "the counters of a code";
    let answer = link.request(who, asked, &[0x19, 0x06, code[0], code[1], code[2], 0xFF]).await?;
    match answer.as_slice() {
        [0x59, 0x06, a, b, c, _, records @ ..]
            if [*a, *b, *c] == code && records.len() % 2 == 0 =>
        {
            Ok(records.chunks_exact(2).map(|r| (r[0], r[1])).collect())
        }
        other => Err(garbled(who, asked, other)),
    }
}

/// A snapshot value by its data identifier.
pub type Recorded = (u16, Vec<u8>);

/// The first snapshot of a code (19 04); `lengths` says how long each identifier's data is. What
/// follows an identifier of unknown length cannot be divided: it is handed on as that one's data.
///
/// # Errors
/// [`LinkError`].
pub async fn snapshot(
    link: &Gateway,
    who: u16,
    code: [u8; 3],
    lengths: impl Fn(u16) -> Option<usize>,
) -> Result<Vec<Recorded>, LinkError> {
    let asked = "the freeze-frame data of a code";
    let request = [0x19, 0x04, code[0], code[1], code[2], 0x01];
    let answer = link.request(who, asked, &request).await?;
    let [0x59, 0x04, _, _, _, _, rest @ ..] = answer.as_slice() else {
        return Err(garbled(who, asked, &answer));
    };
    let [_, count, data @ ..] = rest else {
        return Ok(Vec::new());
    };
    divided(*count, data, lengths).ok_or_else(|| garbled(who, asked, &answer))
}

/// Divides a snapshot's data by its identifiers; nothing where it ends in the middle of one.
fn divided(
    count: u8,
    mut data: &[u8],
    lengths: impl Fn(u16) -> Option<usize>,
) -> Option<Vec<Recorded>> {
    let mut out = Vec::new();
    for _ in 0..count {
        let [high, low, tail @ ..] = data else { return None };
        let did = u16::from_be_bytes([*high, *low]);
        let Some(n) = lengths(did) else {
            out.push((did, tail.to_vec()));
            return Some(out);
        };
        out.push((did, tail.get(..n)?.to_vec()));
        data = &tail[n..];
    }
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::divided;
    use proptest::prelude::*;

    fn lengths(did: u16) -> Option<usize> {
        [(0xDD02, 2), (0xDD01, 3)].iter().find(|(d, _)| *d == did).map(|(_, n)| *n)
    }

    #[test]
    fn an_identifier_of_unknown_length_leaves_the_rest_as_it_is() {
        // Supply 8.9 V (22 C4), an unknown identifier with three bytes behind it.
        let data = [0xDD, 0x02, 0x22, 0xC4, 0x12, 0x34, 1, 2, 3];
        let read = divided(3, &data, lengths).unwrap();
        assert_eq!(read, [(0xDD02, vec![0x22, 0xC4]), (0x1234, vec![1, 2, 3])]);
        assert_eq!(divided(1, &[0xDD, 0x01, 1], lengths), None, "it ends in the middle");
    }

    proptest! {
        #[test]
        fn no_bytes_panic(count in any::<u8>(), data in proptest::collection::vec(any::<u8>(), 0..40)) {
            let _ = divided(count, &data, lengths);
        }
    }
}
