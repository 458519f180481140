//! The gateway's side of DoIP (ISO 13400-2): routing activation, diagnostic messages.

use crate::{Shared, services};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};

/// Logical address of the gateway as a DoIP entity.
const ENTITY: u16 = 0x1001;
/// Longest payload taken, bytes.
const MOST: u32 = 4096;
/// Delay of an answer on the vehicle's buses.
const BUS_DELAY: std::time::Duration = std::time::Duration::from_millis(12);

pub(crate) async fn serve(listener: TcpListener, world: Shared) {
    while let Ok((stream, _)) = listener.accept().await {
        let world = world.clone();
        tokio::spawn(async move {
            let mut driven = Vec::new();
            let _ = session(stream, &world, &mut driven).await;
            // Nothing stays driven by a tester that went away.
            for output in driven {
                world.lock().driven.remove(&output);
            }
        });
    }
}

fn frame(kind: u16, payload: &[u8]) -> Vec<u8> {
    let mut out = vec![0x02, 0xFD];
    out.extend(kind.to_be_bytes());
    out.extend((payload.len() as u32).to_be_bytes());
    out.extend(payload);
    out
}

async fn session(
    mut stream: TcpStream,
    world: &Shared,
    driven: &mut Vec<String>,
) -> std::io::Result<()> {
    stream.set_nodelay(true)?;
    let mut tester = None;
    loop {
        let mut h = [0u8; 8];
        stream.read_exact(&mut h).await?;
        let length = u32::from_be_bytes([h[4], h[5], h[6], h[7]]);
        if h[0] != !h[1] || length > MOST {
            let code = if h[0] == !h[1] { 0x02 } else { 0x00 };
            return stream.write_all(&frame(0x0000, &[code])).await;
        }
        let mut p = vec![0; length as usize];
        stream.read_exact(&mut p).await?;
        match (u16::from_be_bytes([h[2], h[3]]), p.as_slice()) {
            (0x0005, [a, b, _, ..]) if p.len() >= 7 => {
                tester = Some(u16::from_be_bytes([*a, *b]));
                let [e, f] = ENTITY.to_be_bytes();
                let answer = frame(0x0006, &[*a, *b, e, f, 0x10, 0, 0, 0, 0]);
                stream.write_all(&answer).await?;
            }
            (0x0007, _) => {
                stream.write_all(&frame(0x0008, &ENTITY.to_be_bytes())).await?;
            }
            (0x8001, [s1, s2, t1, t2, request @ ..]) if !request.is_empty() => {
                let source = u16::from_be_bytes([*s1, *s2]);
                let target = u16::from_be_bytes([*t1, *t2]);
                let back = [*t1, *t2, *s1, *s2];
                if tester != Some(source) {
                    stream.write_all(&frame(0x8003, &[&back[..], &[0x02]].concat())).await?;
                    continue;
                }
                match services::reach(world, target, ENTITY) {
                    services::Reach::Dead => {}
                    services::Reach::Unknown => {
                        stream.write_all(&frame(0x8003, &[&back[..], &[0x03]].concat())).await?;
                    }
                    services::Reach::Silent => {
                        tokio::time::sleep(BUS_DELAY).await;
                        stream.write_all(&frame(0x8003, &[&back[..], &[0x06]].concat())).await?;
                    }
                    services::Reach::Module(part) => {
                        stream.write_all(&frame(0x8002, &[&back[..], &[0x00]].concat())).await?;
                        tokio::time::sleep(BUS_DELAY).await;
                        let answer = services::answer(world, part, request, driven);
                        if !answer.is_empty() {
                            let payload = [&back[..], &answer].concat();
                            stream.write_all(&frame(0x8001, &payload)).await?;
                        }
                    }
                }
            }
            _ => stream.write_all(&frame(0x0000, &[0x01])).await?,
        }
    }
}
