//! The log format of the can-utils (`candump -l`): `(seconds) interface id#data`, a line a frame.

use super::{FormatError, Logged};
use crate::can::frame::{Fd, Frame, Id, length};
use std::fmt::Write;

/// Longest line that can be one: an FD frame of 64 bytes with everything around it.
const LONGEST: usize = 256;

fn hex(byte: u8) -> Option<u8> {
    match byte {
        b'0'..=b'9' => Some(byte - b'0'),
        b'a'..=b'f' => Some(byte - b'a' + 10),
        b'A'..=b'F' => Some(byte - b'A' + 10),
        _ => None,
    }
}

/// Digits of a number in any case; none for none, or another letter.
fn number(text: &[u8]) -> Option<u32> {
    if text.is_empty() || text.len() > 8 {
        return None;
    }
    text.iter().try_fold(0u32, |n, b| Some(n << 4 | u32::from(hex(*b)?)))
}

fn time(text: &[u8]) -> Option<f64> {
    let text = text.strip_prefix(b"(")?.strip_suffix(b")")?;
    let dot = text.iter().position(|b| *b == b'.')?;
    let whole = |t: &[u8]| {
        let digits = !t.is_empty() && t.len() < 16 && t.iter().all(u8::is_ascii_digit);
        digits.then(|| t.iter().fold(0u64, |n, b| 10 * n + u64::from(b - b'0')))
    };
    let (seconds, part) = (whole(&text[..dot])?, &text[dot + 1..]);
    Some(seconds as f64 + whole(part)? as f64 / 10f64.powi(part.len() as i32))
}

fn bytes(text: &[u8]) -> Option<Vec<u8>> {
    // Points between bytes are allowed.
    let mut out = Vec::with_capacity(text.len() / 2);
    let mut rest = text;
    while let [high, low, tail @ ..] = rest {
        out.push(hex(*high)? << 4 | hex(*low)?);
        rest = tail.strip_prefix(b".").unwrap_or(tail);
    }
    rest.is_empty().then_some(out)
}

fn id(text: &[u8]) -> Option<Id> {
    let number = number(text)?;
    match text.len() {
        3 if number <= 0x7FF => Some(Id::Standard(number as u16)),
        8 if number <= 0x1FFF_FFFF => Some(Id::Extended(number)),
        _ => None,
    }
}

fn frame(text: &[u8]) -> Result<Frame, &'static str> {
    let hash = text.iter().position(|b| *b == b'#').ok_or("there is no # between id and data")?;
    let id = id(&text[..hash]).ok_or("the id is not three or eight hexadecimal digits")?;
    let data = &text[hash + 1..];
    if let Some(data) = data.strip_prefix(b"#") {
        let (flags, data) = data.split_first().ok_or("the flags of the FD frame are missing")?;
        let flags = hex(*flags).ok_or("the flags of the FD frame are not a hexadecimal digit")?;
        let data = bytes(data).ok_or("the data are not pairs of hexadecimal digits")?;
        let fd = Fd { switched: flags & 1 != 0, passive: flags & 2 != 0 };
        let frame = Frame::flexible(id, fd, &data);
        return match frame.data.len() == data.len() {
            true => Ok(frame),
            false => Err("an FD frame has no such length"),
        };
    }
    if let Some(length) = data.strip_prefix(b"R") {
        let dlc = match length {
            [] => 0,
            [digit] => {
                hex(*digit).filter(|n| *n <= 8).ok_or("a remote frame asks for 0 to 8 bytes")?
            }
            _ => return Err("after R stands one digit"),
        };
        return Ok(Frame { id, remote: true, fd: None, dlc, data: Vec::new() });
    }
    // A length code above eight stands after the data: `123#1122334455667788_B`.
    let (data, code) = match data.iter().position(|b| *b == b'_') {
        Some(at) => match &data[at + 1..] {
            [digit] => (&data[..at], hex(*digit).filter(|n| *n > 8)),
            _ => (data, None),
        },
        None => (data, None),
    };
    let data = bytes(data).ok_or("the data are not pairs of hexadecimal digits")?;
    if data.len() > length(8, false) {
        return Err("a classic frame has up to 8 bytes");
    }
    let mut frame = Frame::classic(id, &data);
    if let Some(code) = code.filter(|_| data.len() == 8) {
        frame.dlc = code;
    }
    Ok(frame)
}

/// Reads one line; nothing of an empty one.
fn line(text: &[u8]) -> Result<Option<Logged>, &'static str> {
    if text.len() > LONGEST {
        return Err("the line is too long for a frame");
    }
    let mut words = text.split(|b| b.is_ascii_whitespace()).filter(|w| !w.is_empty());
    let Some(first) = words.next() else { return Ok(None) };
    let at_s = time(first).ok_or("it does not begin with a time, as (1.000000)")?;
    let bus = words.next().ok_or("the interface is missing")?;
    let frame = frame(words.next().ok_or("the frame is missing")?)?;
    Ok(Some(Logged { at_s, bus: String::from_utf8_lossy(bus).into_owned(), frame }))
}

/// Hands on every frame of a log, in its order.
///
/// # Errors
/// [`FormatError::Line`] at the first line that is none.
pub fn each(text: &[u8], mut tell: impl FnMut(Logged)) -> Result<usize, FormatError> {
    let mut frames = 0;
    for (k, text) in text.split(|b| *b == b'\n').enumerate() {
        match line(text) {
            Ok(Some(logged)) => {
                frames += 1;
                tell(logged);
            }
            Ok(None) => {}
            Err(what) => return Err(FormatError::Line { line: k + 1, what: what.to_owned() }),
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
    each(text, |logged| all.push(logged))?;
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
