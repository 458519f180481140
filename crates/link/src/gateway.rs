//! A session with the vehicle's gateway: routing activation, requests, timing.

use crate::doip::{Message, nack_words};
use crate::error::LinkError;
use crate::uds;
use std::net::SocketAddr;
use std::time::Duration;
use tokio::net::TcpStream;
use tokio::sync::Mutex;
use tokio::time::{Instant, timeout_at};

/// This program's logical address: the first of the range for external test equipment.
pub const TESTER: u16 = 0x0E00;
/// Time allowed for connecting and routing activation.
const CONNECT: Duration = Duration::from_secs(2);
/// P2 plus network: time for the first answer.
const P2: Duration = Duration::from_millis(600);
/// P2*: time for the answer after "pending".
const P2_STAR: Duration = Duration::from_secs(5);
/// Longest a module may keep saying "pending".
const LONGEST: Duration = Duration::from_secs(20);
/// Times a busy module is asked again.
const RETRIES: usize = 3;

/// An open link.
#[derive(Debug)]
pub struct Gateway {
    stream: Mutex<Option<TcpStream>>,
    /// Logical address of the gateway.
    pub entity: u16,
}

impl Gateway {
    /// Connects and activates routing.
    ///
    /// # Errors
    /// [`LinkError::NoConnection`], [`LinkError::NotActivated`], [`LinkError::Garbled`].
    pub async fn connect(address: SocketAddr) -> Result<Self, LinkError> {
        let none = |why: String| LinkError::NoConnection { address: address.to_string(), why };
        let until = Instant::now() + CONNECT;
        let mut stream = timeout_at(until, TcpStream::connect(address))
            .await
            .map_err(|_| none("time-out".into()))?
            .map_err(|e| none(e.to_string()))?;
        let _ = stream.set_nodelay(true);
        let exchange = async {
            Message::RoutingRequest(TESTER, 0).write(&mut stream).await?;
            Message::read(&mut stream).await
        };
        let answer = timeout_at(until, exchange)
            .await
            .map_err(|_| none("the gateway keeps silent".into()))?
            .map_err(|e| none(e.to_string()))?;
        match answer {
            Ok(Message::RoutingResponse(_, entity, 0x10)) => {
                Ok(Self { stream: Mutex::new(Some(stream)), entity })
            }
            Ok(Message::RoutingResponse(_, _, code)) => Err(LinkError::NotActivated(code)),
            other => Err(LinkError::Garbled {
                who: "the gateway".into(),
                asked: "routing activation".into(),
                got: format!("{other:?}"),
            }),
        }
    }

    /// Sends a UDS request to a module and waits for its answer, through "pending" and "busy".
    ///
    /// # Errors
    /// Any [`LinkError`]; after [`LinkError::Lost`] the link must be opened anew.
    pub async fn request(&self, who: u16, asked: &str, data: &[u8]) -> Result<Vec<u8>, LinkError> {
        let mut slot = self.stream.lock().await;
        for _ in 0..RETRIES {
            // Taken out while in use: a cancelled exchange leaves no half-read stream behind.
            let Some(mut stream) = slot.take() else {
                return Err(LinkError::Lost { asked: asked.to_owned() });
            };
            let answer = exchange(&mut stream, who, asked, data).await;
            if !matches!(answer, Err(LinkError::Lost { .. } | LinkError::Garbled { .. })) {
                *slot = Some(stream);
            }
            match answer {
                Err(LinkError::Refused { code: uds::BUSY, .. }) => {
                    tokio::time::sleep(Duration::from_millis(50)).await;
                }
                other => return other,
            }
        }
        Err(LinkError::Refused {
            who,
            asked: asked.to_owned(),
            code: uds::BUSY,
            why: uds::refusal(uds::BUSY),
        })
    }
}

async fn exchange(
    stream: &mut TcpStream,
    who: u16,
    asked: &str,
    data: &[u8],
) -> Result<Vec<u8>, LinkError> {
    let lost = || LinkError::Lost { asked: asked.to_owned() };
    Message::Diagnostic(TESTER, who, data.to_vec()).write(stream).await.map_err(|_| lost())?;
    let started = Instant::now();
    let mut until = started + P2;
    loop {
        let message =
            timeout_at(until, Message::read(stream)).await.map_err(|_| LinkError::TimeOut {
                who,
                asked: asked.to_owned(),
                millis: started.elapsed().as_millis() as u64,
            })?;
        match message.map_err(|_| lost())? {
            Ok(Message::AliveRequest) => {
                Message::AliveResponse(TESTER).write(stream).await.map_err(|_| lost())?;
            }
            Ok(Message::Nack(from, _, code)) if from == who || code != 0 => {
                return Err(LinkError::Unreachable { who, why: nack_words(code) });
            }
            Ok(Message::Diagnostic(from, _, answer)) if from == who => match answer.as_slice() {
                [0x7F, _, uds::PENDING] if started.elapsed() < LONGEST => {
                    until = Instant::now() + P2_STAR;
                }
                [0x7F, service, code] if *service == data[0] => {
                    return Err(LinkError::Refused {
                        who,
                        asked: asked.to_owned(),
                        code: *code,
                        why: uds::refusal(*code),
                    });
                }
                [first, ..] if *first == data[0].wrapping_add(0x40) => return Ok(answer),
                // A late answer to an earlier question.
                _ => {}
            },
            Ok(_) => {}
            Err(e) => {
                return Err(LinkError::Garbled {
                    who: "the gateway".into(),
                    asked: asked.to_owned(),
                    got: format!("{e:?}"),
                });
            }
        }
    }
}
