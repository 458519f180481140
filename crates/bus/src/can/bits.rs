//! The bits of a frame on the line (ISO 11898-1): fields, stuffing, check, end.

use super::crc::Crc;
use super::frame::{Frame, Id};

/// A bit on the line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Bit {
    /// It drives the line (a zero).
    pub dominant: bool,
    /// Sent at the rate of the data phase.
    pub fast: bool,
    /// The field it belongs to.
    pub field: Field,
}

/// Fields of a frame, in their order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Field {
    /// Start of frame.
    Start,
    /// Identifier and the bits among it, up to RTR or RRS.
    Arbitration,
    /// Reserved bits, FDF, BRS, ESI and the length code.
    Control,
    /// Data.
    Data,
    /// Stuff count and check.
    Crc,
    /// The recessive bit after the check.
    CrcDelimiter,
    /// Where receivers acknowledge.
    Acknowledge,
    /// The recessive bit after it.
    AckDelimiter,
    /// Seven recessive bits.
    End,
    /// Three recessive bits between frames.
    Intermission,
}

impl Field {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Start => "start of frame",
            Self::Arbitration => "identifier",
            Self::Control => "control field",
            Self::Data => "data",
            Self::Crc => "check (CRC)",
            Self::CrcDelimiter => "CRC delimiter",
            Self::Acknowledge => "acknowledge",
            Self::AckDelimiter => "acknowledge delimiter",
            Self::End => "end of frame",
            Self::Intermission => "intermission",
        }
    }
}

/// Equal bits after which a bit of the other kind is put in.
pub(super) const RUN: u32 = 5;
/// Data bytes above which FD frames have the longer check.
pub(super) const SHORT: usize = 16;

/// The stuff count of FD frames: Gray code of the count of stuff bits modulo 8, and a parity bit.
pub(super) fn stuff_count(stuffed: u32) -> [bool; 4] {
    let count = stuffed % 8;
    let gray = count ^ (count >> 1);
    let bits = [2, 1, 0].map(|k| gray >> k & 1 != 0);
    [bits[0], bits[1], bits[2], bits[0] ^ bits[1] ^ bits[2]]
}

struct Writer {
    out: Vec<Bit>,
    run: u32,
    last: bool,
    stuffed: u32,
    crcs: [Crc; 3],
    fast: bool,
}

impl Writer {
    /// A bit as it goes on the line, without stuffing.
    fn plain(&mut self, bit: bool, field: Field) {
        self.out.push(Bit { dominant: !bit, fast: self.fast, field });
        self.run = if bit == self.last { self.run + 1 } else { 1 };
        self.last = bit;
    }

    /// A bit with the stuffing of the first part of a frame. A stuff bit is put in before the next
    /// bit, so that none follows the last one of an FD frame's data.
    fn stuffed(&mut self, bit: bool, field: Field, is_fd: bool) {
        if self.run == RUN {
            let stuff = !self.last;
            self.plain(stuff, field);
            self.stuffed += 1;
            if is_fd {
                self.crcs.iter_mut().for_each(|c| c.push(stuff));
            }
        }
        self.plain(bit, field);
        self.crcs.iter_mut().for_each(|c| c.push(bit));
    }
}

fn bits_of(value: u32, width: u32) -> impl Iterator<Item = bool> {
    (0..width).rev().map(move |k| value >> k & 1 != 0)
}

/// The bits of a frame from its start to the end of the intermission. `acknowledged`: somebody hears it.
pub fn bits(frame: &Frame, acknowledged: bool) -> Vec<Bit> {
    let is_fd = frame.fd.is_some();
    let mut w = Writer {
        out: Vec::with_capacity(160 + 10 * frame.data.len()),
        run: 0,
        last: true,
        stuffed: 0,
        crcs: [Crc::classic(), Crc::fd_short(), Crc::fd_long()],
        fast: false,
    };
    w.stuffed(false, Field::Start, is_fd);
    let last = !is_fd && frame.remote;
    match frame.id {
        Id::Standard(id) => {
            let id = bits_of(u32::from(id), 11);
            id.chain([last]).for_each(|b| w.stuffed(b, Field::Arbitration, is_fd));
            // Identifier extension: a standard one.
            w.stuffed(false, Field::Control, is_fd);
        }
        Id::Extended(id) => {
            let head = bits_of(id >> 18, 11).chain([true, true]);
            let all = head.chain(bits_of(id & 0x3_FFFF, 18)).chain([last]);
            all.for_each(|b| w.stuffed(b, Field::Arbitration, is_fd));
            if !is_fd {
                w.stuffed(false, Field::Control, is_fd);
            }
        }
    }
    match frame.fd {
        None => w.stuffed(false, Field::Control, is_fd),
        Some(fd) => {
            for bit in [true, false, fd.switched] {
                w.stuffed(bit, Field::Control, is_fd);
            }
            w.fast = fd.switched;
            w.stuffed(fd.passive, Field::Control, is_fd);
        }
    }
    bits_of(u32::from(frame.dlc), 4).for_each(|b| w.stuffed(b, Field::Control, is_fd));
    for byte in &frame.data {
        bits_of(u32::from(*byte), 8).for_each(|b| w.stuffed(b, Field::Data, is_fd));
    }
    match (is_fd, frame.data.len() > SHORT) {
        (false, _) => {
            let crc = w.crcs[0];
            bits_of(crc.value(), crc.width()).for_each(|b| w.stuffed(b, Field::Crc, false));
            if w.run == RUN {
                let stuff = !w.last;
                w.plain(stuff, Field::Crc);
            }
        }
        (true, long) => {
            let count = stuff_count(w.stuffed);
            let mut crc = w.crcs[if long { 2 } else { 1 }];
            count.iter().for_each(|b| crc.push(*b));
            let all = count.into_iter().chain(bits_of(crc.value(), crc.width()));
            for (k, bit) in all.enumerate() {
                // A fixed stuff bit before the first of each four.
                if k % 4 == 0 {
                    let stuff = !w.last;
                    w.plain(stuff, Field::Crc);
                }
                w.plain(bit, Field::Crc);
            }
        }
    }
    w.fast = false;
    w.plain(true, Field::CrcDelimiter);
    w.plain(!acknowledged, Field::Acknowledge);
    w.plain(true, Field::AckDelimiter);
    (0..7).for_each(|_| w.plain(true, Field::End));
    (0..3).for_each(|_| w.plain(true, Field::Intermission));
    w.out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn text(bits: &[Bit]) -> String {
        bits.iter().map(|b| if b.dominant { '0' } else { '1' }).collect()
    }

    #[test]
    fn a_short_frame_has_the_bits_one_writes_by_hand() {
        // 7FF, no data: 0 | 11111 0 11111 0 1, stuffed after each five | RTR 0 | IDE 0 r0 0 | DLC 0000.
        let all = text(&bits(&Frame::classic(Id::Standard(0x7FF), &[]), true));
        // SOF 0, five ones, stuff 0, five ones, stuff 0, last one, RTR 0, IDE 0, r0 0, DLC 0 0 (five
        // zeros: stuff 1) 0 0.
        assert!(all.starts_with("01111101111101000001".to_string().as_str()), "{all}");
        assert!(all.ends_with("1011111111111"), "delimiter, acknowledge, ten and one: {all}");
    }

    #[test]
    fn the_stuff_count_is_gray_with_parity() {
        let text = |n| stuff_count(n).map(|b| if b { '1' } else { '0' }).iter().collect::<String>();
        // ISO 11898-1 table: 0 000 0, 1 001 1, 2 011 0, 3 010 1, 4 110 0, 5 111 1, 6 101 0, 7 100 1.
        let all: Vec<String> = (0..9).map(text).collect();
        assert_eq!(all, ["0000", "0011", "0110", "0101", "1100", "1111", "1010", "1001", "0000"]);
    }

    #[test]
    fn nowhere_in_the_stuffed_part_are_six_alike() {
        for id in [Id::Standard(0), Id::Standard(0x7FF), Id::Extended(0), Id::Extended(0x1FFF_FFFF)]
        {
            for data in [vec![], vec![0; 8], vec![0xFF; 8], vec![0x0F; 5]] {
                let all = bits(&Frame::classic(id, &data), true);
                let stuffed: Vec<bool> =
                    all.iter().filter(|b| b.field <= Field::Crc).map(|b| b.dominant).collect();
                assert!(stuffed.windows(6).all(|w| w.iter().any(|b| *b != w[0])), "{id} {data:?}");
            }
        }
    }
}
