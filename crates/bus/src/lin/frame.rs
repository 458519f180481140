//! Identifiers with parity and the two kinds of check sum (ISO 17987-3).

/// The protected identifier: six bits and two of parity.
pub fn protected(id: u8) -> u8 {
    let bit = |k: u8| id >> k & 1;
    let even = bit(0) ^ bit(1) ^ bit(2) ^ bit(4);
    let odd = 1 ^ bit(1) ^ bit(3) ^ bit(4) ^ bit(5);
    id & 0x3F | even << 6 | odd << 7
}

/// Identifiers of diagnostic frames, whose check sum is always the classic one.
pub const DIAGNOSTIC: [u8; 2] = [0x3C, 0x3D];

/// What a check sum is over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Sum {
    /// The data alone.
    Classic,
    /// The protected identifier as well.
    Enhanced,
}

/// The check sum: all bytes added with carry, inverted.
pub fn checksum(sum: Sum, protected: u8, data: &[u8]) -> u8 {
    let first = match sum {
        Sum::Classic => 0,
        Sum::Enhanced => u16::from(protected),
    };
    let all = data.iter().fold(first, |sum, b| {
        let sum = sum + u16::from(*b);
        if sum > 0xFF { sum - 0xFF } else { sum }
    });
    !(all as u8)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_standards_own_examples_come_out() {
        // Diagnostic requests and answers are 3C and 7D on the line.
        assert_eq!([0x3C, 0x3D].map(protected), [0x3C, 0x7D]);
        // From the table of identifiers: 00 is 80, 01 is C1, 02 is 42, 0F is CF, 3F is BF.
        assert_eq!([0x00, 0x01, 0x02, 0x0F, 0x3F].map(protected), [0x80, 0xC1, 0x42, 0xCF, 0xBF]);
        // The example of the check sum: 4A 55 93 E5 add up with carry to 19, inverted E6.
        assert_eq!(checksum(Sum::Classic, 0, &[0x4A, 0x55, 0x93, 0xE5]), 0xE6);
        assert_eq!(checksum(Sum::Enhanced, 0x4A, &[0x55, 0x93, 0xE5]), 0xE6);
    }
}
