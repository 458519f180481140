//! A session with the vehicle's gateway: routing activation, many requests in flight, timing.
//!
//! One task reads; what it hears goes to whoever waits for that module. Each module is asked one
//! thing at a time, as ISO 14229-2 wants it; different modules at once.

use crate::doip::{Message, nack_words};
use crate::error::LinkError;
use crate::uds;
use std::collections::HashMap;
use std::net::SocketAddr;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tokio::net::TcpStream;
use tokio::net::tcp::{OwnedReadHalf, OwnedWriteHalf};
use tokio::sync::{Semaphore, mpsc};
use tokio::task::JoinHandle;
use tokio::time::{Instant, timeout_at};

/// This program's logical address: the first of the range for external test equipment.
pub const TESTER: u16 = 0x0E00;
/// Time allowed for connecting and routing activation.
const CONNECT: Duration = Duration::from_secs(2);
/// Times a busy module is asked again, and the pause before.
const RETRIES: usize = 3;
const BUSY_PAUSE: Duration = Duration::from_millis(50);
/// Modules asked at once; gateways have little room for more.
const AT_ONCE: usize = 16;
/// Messages of a module kept for whoever waits; a module that floods loses the rest.
const KEPT: usize = 8;

/// How long answers may take (ISO 14229-2; ISO 13400-2 for the acknowledgement).
#[derive(Debug, Clone, Copy)]
pub struct Timing {
    /// Time for the gateway to say that it passes a request on, or does not (A_DoIP_Diagnostic_Message).
    pub acknowledged: Duration,
    /// P2 plus network: time for the first answer of a module, counted from the acknowledgement.
    pub p2: Duration,
    /// P2*: time for the answer after "pending".
    pub p2_star: Duration,
    /// Longest a module may keep saying "pending".
    pub longest: Duration,
}

impl Default for Timing {
    fn default() -> Self {
        Self {
            acknowledged: Duration::from_secs(2),
            p2: Duration::from_millis(600),
            p2_star: Duration::from_secs(5),
            longest: Duration::from_secs(20),
        }
    }
}

/// What came from a module, or about it.
#[derive(Debug)]
enum Heard {
    Acknowledged,
    Nack(u8),
    Data(Vec<u8>),
}

/// Who waits for which module; closed once the link is gone.
#[derive(Debug, Default)]
struct Waiting {
    of: HashMap<u16, mpsc::Sender<Heard>>,
    /// Why the link is gone, once it is.
    gone: Option<Gone>,
}

/// Why a link is gone.
#[derive(Debug, Clone)]
enum Gone {
    Closed,
    Garbled(String),
}

type Shared = Arc<Mutex<Waiting>>;

fn lock(shared: &Shared) -> MutexGuard<'_, Waiting> {
    shared.lock().unwrap_or_else(PoisonError::into_inner)
}

/// An open link; dropping it closes it.
#[derive(Debug)]
pub struct Gateway {
    write: Arc<tokio::sync::Mutex<OwnedWriteHalf>>,
    waiting: Shared,
    /// Held while a module is asked.
    turns: Mutex<HashMap<u16, Arc<tokio::sync::Mutex<()>>>>,
    room: Semaphore,
    reader: JoinHandle<()>,
    timing: Timing,
    /// Logical address of the gateway.
    pub entity: u16,
}

impl Drop for Gateway {
    fn drop(&mut self) {
        self.reader.abort();
    }
}

impl Gateway {
    /// Connects and activates routing.
    ///
    /// # Errors
    /// [`LinkError::NoConnection`], [`LinkError::NotActivated`], [`LinkError::Garbled`].
    pub async fn connect(address: SocketAddr) -> Result<Self, LinkError> {
        Self::connect_with(address, Timing::default()).await
    }

    /// The same with other patience.
    ///
    /// # Errors
    /// As [`Gateway::connect`].
    pub async fn connect_with(address: SocketAddr, timing: Timing) -> Result<Self, LinkError> {
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
        let entity = match answer {
            Ok(Message::RoutingResponse(_, entity, 0x10)) => entity,
            Ok(Message::RoutingResponse(_, _, code)) => return Err(LinkError::NotActivated(code)),
            other => {
                return Err(LinkError::Garbled {
                    who: "the gateway".into(),
                    asked: "routing activation".into(),
                    got: format!("{other:?}"),
                });
            }
        };
        let (read, write) = stream.into_split();
        let write = Arc::new(tokio::sync::Mutex::new(write));
        let waiting = Shared::default();
        let reader = tokio::spawn(read_on(read, Arc::clone(&write), Arc::clone(&waiting)));
        let (turns, room) = (Mutex::default(), Semaphore::new(AT_ONCE));
        Ok(Self { write, waiting, turns, room, reader, timing, entity })
    }

    /// Whether the link is gone; it must be opened anew then.
    pub fn is_gone(&self) -> bool {
        lock(&self.waiting).gone.is_some()
    }

    /// Sends a UDS request to a module and waits for its answer, through "pending" and "busy".
    /// May be dropped at any time: a late answer is then thrown away.
    ///
    /// # Errors
    /// Any [`LinkError`]; after [`LinkError::Lost`] the link must be opened anew.
    pub async fn request(&self, who: u16, asked: &str, data: &[u8]) -> Result<Vec<u8>, LinkError> {
        let turn = {
            let mut turns = self.turns.lock().unwrap_or_else(PoisonError::into_inner);
            Arc::clone(turns.entry(who).or_default())
        };
        let _turn = turn.lock().await;
        let _room = self.room.acquire().await.map_err(|_| self.lost(asked))?;
        let mut tries = RETRIES;
        loop {
            match self.exchange(who, asked, data).await {
                Err(LinkError::Refused { code: uds::BUSY, .. }) if tries > 1 => {
                    tries -= 1;
                    tokio::time::sleep(BUSY_PAUSE).await;
                }
                other => return other,
            }
        }
    }

    /// Sends a UDS request that nobody answers, such as "tester present" to say nothing about.
    ///
    /// # Errors
    /// [`LinkError::Lost`].
    pub async fn tell(&self, who: u16, asked: &str, data: &[u8]) -> Result<(), LinkError> {
        let message = Message::Diagnostic(TESTER, who, data.to_vec());
        message.write(&mut *self.write.lock().await).await.map_err(|_| self.lost(asked))
    }

    fn lost(&self, asked: &str) -> LinkError {
        match lock(&self.waiting).gone.clone() {
            Some(Gone::Garbled(got)) => {
                LinkError::Garbled { who: "the gateway".into(), asked: asked.to_owned(), got }
            }
            _ => LinkError::Lost { asked: asked.to_owned() },
        }
    }

    async fn exchange(&self, who: u16, asked: &str, data: &[u8]) -> Result<Vec<u8>, LinkError> {
        let (send, mut heard) = mpsc::channel(KEPT);
        {
            let mut waiting = lock(&self.waiting);
            if waiting.gone.is_some() {
                drop(waiting);
                return Err(self.lost(asked));
            }
            waiting.of.insert(who, send);
        }
        let _wait = Wait { waiting: &self.waiting, who };
        self.tell(who, asked, data).await?;
        let started = Instant::now();
        let mut until = started + self.timing.acknowledged;
        let mut nonsense = None;
        let refused = |code: u8| LinkError::Refused {
            who,
            asked: asked.to_owned(),
            code,
            why: uds::refusal(code),
        };
        // Whoever said "pending" is there, however long it takes: it is no silence.
        let mut pending = false;
        let late = |nonsense: Option<Vec<u8>>, pending: bool| match nonsense {
            Some(got) => uds::garbled(who, asked, &got),
            None if pending => refused(uds::PENDING),
            None => LinkError::TimeOut {
                who,
                asked: asked.to_owned(),
                millis: started.elapsed().as_millis() as u64,
            },
        };
        loop {
            let Ok(message) = timeout_at(until, heard.recv()).await else {
                return Err(late(nonsense, pending));
            };
            match message.ok_or_else(|| self.lost(asked))? {
                // It counts for this question only before the module said anything.
                Heard::Acknowledged if !pending => until = Instant::now() + self.timing.p2,
                Heard::Acknowledged => {}
                Heard::Nack(code) => {
                    return Err(LinkError::Unreachable { who, why: nack_words(code) });
                }
                Heard::Data(answer) => match answer.as_slice() {
                    [0x7F, service, uds::PENDING] if *service == data[0] => {
                        pending = true;
                        let last = started + self.timing.longest;
                        if Instant::now() >= last {
                            return Err(refused(uds::PENDING));
                        }
                        until = (Instant::now() + self.timing.p2_star).min(last);
                    }
                    [0x7F, service, code] if *service == data[0] => return Err(refused(*code)),
                    _ if uds::answers(data, &answer) => return Ok(answer),
                    // A late answer to an earlier question, or noise.
                    _ => nonsense = Some(answer),
                },
            }
        }
    }
}

/// Stops waiting for a module, however the wait ends.
struct Wait<'a> {
    waiting: &'a Shared,
    who: u16,
}

impl Drop for Wait<'_> {
    fn drop(&mut self) {
        lock(self.waiting).of.remove(&self.who);
    }
}

/// Reads until the link is gone, and hands on what comes.
async fn read_on(
    mut read: OwnedReadHalf,
    write: Arc<tokio::sync::Mutex<OwnedWriteHalf>>,
    waiting: Shared,
) {
    let hand_on = |who: u16, heard: Heard| {
        let to = lock(&waiting).of.get(&who).cloned();
        // What nobody waits for, and what floods whoever does, is thrown away.
        if let Some(to) = to {
            let _ = to.try_send(heard);
        }
    };
    let gone = loop {
        match Message::read(&mut read).await {
            Err(_) => break Gone::Closed,
            Ok(Err(e)) => break Gone::Garbled(format!("a header that is none ({e:?})")),
            Ok(Ok(message)) => match message {
                Message::AliveRequest => {
                    let alive = Message::AliveResponse(TESTER);
                    if alive.write(&mut *write.lock().await).await.is_err() {
                        break Gone::Closed;
                    }
                }
                Message::Diagnostic(from, TESTER, data) if !data.is_empty() => {
                    hand_on(from, Heard::Data(data));
                }
                Message::Nack(from, _, code) => hand_on(from, Heard::Nack(code)),
                Message::Ack(from, _) => hand_on(from, Heard::Acknowledged),
                // All else is none of ours.
                _ => {}
            },
        }
    };
    let mut waiting = lock(&waiting);
    waiting.gone = Some(gone);
    waiting.of.clear();
}
