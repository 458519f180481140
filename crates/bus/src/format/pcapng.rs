//! pcapng with link type 227 (SocketCAN), as network analysers write and read it.

use super::{FormatError, Logged};
use crate::can::frame::{Fd, Frame, Id, length};
use pcap_file::DataLink;
use pcap_file::pcapng::blocks::enhanced_packet::EnhancedPacketBlock;
use pcap_file::pcapng::blocks::interface_description::{
    InterfaceDescriptionBlock, InterfaceDescriptionOption,
};
use pcap_file::pcapng::{Block, PcapNgReader, PcapNgWriter};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::time::Duration;

/// Flags of an identifier: extended, remote, error message.
const EXTENDED: u32 = 1 << 31;
const REMOTE: u32 = 1 << 30;
const ERROR: u32 = 1 << 29;
/// Flags of an FD frame: switched rate, error passive, FD at all.
const SWITCHED: u8 = 1;
const PASSIVE: u8 = 2;
const FLEXIBLE: u8 = 4;
/// Bytes before the data.
const HEAD: usize = 8;

fn bytes(frame: &Frame) -> Vec<u8> {
    let id = match frame.id {
        Id::Standard(id) => u32::from(id),
        Id::Extended(id) => id | EXTENDED,
    };
    let id = if frame.remote { id | REMOTE } else { id };
    let flags = frame.fd.map_or(0, |fd| {
        FLEXIBLE | if fd.switched { SWITCHED } else { 0 } | if fd.passive { PASSIVE } else { 0 }
    });
    let len = if frame.remote { frame.dlc.min(8) } else { frame.data.len() as u8 };
    let mut out = id.to_be_bytes().to_vec();
    // A length code above eight stands in the last of the bytes before the data.
    let code = if frame.fd.is_none() && frame.dlc > 8 { frame.dlc } else { 0 };
    out.extend([len, flags, 0, code]);
    out.extend(&frame.data);
    out
}

fn frame(data: &[u8]) -> Result<Option<Frame>, &'static str> {
    let Some((head, rest)) = data.split_first_chunk::<HEAD>() else {
        return Err("a packet is too short for a CAN frame");
    };
    let word = u32::from_be_bytes([head[0], head[1], head[2], head[3]]);
    if word & ERROR != 0 {
        return Ok(None);
    }
    let id = match word & EXTENDED != 0 {
        true => Id::Extended(word & 0x1FFF_FFFF),
        false => Id::Standard((word & 0x7FF) as u16),
    };
    let (len, flags) = (usize::from(head[4]), head[5]);
    let remote = word & REMOTE != 0;
    let is_fd = flags & FLEXIBLE != 0 || len > 8;
    let data = match remote {
        true => &[][..],
        false => rest.get(..len).ok_or("a packet is shorter than its frame")?,
    };
    if is_fd {
        let fd = Fd { switched: flags & SWITCHED != 0, passive: flags & PASSIVE != 0 };
        let frame = Frame::flexible(id, fd, data);
        return match frame.data.len() == len {
            true => Ok(Some(frame)),
            false => Err("an FD frame has no such length"),
        };
    }
    let code = head[7];
    let dlc = if len == 8 && (9..16).contains(&code) { code } else { len as u8 };
    debug_assert!(remote || length(dlc, false) == data.len());
    Ok(Some(Frame { id, remote, fd: None, dlc, data: data.to_vec() }))
}

/// Seconds of one tick of an interface, and its name.
fn interface(block: &InterfaceDescriptionBlock<'_>, number: usize) -> (f64, String) {
    let (mut tick, mut name) = (1e-6, format!("can{number}"));
    for option in &block.options {
        match option {
            InterfaceDescriptionOption::IfTsResol(r) if r & 0x80 == 0 => {
                tick = 10f64.powi(-i32::from(*r));
            }
            InterfaceDescriptionOption::IfTsResol(r) => tick = 2f64.powi(-i32::from(r & 0x7F)),
            InterfaceDescriptionOption::IfName(given) => name = given.to_string(),
            _ => {}
        }
    }
    (tick, name)
}

/// Reads the CAN frames of a file; error messages of the logging machine are left out.
///
/// # Errors
/// [`FormatError`].
pub fn read(file: &[u8]) -> Result<Vec<Logged>, FormatError> {
    let whole = |what: &str| FormatError::Whole(format!("this is no pcapng file: {what}"));
    let mut reader = PcapNgReader::new(file).map_err(|e| whole(&e.to_string()))?;
    let mut out = Vec::new();
    let mut packets = 0u64;
    let mut others = 0;
    while let Some(block) = reader.next_block() {
        let before = packets;
        let wrong = |what: &str| FormatError::Whole(format!("after {before} packets: {what}"));
        let packet = match block.map_err(|e| wrong(&e.to_string()))? {
            Block::EnhancedPacket(packet) => packet.into_owned(),
            _ => continue,
        };
        let number = packet.interface_id as usize;
        let Some(at) = reader.interfaces().get(number) else {
            return Err(wrong("a packet names an interface that the file has not"));
        };
        packets += 1;
        if at.linktype != DataLink::CAN_SOCKETCAN {
            others += 1;
            continue;
        }
        let (tick, bus) = interface(at, number);
        // The reader takes ticks for nanoseconds.
        let at_s = packet.timestamp.as_nanos() as f64 * tick;
        if let Some(frame) = frame(&packet.data).map_err(wrong)? {
            out.push(Logged { at_s, bus, frame });
        }
    }
    match out.is_empty() && others > 0 {
        true => Err(FormatError::Whole(format!(
            "none of its {others} packets is a CAN frame (link type 227)"
        ))),
        false => Ok(out),
    }
}

/// Writes frames, an interface for each bus, times in nanoseconds.
///
/// # Errors
/// [`FormatError::Whole`] where a frame cannot be written.
pub fn write(all: &[Logged]) -> Result<Vec<u8>, FormatError> {
    let wrong = |e: pcap_file::PcapError| FormatError::Whole(e.to_string());
    let mut writer = PcapNgWriter::new(Vec::new()).map_err(wrong)?;
    let mut buses: BTreeMap<&str, u32> = BTreeMap::new();
    for logged in all {
        let number = buses.len() as u32;
        if !buses.contains_key(logged.bus.as_str()) {
            buses.insert(&logged.bus, number);
            let options = vec![
                InterfaceDescriptionOption::IfName(Cow::Borrowed(&logged.bus)),
                InterfaceDescriptionOption::IfTsResol(9),
            ];
            let linktype = DataLink::CAN_SOCKETCAN;
            let block = InterfaceDescriptionBlock { linktype, snaplen: 0, options };
            writer.write_pcapng_block(block).map_err(wrong)?;
        }
        let data = bytes(&logged.frame);
        let nanos = (logged.at_s * 1e9).round().max(0.0) as u64;
        let packet = EnhancedPacketBlock {
            interface_id: buses[logged.bus.as_str()],
            timestamp: Duration::from_nanos(nanos),
            original_len: data.len() as u32,
            data: Cow::Owned(data),
            options: vec![],
        };
        writer.write_pcapng_block(packet).map_err(wrong)?;
    }
    Ok(writer.into_inner())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_frame_is_laid_out_as_the_link_type_says() {
        // 18DB33F1 extended is 98DB33F1 with its flag; 2 bytes; no FD; two reserved; data.
        let frame = Frame::classic(Id::Extended(0x18DB_33F1), &[0x3E, 0x00]);
        assert_eq!(bytes(&frame), [0x98, 0xDB, 0x33, 0xF1, 2, 0, 0, 0, 0x3E, 0x00]);
        let fd = Fd { switched: true, passive: false };
        assert_eq!(
            bytes(&Frame::flexible(Id::Standard(0x123), fd, &[1]))[..8],
            [0, 0, 1, 0x23, 1, 5, 0, 0]
        );
    }

    #[test]
    fn what_is_no_such_file_says_so() {
        assert!(read(b"hello").unwrap_err().to_string().contains("no pcapng"));
        assert!(read(b"").unwrap_err().to_string().contains("no pcapng"));
    }
}
