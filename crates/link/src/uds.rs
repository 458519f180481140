//! UDS (ISO 14229-1): negative responses in plain words, and which answer belongs to which request.

use crate::error::LinkError;

/// Busy, repeat the request.
pub const BUSY: u8 = 0x21;
/// Correctly received, response pending.
pub const PENDING: u8 = 0x78;

/// Negative response code in plain words (ISO 14229-1 table A.1).
pub fn refusal(code: u8) -> &'static str {
    match code {
        0x10 => "it refuses without saying why",
        0x11 => "it does not have this service",
        0x12 => "it does not have this part of the service",
        0x13 => "the request has the wrong length",
        0x14 => "the answer would be too long",
        0x21 => "it is busy",
        0x22 => "conditions are not right (key, engine, speed or supply)",
        0x24 => "the requests came in the wrong order",
        0x31 => "it does not know this identifier or value",
        0x33 => "security access is needed first",
        0x35 => "the security key is wrong",
        0x36 => "too many wrong security keys",
        0x37 => "it wants a pause before the next security key",
        0x72 => "programming failed",
        0x78 => "it answers, and is still working on it; ask again in a while",
        0x7E | 0x7F => "not in this session",
        0x83 => "the engine runs",
        0x84 => "the engine does not run",
        0x92 => "the supply voltage is too high",
        0x93 => "the supply voltage is too low",
        _ => "it gives a reason this program does not know",
    }
}

/// Whether an answer is the positive one to a request: its service, and what it must repeat
/// (ISO 14229-1: the sub-function without its suppress bit, or the identifier).
pub fn answers(request: &[u8], answer: &[u8]) -> bool {
    let (Some(service), Some(first)) = (request.first(), answer.first()) else {
        return false;
    };
    if *first != service.wrapping_add(0x40) {
        return false;
    }
    let repeats = |n: usize| {
        let same = |k: usize| {
            let asked = request.get(k).copied();
            let asked = if n == 1 { asked.map(|b| b & 0x7F) } else { asked };
            asked.is_some() && asked == answer.get(k).copied()
        };
        (1..=n).all(same)
    };
    match service {
        0x10 | 0x11 | 0x19 | 0x27 | 0x31 | 0x3E => repeats(1),
        0x22 | 0x2E | 0x2F => repeats(2),
        _ => true,
    }
}

/// An answer that is none.
pub(crate) fn garbled(who: u16, asked: &str, got: &[u8]) -> LinkError {
    let shown = &got[..got.len().min(24)];
    LinkError::Garbled {
        who: format!("{who:#06x}"),
        asked: asked.to_owned(),
        got: format!("{shown:02X?}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn an_answer_belongs_to_its_request() {
        // ISO 14229-1, read data by identifier: 22 F1 90 is answered by 62 F1 90 and the data.
        assert!(answers(&[0x22, 0xF1, 0x90], &[0x62, 0xF1, 0x90, 0x57]));
        assert!(!answers(&[0x22, 0xF1, 0x90], &[0x62, 0xF1, 0x87, 0x57]), "another identifier");
        // Tester present: 3E 00 by 7E 00; the suppress bit is not repeated.
        assert!(answers(&[0x3E, 0x80], &[0x7E, 0x00]));
        assert!(answers(&[0x14, 0xFF, 0xFF, 0xFF], &[0x54]));
        assert!(!answers(&[0x19, 0x0A], &[0x59, 0x02, 0xFF]), "another report");
        assert!(!answers(&[0x10, 0x03], &[0x59, 0x03]), "another service");
    }

    proptest! {
        #[test]
        fn no_bytes_panic(
            request in proptest::collection::vec(any::<u8>(), 0..6),
            answer in proptest::collection::vec(any::<u8>(), 0..6),
        ) {
            let _ = answers(&request, &answer);
            let _ = garbled(1, "it", &answer);
        }
    }
}
