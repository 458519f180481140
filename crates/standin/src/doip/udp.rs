//! Vehicle identification, entity status and power mode over UDP.

use super::{CONNECTIONS, MOST, NACK_UNKNOWN, frame, header};
use crate::Shared;
use tokio::net::UdpSocket;

/// Entity and group identification of a simulated gateway: a locally administered MAC address.
const ENTITY_ID: [u8; 6] = [0x02, 0x00, 0x00, 0x00, 0x10, 0x01];

pub(crate) async fn serve(socket: UdpSocket, world: Shared) {
    let mut datagram = [0u8; 512];
    while let Ok((n, from)) = socket.recv_from(&mut datagram).await {
        if world.lock().manners.is_cut() {
            continue;
        }
        if let Some(answer) = answer(&datagram[..n], &world) {
            let _ = socket.send_to(&answer, from).await;
        }
    }
}

fn answer(datagram: &[u8], world: &Shared) -> Option<Vec<u8>> {
    let (h, payload) = datagram.split_first_chunk::<8>()?;
    let (kind, length) = match header(*h) {
        Ok(x) => x,
        Err(code) => return Some(frame(0x0000, &[code])),
    };
    let payload = payload.get(..length as usize)?;
    let (vin, entity) = {
        let w = world.lock();
        let mut vin = [b'0'; 17];
        for (to, from) in vin.iter_mut().zip(w.vin.bytes()) {
            *to = from;
        }
        (vin, w.entity())
    };
    let announcement = || {
        let address = entity.to_be_bytes();
        frame(0x0004, &[&vin[..], &address, &ENTITY_ID, &ENTITY_ID, &[0x00, 0x00]].concat())
    };
    match kind {
        0x0001 if payload.is_empty() => Some(announcement()),
        // Asked for by identification or by number: silence unless it is this one.
        0x0002 => (payload == ENTITY_ID).then(announcement),
        0x0003 => (payload == vin).then(announcement),
        0x4001 => {
            let open = world.lock().testers.len() as u8;
            Some(frame(0x4002, &[&[0x00, CONNECTIONS, open][..], &MOST.to_be_bytes()].concat()))
        }
        0x4003 => {
            let on = world.lock().hand.key != vehicle::KeyPosition::Off;
            Some(frame(0x4004, &[u8::from(on)]))
        }
        _ => Some(frame(0x0000, &[NACK_UNKNOWN])),
    }
}
