//! DoIP messages (ISO 13400-2): the generic header and the payloads used here.

use tokio::io::{AsyncRead, AsyncReadExt, AsyncWrite, AsyncWriteExt};

/// Protocol version 2 (ISO 13400-2:2012), as most gateways speak it.
pub const VERSION: u8 = 0x02;
/// Largest payload accepted, bytes.
pub const MOST: u32 = 64 * 1024;

/// A DoIP message.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Message {
    /// 0x0000 generic negative acknowledge.
    HeaderNack(u8),
    /// 0x0001 vehicle identification request.
    IdentificationRequest,
    /// 0x0004 vehicle announcement, or the answer to a request for it.
    Announcement {
        /// Vehicle identification number, ASCII.
        vin: [u8; 17],
        /// Logical address of the entity.
        entity: u16,
        /// Entity and group identification, as MAC addresses.
        ids: [[u8; 6]; 2],
        /// 0x00 nothing more to do, 0x10 routing activation needed for central security.
        further: u8,
    },
    /// 0x4001 entity status request.
    StatusRequest,
    /// 0x4002 entity status: node type (0 gateway), most connections, open ones, largest message.
    Status(u8, u8, u8, u32),
    /// 0x4003 power mode request.
    PowerRequest,
    /// 0x4004 power mode: 0 not ready, 1 ready, 2 not supported.
    Power(u8),
    /// 0x0005 routing activation request: tester address, activation type.
    RoutingRequest(u16, u8),
    /// 0x0006 routing activation response: tester, entity, code (0x10 is success).
    RoutingResponse(u16, u16, u8),
    /// 0x0007 alive check request.
    AliveRequest,
    /// 0x0008 alive check response: source address.
    AliveResponse(u16),
    /// 0x8001 diagnostic message: source, target, UDS data.
    Diagnostic(u16, u16, Vec<u8>),
    /// 0x8002 positive acknowledge: source, target.
    Ack(u16, u16),
    /// 0x8003 negative acknowledge: source, target, code.
    Nack(u16, u16, u8),
    /// Any other payload type.
    Other(u16, Vec<u8>),
}

/// Why bytes are no DoIP message.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Malformed {
    /// Version and inverse do not match: header nack 0x00.
    Pattern,
    /// Payload too large: header nack 0x02.
    TooLarge,
    /// Length does not fit the payload type: header nack 0x04.
    Length,
}

impl Malformed {
    /// Code of the generic negative acknowledge.
    pub fn code(self) -> u8 {
        match self {
            Self::Pattern => 0x00,
            Self::TooLarge => 0x02,
            Self::Length => 0x04,
        }
    }
}

fn word(b: &[u8]) -> u16 {
    u16::from_be_bytes([b[0], b[1]])
}

/// Payload type and length of a header.
///
/// # Errors
/// [`Malformed`].
pub fn header(h: [u8; 8]) -> Result<(u16, u32), Malformed> {
    if h[0] != !h[1] {
        return Err(Malformed::Pattern);
    }
    let length = u32::from_be_bytes([h[4], h[5], h[6], h[7]]);
    if length > MOST {
        return Err(Malformed::TooLarge);
    }
    Ok((word(&h[2..]), length))
}

impl Message {
    /// Parses the payload of a given type.
    ///
    /// # Errors
    /// [`Malformed::Length`].
    pub fn parse(kind: u16, p: &[u8]) -> Result<Self, Malformed> {
        let at_least = |n: usize| if p.len() < n { Err(Malformed::Length) } else { Ok(()) };
        Ok(match kind {
            0x0000 => {
                at_least(1)?;
                Self::HeaderNack(p[0])
            }
            0x0001 => Self::IdentificationRequest,
            0x0004 => {
                at_least(32)?;
                let mut vin = [0; 17];
                vin.copy_from_slice(&p[..17]);
                let mut ids = [[0; 6]; 2];
                ids[0].copy_from_slice(&p[19..25]);
                ids[1].copy_from_slice(&p[25..31]);
                Self::Announcement { vin, entity: word(&p[17..]), ids, further: p[31] }
            }
            0x4001 => Self::StatusRequest,
            0x4002 => {
                at_least(3)?;
                // The largest message is optional.
                let most = p.get(3..7).map_or(0, |b| u32::from_be_bytes([b[0], b[1], b[2], b[3]]));
                Self::Status(p[0], p[1], p[2], most)
            }
            0x4003 => Self::PowerRequest,
            0x4004 => {
                at_least(1)?;
                Self::Power(p[0])
            }
            0x0005 => {
                at_least(7)?;
                Self::RoutingRequest(word(p), p[2])
            }
            0x0006 => {
                at_least(9)?;
                Self::RoutingResponse(word(p), word(&p[2..]), p[4])
            }
            0x0007 => Self::AliveRequest,
            0x0008 => {
                at_least(2)?;
                Self::AliveResponse(word(p))
            }
            0x8001 => {
                at_least(5)?;
                Self::Diagnostic(word(p), word(&p[2..]), p[4..].to_vec())
            }
            0x8002 => {
                at_least(5)?;
                Self::Ack(word(p), word(&p[2..]))
            }
            0x8003 => {
                at_least(5)?;
                Self::Nack(word(p), word(&p[2..]), p[4])
            }
            other => Self::Other(other, p.to_vec()),
        })
    }

    /// The message of a UDP datagram; none when it is no DoIP.
    pub fn of_datagram(datagram: &[u8]) -> Option<Self> {
        let (h, payload) = datagram.split_first_chunk::<8>()?;
        let (kind, length) = header(*h).ok()?;
        Self::parse(kind, payload.get(..length as usize)?).ok()
    }

    /// Header and payload.
    pub fn bytes(&self) -> Vec<u8> {
        let two = |a: &u16, b: &u16| [a.to_be_bytes(), b.to_be_bytes()].concat();
        let (kind, payload) = match self {
            Self::HeaderNack(code) => (0x0000, vec![*code]),
            Self::IdentificationRequest => (0x0001, vec![]),
            Self::Announcement { vin, entity, ids, further } => {
                let entity = entity.to_be_bytes();
                (0x0004, [&vin[..], &entity, &ids[0], &ids[1], &[*further]].concat())
            }
            Self::StatusRequest => (0x4001, vec![]),
            Self::Status(kind, most, open, size) => {
                (0x4002, [&[*kind, *most, *open][..], &size.to_be_bytes()].concat())
            }
            Self::PowerRequest => (0x4003, vec![]),
            Self::Power(mode) => (0x4004, vec![*mode]),
            Self::RoutingRequest(tester, activation) => {
                (0x0005, [&tester.to_be_bytes()[..], &[*activation, 0, 0, 0, 0]].concat())
            }
            Self::RoutingResponse(tester, entity, code) => {
                (0x0006, [&two(tester, entity)[..], &[*code, 0, 0, 0, 0]].concat())
            }
            Self::AliveRequest => (0x0007, vec![]),
            Self::AliveResponse(source) => (0x0008, source.to_be_bytes().to_vec()),
            Self::Diagnostic(s, t, data) => (0x8001, [&two(s, t)[..], data].concat()),
            Self::Ack(s, t) => (0x8002, [&two(s, t)[..], &[0]].concat()),
            Self::Nack(s, t, code) => (0x8003, [&two(s, t)[..], &[*code]].concat()),
            Self::Other(kind, payload) => (*kind, payload.clone()),
        };
        let mut out = vec![VERSION, !VERSION];
        out.extend(kind.to_be_bytes());
        out.extend((payload.len() as u32).to_be_bytes());
        out.extend(payload);
        out
    }

    /// Reads one message; the inner error is a malformed one, after which the stream is useless.
    ///
    /// # Errors
    /// The stream's own.
    pub async fn read<R: AsyncRead + Unpin>(
        stream: &mut R,
    ) -> std::io::Result<Result<Self, Malformed>> {
        let mut h = [0; 8];
        stream.read_exact(&mut h).await?;
        let (kind, length) = match header(h) {
            Ok(x) => x,
            Err(e) => return Ok(Err(e)),
        };
        let mut payload = vec![0; length as usize];
        stream.read_exact(&mut payload).await?;
        Ok(Self::parse(kind, &payload))
    }

    /// Writes the message.
    ///
    /// # Errors
    /// The stream's own.
    pub async fn write<W: AsyncWrite + Unpin>(&self, stream: &mut W) -> std::io::Result<()> {
        stream.write_all(&self.bytes()).await?;
        stream.flush().await
    }
}

/// Meaning of a diagnostic negative acknowledge (ISO 13400-2 table 26).
pub fn nack_words(code: u8) -> &'static str {
    match code {
        0x02 => "it does not accept this tester's address",
        0x03 => "it does not know that address",
        0x04 => "the message is too large",
        0x05 => "it is out of memory",
        0x06 => "the module does not answer it",
        0x07 => "it does not know that network",
        0x08 => "a transport error on the vehicle's bus",
        _ => "no reason given",
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_routing_activation_is_byte_exact() {
        // Tester 0x0E00, default activation: header 02 FD 0005 00000007, then 0E00 00 00000000.
        assert_eq!(
            Message::RoutingRequest(0x0E00, 0).bytes(),
            [0x02, 0xFD, 0x00, 0x05, 0, 0, 0, 7, 0x0E, 0x00, 0, 0, 0, 0, 0]
        );
    }

    #[test]
    fn an_announcement_is_byte_exact() {
        let vin = *b"0PMWR22K8NB004417";
        let ids = [[2, 0, 0, 0, 0, 1], [2, 0, 0, 0, 0, 1]];
        let m = Message::Announcement { vin, entity: 0x1001, ids, further: 0 };
        let b = m.bytes();
        // ISO 13400-2 table 5: VIN 17, logical address 2, EID 6, GID 6, further action 1: 32 bytes.
        assert_eq!(b[..8], [0x02, 0xFD, 0x00, 0x04, 0, 0, 0, 32]);
        assert_eq!(b[8..27], [&vin[..], &[0x10, 0x01]].concat());
        assert_eq!(Message::of_datagram(&b), Some(m));
        // A request has a header and nothing more.
        assert_eq!(Message::IdentificationRequest.bytes(), [0x02, 0xFD, 0x00, 0x01, 0, 0, 0, 0]);
    }

    proptest! {
        #[test]
        fn no_datagram_panics(b in proptest::collection::vec(any::<u8>(), 0..60)) {
            let _ = Message::of_datagram(&b);
            let _ = Message::of_datagram(&[&[0x02, 0xFD][..], &b].concat());
        }

        #[test]
        fn what_is_written_is_read(s: u16, t: u16, data in proptest::collection::vec(any::<u8>(), 1..200)) {
            let m = Message::Diagnostic(s, t, data);
            let b = m.bytes();
            let (kind, length) = header(b[..8].try_into().unwrap()).unwrap();
            prop_assert_eq!(length as usize, b.len() - 8);
            prop_assert_eq!(Message::parse(kind, &b[8..]).unwrap(), m);
        }

        #[test]
        fn no_bytes_panic(h: [u8; 8], kind: u16, p in proptest::collection::vec(any::<u8>(), 0..20)) {
            let _ = header(h);
            let _ = Message::parse(kind, &p);
        }
    }
}
