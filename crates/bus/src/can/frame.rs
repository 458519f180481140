//! A frame as a controller hands it on.

use serde::{Deserialize, Serialize};
use std::fmt;

/// Identifier of a frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Id {
    /// 11 bits.
    Standard(u16),
    /// 29 bits.
    Extended(u32),
}

impl Id {
    /// The number.
    pub fn number(self) -> u32 {
        match self {
            Self::Standard(id) => u32::from(id),
            Self::Extended(id) => id,
        }
    }
}

impl fmt::Display for Id {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Standard(id) => write!(f, "{id:03X}"),
            Self::Extended(id) => write!(f, "{id:08X}"),
        }
    }
}

/// What only FD frames have.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Fd {
    /// The data is sent at the faster rate (BRS).
    pub switched: bool,
    /// The sender is error passive (ESI).
    pub passive: bool,
}

/// A frame.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Frame {
    /// Identifier.
    pub id: Id,
    /// It asks for data and carries none; classic frames only.
    pub remote: bool,
    /// FD, with its own bits.
    pub fd: Option<Fd>,
    /// Data length code, 0 to 15.
    pub dlc: u8,
    /// Data.
    pub data: Vec<u8>,
}

/// Lengths that codes above 8 stand for in FD frames.
const FD_LENGTHS: [usize; 7] = [12, 16, 20, 24, 32, 48, 64];

/// Data bytes of a length code.
pub fn length(dlc: u8, fd: bool) -> usize {
    match (usize::from(dlc & 15), fd) {
        (n @ 0..=8, _) => n,
        (_, false) => 8,
        (n, true) => FD_LENGTHS[n - 9],
    }
}

/// The least length code that holds so many bytes; none above 64.
pub fn code(bytes: usize) -> Option<u8> {
    match bytes {
        0..=8 => Some(bytes as u8),
        _ => FD_LENGTHS.iter().position(|n| *n >= bytes).map(|k| k as u8 + 9),
    }
}

impl Frame {
    /// A classic data frame of up to 8 bytes; what is over is cut off.
    pub fn classic(id: Id, data: &[u8]) -> Self {
        let data = data[..data.len().min(8)].to_vec();
        Self { id, remote: false, fd: None, dlc: data.len() as u8, data }
    }

    /// An FD frame of up to 64 bytes; filled up with zeros to the next length there is.
    pub fn flexible(id: Id, fd: Fd, data: &[u8]) -> Self {
        let mut data = data[..data.len().min(64)].to_vec();
        let dlc = code(data.len()).unwrap_or(15);
        data.resize(length(dlc, true), 0);
        Self { id, remote: false, fd: Some(fd), dlc, data }
    }
}

impl fmt::Display for Frame {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", self.id)?;
        if self.remote {
            return write!(f, " remote [{}]", self.dlc);
        }
        write!(f, " [{}]", self.data.len())?;
        self.data.iter().try_for_each(|b| write!(f, " {b:02X}"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn length_codes_stand_for_the_lengths_of_the_standard() {
        let fd: Vec<usize> = (0..16).map(|dlc| length(dlc, true)).collect();
        assert_eq!(fd, [0, 1, 2, 3, 4, 5, 6, 7, 8, 12, 16, 20, 24, 32, 48, 64]);
        assert_eq!((9..16).map(|dlc| length(dlc, false)).collect::<Vec<_>>(), [8; 7]);
        assert_eq!(
            [0, 8, 9, 12, 13, 64, 65].map(code),
            [Some(0), Some(8), Some(9), Some(9), Some(10), Some(15), None]
        );
    }
}
