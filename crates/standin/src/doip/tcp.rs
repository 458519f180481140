//! Routing activation and diagnostic messages over TCP. Each module answers in its own time.

use super::{MOST, NACK_LENGTH, NACK_UNKNOWN, frame, header, word};
use crate::manners::Manner;
use crate::{Shared, services};
use std::collections::HashMap;
use std::time::Duration;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::tcp::OwnedReadHalf;
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::mpsc;
use tokio::time::{sleep, timeout};

/// Requests a module keeps while it answers another.
const KEPT: usize = 8;
/// Frames kept for a tester that reads slowly.
const SENT: usize = 256;
/// Time a tester has to say that it is still there (T_TCP_Alive_Check).
const ALIVE_CHECK: Duration = Duration::from_millis(500);
/// Pause between the messages of a module that floods, and between those of one that keeps saying
/// "pending".
const FLOOD: Duration = Duration::from_micros(200);
const PENDING: Duration = Duration::from_millis(300);
/// A module that has no answer by then says that it is coming (well within its P2 of ISO 14229-2), and again
/// after half of P2*.
const SOON: Duration = Duration::from_millis(25);
const AGAIN: Duration = Duration::from_millis(2500);
/// How often the gateway looks whether the link was cut.
const CUT: Duration = Duration::from_millis(20);

/// Routing activation codes (ISO 13400-2 table 49).
const ACTIVATED: u8 = 0x10;
const ALREADY_ACTIVE: u8 = 0x03;

pub(crate) async fn serve(listener: TcpListener, world: Shared) {
    while let Ok((stream, _)) = listener.accept().await {
        if world.lock().manners.is_cut() {
            continue;
        }
        let world = world.clone();
        tokio::spawn(async move {
            let _ = stream.set_nodelay(true);
            let number = world.lock().number();
            let cut = async {
                while !is_cut(&world) {
                    sleep(CUT).await;
                }
            };
            tokio::select! {
                _ = session(stream, &world, number) => {}
                () = cut => {}
            }
            // Nothing stays driven by a tester that went away.
            world.lock().leaves(number);
        });
    }
}

/// One tester's connection.
async fn session(stream: TcpStream, world: &Shared, number: u64) -> std::io::Result<()> {
    let (mut read, mut write) = stream.into_split();
    let (send, mut sent) = mpsc::channel::<Vec<u8>>(SENT);
    let writer = async move {
        while let Some(bytes) = sent.recv().await {
            write.write_all(&bytes).await?;
        }
        Ok(())
    };
    tokio::select! {
        ended = listen(&mut read, send, world, number) => ended,
        ended = writer => ended,
    }
}

async fn listen(
    read: &mut OwnedReadHalf,
    send: mpsc::Sender<Vec<u8>>,
    world: &Shared,
    number: u64,
) -> std::io::Result<()> {
    let gone = |_| std::io::ErrorKind::BrokenPipe;
    let entity = world.lock().entity();
    let mut tester = None;
    let mut modules: HashMap<u16, mpsc::Sender<Vec<u8>>> = HashMap::new();
    // Answers end with the connection.
    let mut workers = tokio::task::JoinSet::new();
    loop {
        let mut h = [0u8; 8];
        read.read_exact(&mut h).await?;
        let (kind, length) = match header(h) {
            Ok(x) => x,
            Err(code) => {
                send.send(frame(0x0000, &[code])).await.map_err(gone)?;
                sleep(CUT).await;
                return Ok(());
            }
        };
        let mut p = vec![0; length as usize];
        read.read_exact(&mut p).await?;
        match kind {
            0x0005 if p.len() >= 7 => {
                let source = word(&p);
                let free = activate(world, number, source, &send).await;
                let code = if free { ACTIVATED } else { ALREADY_ACTIVE };
                tester = free.then_some(source);
                let [e, f] = entity.to_be_bytes();
                let answer = frame(0x0006, &[p[0], p[1], e, f, code, 0, 0, 0, 0]);
                send.send(answer).await.map_err(gone)?;
            }
            0x0007 => send.send(frame(0x0008, &entity.to_be_bytes())).await.map_err(gone)?,
            0x0008 => world.lock().is_alive(number),
            0x8001 if p.len() > 4 => {
                if tester != Some(word(&p)) {
                    let back = [p[2], p[3], p[0], p[1], 0x02];
                    send.send(frame(0x8003, &back)).await.map_err(gone)?;
                    continue;
                }
                if world.lock().manners.closes_now(p[4]) {
                    return Ok(());
                }
                let target = word(&p[2..]);
                let to = modules.entry(target).or_insert_with(|| {
                    let (to, requests) = mpsc::channel(KEPT);
                    workers.spawn(module(requests, send.clone(), world.clone(), number));
                    to
                });
                // One that has no room for more loses it.
                let _ = to.try_send(p);
            }
            0x0005 | 0x8001 => send.send(frame(0x0000, &[NACK_LENGTH])).await.map_err(gone)?,
            _ => send.send(frame(0x0000, &[NACK_UNKNOWN])).await.map_err(gone)?,
        }
    }
}

/// Whether a tester's address may be routed: not while another connection has it and is alive.
async fn activate(world: &Shared, number: u64, source: u16, send: &mpsc::Sender<Vec<u8>>) -> bool {
    let other = world.lock().asks_alive(number, source);
    if let Some((other, to)) = other {
        let _ = to.send(frame(0x0007, &[])).await;
        let answered = timeout(ALIVE_CHECK, async {
            while !world.lock().has_answered(other) {
                sleep(CUT).await;
            }
        });
        if answered.await.is_ok() {
            return false;
        }
        world.lock().leaves(other);
    }
    world.lock().comes(number, source, send.clone());
    true
}

/// Whether the link was cut. While something is solved the world is held, and waiting for it here would hold up
/// the timers; the next look comes soon.
fn is_cut(world: &Shared) -> bool {
    world.free().is_some_and(|w| w.manners.is_cut())
}

/// One module as this tester sees it: its answers, in order.
async fn module(
    mut requests: mpsc::Receiver<Vec<u8>>,
    send: mpsc::Sender<Vec<u8>>,
    world: Shared,
    tester: u64,
) {
    while let Some(p) = requests.recv().await {
        let (target, request) = (word(&p[2..]), &p[4..]);
        let back = [p[2], p[3], p[0], p[1]];
        let about = |kind: u16, data: &[u8]| frame(kind, &[&back[..], data].concat());
        let (latency, manner, entity) = {
            let w = world.lock();
            let module = w.module_at(target).map(|k| w.circuit.vehicle.parts[k].id.clone());
            (w.manners.latency, module.and_then(|m| w.manners.of(&m)), w.entity())
        };
        // The circuit is solved beside the timers.
        let there = {
            let world = world.clone();
            tokio::task::spawn_blocking(move || services::reach(&world, target, entity)).await
        };
        let Ok(there) = there else { return };
        let out = match there {
            services::Reach::Dead => continue,
            services::Reach::Unknown => vec![about(0x8003, &[0x03])],
            services::Reach::Silent => {
                sleep(latency).await;
                vec![about(0x8003, &[0x06])]
            }
            services::Reach::Module(part) => {
                if send.send(about(0x8002, &[0x00])).await.is_err() {
                    return;
                }
                sleep(latency).await;
                match manner {
                    Some(Manner::Silent) => continue,
                    Some(Manner::Slow { millis }) => sleep(Duration::from_millis(millis)).await,
                    Some(Manner::Busy) => {
                        let busy = about(0x8001, &[0x7F, request[0], 0x21]);
                        if world.lock().manners.is_busy(part) {
                            let _ = send.send(busy).await;
                            continue;
                        }
                    }
                    Some(Manner::Pending) => {
                        let pending = about(0x8001, &[0x7F, request[0], 0x78]);
                        while send.send(pending.clone()).await.is_ok() {
                            sleep(PENDING).await;
                        }
                        return;
                    }
                    Some(Manner::Flood) => {
                        let noise = about(0x8001, &[0x62, 0x00, 0x00, 0xAA]);
                        while send.send(noise.clone()).await.is_ok() {
                            sleep(FLOOD).await;
                        }
                        return;
                    }
                    Some(Manner::Garbled) | None => {}
                }
                let coming = about(0x8001, &[0x7F, request[0], 0x78]);
                let mut solved = {
                    let (world, request) = (world.clone(), request.to_vec());
                    tokio::task::spawn_blocking(move || {
                        services::answer(&world, part, &request, tester)
                    })
                };
                let mut wait = SOON;
                let answer = loop {
                    match timeout(wait, &mut solved).await {
                        Ok(answer) => break answer,
                        Err(_) if send.send(coming.clone()).await.is_err() => return,
                        Err(_) => wait = AGAIN,
                    }
                };
                let Ok(mut answer) = answer else { return };
                // Whoever was told to wait is told the end, wanted or not (ISO 14229-1 8.2.2).
                if answer.is_empty() && wait == AGAIN && request.len() > 1 {
                    answer = vec![request[0].wrapping_add(0x40), request[1] & 0x7F];
                }
                if manner == Some(Manner::Garbled) {
                    answer.iter_mut().for_each(|b| *b ^= 0xA5);
                }
                match answer.is_empty() || answer.len() as u32 > MOST {
                    true => continue,
                    false => vec![about(0x8001, &answer)],
                }
            }
        };
        for bytes in out {
            if send.send(bytes).await.is_err() {
                return;
            }
        }
    }
}
