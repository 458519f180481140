//! The gateway's side of DoIP (ISO 13400-2): UDP and TCP.

mod tcp;
mod udp;

pub(crate) use tcp::serve;
pub(crate) use udp::serve as announce;

/// Longest payload taken, bytes.
const MOST: u32 = 4096;
/// Connections it takes at once.
const CONNECTIONS: u8 = 4;

/// Codes of the generic negative acknowledge (ISO 13400-2 table 19).
const NACK_PATTERN: u8 = 0x00;
const NACK_UNKNOWN: u8 = 0x01;
const NACK_TOO_LARGE: u8 = 0x02;
const NACK_LENGTH: u8 = 0x04;

/// A header with its payload.
fn frame(kind: u16, payload: &[u8]) -> Vec<u8> {
    let mut out = vec![0x02, 0xFD];
    out.extend(kind.to_be_bytes());
    out.extend((payload.len() as u32).to_be_bytes());
    out.extend(payload);
    out
}

/// Payload type and length of a header, or the code it is refused with.
fn header(h: [u8; 8]) -> Result<(u16, u32), u8> {
    let length = u32::from_be_bytes([h[4], h[5], h[6], h[7]]);
    // 0xFF is the version of those who ask for a vehicle's identity.
    match h[0] == !h[1] {
        false => Err(NACK_PATTERN),
        true if length > MOST => Err(NACK_TOO_LARGE),
        true => Ok((u16::from_be_bytes([h[2], h[3]]), length)),
    }
}

fn word(b: &[u8]) -> u16 {
    u16::from_be_bytes([b[0], b[1]])
}
