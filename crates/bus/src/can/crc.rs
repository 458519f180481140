//! Cyclic redundancy checks of CAN (ISO 11898-1).

/// A check over bits, the first one first.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Crc {
    polynomial: u32,
    width: u32,
    register: u32,
}

impl Crc {
    /// Of classic frames: x^15 + x^14 + x^10 + x^8 + x^7 + x^4 + x^3 + 1, from zero.
    pub const fn classic() -> Self {
        Self { polynomial: 0x4599, width: 15, register: 0 }
    }

    /// Of FD frames with up to 16 data bytes; it starts with its highest bit set.
    pub const fn fd_short() -> Self {
        Self { polynomial: 0x1_685B, width: 17, register: 1 << 16 }
    }

    /// Of FD frames with more.
    pub const fn fd_long() -> Self {
        Self { polynomial: 0x10_2899, width: 21, register: 1 << 20 }
    }

    /// Takes the next bit.
    pub fn push(&mut self, bit: bool) {
        let top = self.register >> (self.width - 1) & 1 != 0;
        self.register = self.register << 1 & ((1 << self.width) - 1);
        if top != bit {
            self.register ^= self.polynomial;
        }
    }

    /// Its value.
    pub fn value(&self) -> u32 {
        self.register
    }

    /// How many bits it has.
    pub fn width(&self) -> u32 {
        self.width
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The check value that catalogues of such checks publish: over the digits 1 to 9, from zero.
    fn check(mut crc: Crc) -> u32 {
        crc.register = 0;
        for byte in b"123456789" {
            (0..8).rev().for_each(|k| crc.push(byte >> k & 1 != 0));
        }
        crc.value()
    }

    #[test]
    fn the_published_check_values_come_out() {
        assert_eq!(check(Crc::classic()), 0x059E);
        assert_eq!(check(Crc::fd_short()), 0x0_4F03);
        assert_eq!(check(Crc::fd_long()), 0x0E_D841);
    }
}
