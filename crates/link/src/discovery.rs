//! Vehicle identification over UDP (ISO 13400-2 7.4): who is there, before any connection.

use crate::doip::Message;
use crate::error::LinkError;
use std::net::SocketAddr;
use std::time::Duration;
use tokio::net::UdpSocket;
use tokio::time::{Instant, timeout_at};

/// Time in which vehicles answer: A_DoIP_Ctrl of ISO 13400-2.
const PATIENCE: Duration = Duration::from_secs(2);

/// A vehicle that announced itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Found {
    /// Where it can be reached.
    pub address: SocketAddr,
    /// Its vehicle identification number.
    pub vin: String,
    /// Logical address of its gateway.
    pub entity: u16,
}

/// Asks whoever listens at an address, a broadcast address too, and gathers the answers until the
/// patience ends; with `first`, until the first one.
///
/// # Errors
/// [`LinkError::NoConnection`] when the request cannot be sent, or nobody answers.
pub async fn identify(to: SocketAddr, first: bool) -> Result<Vec<Found>, LinkError> {
    let none = |why: String| LinkError::NoConnection { address: to.to_string(), why };
    let own = if to.ip().is_loopback() { "127.0.0.1:0" } else { "0.0.0.0:0" };
    let socket = UdpSocket::bind(own).await.map_err(|e| none(e.to_string()))?;
    socket.set_broadcast(true).map_err(|e| none(e.to_string()))?;
    let request = Message::IdentificationRequest.bytes();
    socket.send_to(&request, to).await.map_err(|e| none(e.to_string()))?;
    let until = Instant::now() + PATIENCE;
    let mut found: Vec<Found> = Vec::new();
    let mut datagram = [0u8; 512];
    while let Ok(Ok((n, address))) = timeout_at(until, socket.recv_from(&mut datagram)).await {
        // What is no announcement is none of ours.
        let Some(Message::Announcement { vin, entity, .. }) = Message::of_datagram(&datagram[..n])
        else {
            continue;
        };
        let vin = String::from_utf8_lossy(&vin).into_owned();
        if !found.iter().any(|f| f.address == address) {
            found.push(Found { address, vin, entity });
        }
        if first {
            break;
        }
    }
    match found.is_empty() {
        true => Err(none("no vehicle answers".into())),
        false => Ok(found),
    }
}
