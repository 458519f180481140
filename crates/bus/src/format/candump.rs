//! The log format of the can-utils (`candump -l`): `(seconds) interface id#data`, a line a frame.

use super::{FormatError, Logged};
use crate::can::frame::{Fd, Frame, Id, code, length};
use std::fmt::Write;

/// Longest line that can be one: an FD frame of 64 bytes with everything around it.
const LONGEST: usize = 256;

/// Values of the hexadecimal digits, by their letters; above 15: none.
const HEX: [u8; 256] = {
    let mut table = [0xFF; 256];
    let mut k = 0u8;
    while k < 16 {
        table[b"0123456789abcdef"[k as usize] as usize] = k;
        table[b"0123456789ABCDEF"[k as usize] as usize] = k;
        k += 1;
    }
    table
};

fn hex(byte: u8) -> Option<u8> {
    let value = HEX[usize::from(byte)];
    (value < 16).then_some(value)
}

/// Digits of a number in any case; none for none, or another letter.
fn number(text: &[u8]) -> Option<u32> {
    if text.is_empty() || text.len() > 8 {
        return None;
    }
    text.iter().try_fold(0u32, |n, b| Some(n << 4 | u32::from(hex(*b)?)))
}

/// Powers of ten that fractions of seconds are divided by.
const TENS: [f64; 16] =
    [1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15];

fn time(text: &[u8]) -> Option<f64> {
    let text = text.strip_prefix(b"(")?.strip_suffix(b")")?;
    let dot = memchr::memchr(b'.', text)?;
    let whole = |t: &[u8]| {
        let short = !t.is_empty() && t.len() < TENS.len();
        let digits = short && t.iter().all(u8::is_ascii_digit);
        digits.then(|| t.iter().fold(0u64, |n, b| 10 * n + u64::from(b - b'0')))
    };
    let (seconds, part) = (whole(&text[..dot])?, &text[dot + 1..]);
    Some(seconds as f64 + whole(part)? as f64 / TENS[part.len()])
}

/// Data of one frame, without memory of its own.
#[derive(Debug, Clone, Copy)]
pub struct Bytes {
    bytes: [u8; 64],
    len: u8,
}

impl std::ops::Deref for Bytes {
    type Target = [u8];
    fn deref(&self) -> &[u8] {
        &self.bytes[..usize::from(self.len)]
    }
}

/// A line as it stands in the log.
#[derive(Debug, Clone, Copy)]
pub struct Line<'a> {
    /// Time, seconds.
    pub at_s: f64,
    /// Interface.
    pub bus: &'a [u8],
    /// Identifier.
    pub id: Id,
    /// It asks for data.
    pub remote: bool,
    /// FD, with its own bits.
    pub fd: Option<Fd>,
    /// Length code.
    pub dlc: u8,
    /// Data.
    pub data: Bytes,
}

impl Line<'_> {
    fn logged(&self) -> Logged {
        let Line { id, remote, fd, dlc, .. } = *self;
        let frame = Frame { id, remote, fd, dlc, data: self.data.to_vec() };
        Logged { at_s: self.at_s, bus: String::from_utf8_lossy(self.bus).into_owned(), frame }
    }
}

/// Reads the data; whether they were pairs of digits.
fn bytes(text: &[u8], out: &mut Bytes) -> bool {
    let mut rest = text;
    while let [high, low, tail @ ..] = rest {
        let (high, low) = (HEX[usize::from(*high)], HEX[usize::from(*low)]);
        let Some(to) = out.bytes.get_mut(usize::from(out.len)).filter(|_| high | low < 16) else {
            return false;
        };
        *to = high << 4 | low;
        out.len += 1;
        // Points between bytes are allowed.
        rest = if let [b'.', tail @ ..] = tail { tail } else { tail };
    }
    rest.is_empty()
}

fn id(text: &[u8]) -> Option<Id> {
    let number = number(text)?;
    match text.len() {
        3 if number <= 0x7FF => Some(Id::Standard(number as u16)),
        8 if number <= 0x1FFF_FFFF => Some(Id::Extended(number)),
        _ => None,
    }
}

const NO_DATA: &str = "the data are not pairs of hexadecimal digits";

/// Fills in what stands after the interface.
fn frame<'a>(text: &[u8], at_s: f64, bus: &'a [u8]) -> Result<Line<'a>, &'static str> {
    let hash = memchr::memchr(b'#', text).ok_or("there is no # between id and data")?;
    let id = id(&text[..hash]).ok_or("the id is not three or eight hexadecimal digits")?;
    let none = Bytes { bytes: [0; 64], len: 0 };
    let mut line = Line { at_s, bus, id, remote: false, fd: None, dlc: 0, data: none };
    match &text[hash + 1..] {
        [b'#', flags, data @ ..] => {
            let flags =
                hex(*flags).ok_or("the flags of the FD frame are not a hexadecimal digit")?;
            if !bytes(data, &mut line.data) {
                return Err(NO_DATA);
            }
            line.fd = Some(Fd { switched: flags & 1 != 0, passive: flags & 2 != 0 });
            let dlc = code(line.data.len()).filter(|c| length(*c, true) == line.data.len());
            line.dlc = dlc.ok_or("an FD frame has no such length")?;
        }
        [b'#'] => return Err("the flags of the FD frame are missing"),
        [b'R', asked @ ..] => {
            line.remote = true;
            line.dlc = match asked {
                [] => 0,
                [digit] => {
                    hex(*digit).filter(|n| *n <= 8).ok_or("a remote frame asks for 0 to 8 bytes")?
                }
                _ => return Err("after R stands one digit"),
            };
        }
        data => {
            // A length code above eight stands after the data: `123#1122334455667788_B`.
            let (data, over) = match data {
                [data @ .., b'_', digit] => (data, hex(*digit).filter(|n| *n > 8)),
                _ => (data, None),
            };
            if !bytes(data, &mut line.data) {
                return Err(NO_DATA);
            }
            if line.data.len() > length(8, false) {
                return Err("a classic frame has up to 8 bytes");
            }
            line.dlc = over.filter(|_| line.data.len() == 8).unwrap_or(line.data.len);
        }
    }
    Ok(line)
}

/// The next word of a line, and what follows it.
fn word(text: &[u8]) -> (&[u8], &[u8]) {
    let text = text.trim_ascii_start();
    let end = text.iter().position(u8::is_ascii_whitespace).unwrap_or(text.len());
    text.split_at(end)
}

/// Reads one line; nothing of an empty one.
fn line(text: &[u8]) -> Result<Option<Line<'_>>, &'static str> {
    if text.len() > LONGEST {
        return Err("the line is too long for a frame");
    }
    let (first, rest) = word(text);
    if first.is_empty() {
        return Ok(None);
    }
    let at_s = time(first).ok_or("it does not begin with a time, as (1.000000)")?;
    let (bus, rest) = word(rest);
    if bus.is_empty() {
        return Err("the interface is missing");
    }
    let (text, _) = word(rest);
    if text.is_empty() {
        return Err("the frame is missing");
    }
    frame(text, at_s, bus).map(Some)
}

/// Hands on every frame of a log, in its order.
///
/// # Errors
/// [`FormatError::Line`] at the first line that is none.
pub fn each<'a>(text: &'a [u8], mut tell: impl FnMut(&Line<'a>)) -> Result<usize, FormatError> {
    let mut frames = 0;
    let mut rest = text;
    let mut number = 0;
    while !rest.is_empty() {
        let end = memchr::memchr(b'\n', rest).unwrap_or(rest.len());
        let (text, tail) = rest.split_at(end);
        rest = tail.get(1..).unwrap_or_default();
        number += 1;
        match line(text) {
            Ok(Some(line)) => {
                frames += 1;
                tell(&line);
            }
            Ok(None) => {}
            Err(what) => return Err(FormatError::Line { line: number, what: what.to_owned() }),
        }
    }
    Ok(frames)
}

/// Reads a whole log.
///
/// # Errors
/// As [`each`].
pub fn read(text: &[u8]) -> Result<Vec<Logged>, FormatError> {
    let mut all = Vec::new();
    each(text, |line| all.push(line.logged()))?;
    Ok(all)
}

/// Writes a log.
pub fn write(all: &[Logged]) -> String {
    let mut out = String::with_capacity(48 * all.len());
    for logged in all {
        let Logged { at_s, bus, frame } = logged;
        let _ = write!(out, "({at_s:.6}) {bus} {}#", frame.id);
        match frame.fd {
            Some(fd) => {
                let _ = write!(out, "#{:X}", u8::from(fd.switched) | u8::from(fd.passive) << 1);
            }
            None if frame.remote => {
                let _ = write!(out, "R{}", frame.dlc);
            }
            None => {}
        }
        for byte in &frame.data {
            let _ = write!(out, "{byte:02X}");
        }
        if frame.fd.is_none() && frame.dlc > 8 && !frame.remote {
            let _ = write!(out, "_{:X}", frame.dlc);
        }
        out.push('\n');
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_as_loggers_write_them_are_read() {
        let log = b"(1436509052.249713) vcan0 044#2A366C2BBA\n\n(1.5) can1 18DB33F1#R2\r\n\
            (2.000001) can0 123##1AABB\n(3.0) can0 7DF#11.22.33\n(4.0) can0 001#1122334455667788_B\n";
        let all = read(log).unwrap();
        assert_eq!(all.len(), 5);
        assert!((all[0].at_s - 1_436_509_052.249_713).abs() < 1e-5);
        assert_eq!(
            (all[0].bus.as_str(), all[0].frame.to_string()),
            ("vcan0", "044 [5] 2A 36 6C 2B BA".into())
        );
        assert!(
            all[1].frame.remote
                && all[1].frame.dlc == 2
                && all[1].frame.id == Id::Extended(0x18DB_33F1)
        );
        let fd = Some(Fd { switched: true, passive: false });
        assert_eq!((all[2].frame.fd, &all[2].frame.data[..]), (fd, &[0xAA, 0xBB][..]));
        assert_eq!(all[3].frame.data, [0x11, 0x22, 0x33]);
        assert_eq!((all[4].frame.dlc, all[4].frame.data.len()), (11, 8));
        assert_eq!(read(write(&all).as_bytes()).unwrap(), all);
    }

    #[test]
    fn a_wrong_line_is_named_with_its_number() {
        for (text, what) in [
            ("(1.0) can0 123#00\nhello\n", "line 2: it does not begin with a time"),
            ("(1.0) can0 1234#00", "line 1: the id"),
            ("(1.0) can0 FFF#00", "line 1: the id"),
            ("(1.0) can0 123#0", "line 1: the data"),
            ("(1.0) can0 123#001122334455667788", "line 1: a classic frame"),
            ("(1.0) can0 123##0001122334455667788", "line 1: an FD frame has no such length"),
            ("(1.0) can0 123", "line 1: there is no #"),
            ("(1.0) can0", "line 1: the frame is missing"),
            ("(1.0)", "line 1: the interface is missing"),
            ("(1.0) can0 123#R9", "line 1: a remote frame"),
        ] {
            let told = read(text.as_bytes()).unwrap_err().to_string();
            assert!(told.starts_with(what), "{text}: {told}");
        }
    }
}
