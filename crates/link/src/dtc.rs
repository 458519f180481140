//! Codes as three bytes (SAE J2012-DA): two for the code, one for the failure type.

/// `B1A11` and `14` from their bytes.
pub fn text(bytes: [u8; 3]) -> (String, String) {
    let letter = ['P', 'C', 'B', 'U'][usize::from(bytes[0] >> 6)];
    let code = format!("{letter}{:X}{:X}{:02X}", (bytes[0] >> 4) & 3, bytes[0] & 15, bytes[1]);
    (code, format!("{:02X}", bytes[2]))
}

/// The bytes of a code; `None` when it is none.
pub fn bytes(code: &str, failure_type: &str) -> Option<[u8; 3]> {
    let letter = "PCBU".find(code.chars().next()?)? as u8;
    let rest = u16::from_str_radix(code.get(1..5)?, 16).ok()?;
    if code.len() != 5 || rest > 0x3FFF {
        return None;
    }
    let [high, low] = rest.to_be_bytes();
    Some([letter << 6 | high, low, u8::from_str_radix(failure_type, 16).ok()?])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_round_trip() {
        // U is 11 in the top bits: U3006 is F0 06.
        assert_eq!(bytes("U3006", "16"), Some([0xF0, 0x06, 0x16]));
        // P0301 is 03 01, B1A11 is 1001 1010 = 9A 11.
        assert_eq!(bytes("P0301", "00"), Some([0x03, 0x01, 0x00]));
        assert_eq!(text([0x9A, 0x11, 0x14]), ("B1A11".into(), "14".into()));
        assert_eq!(bytes("X0000", "00"), None);
        assert_eq!(bytes("P4000", "00"), None);
    }
}
