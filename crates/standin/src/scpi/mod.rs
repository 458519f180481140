//! The stand-in meter: a SCPI multimeter (SCPI-99 over IEEE 488.2 conventions) on a socket.

mod errors;
mod message;
mod meter;
mod scope;

use crate::Shared;
use errors::{Error, Errors};
use meter::Meter;
use scope::{Scope, Wish};
use tokio::io::{AsyncBufRead, AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};

/// Longest message, bytes.
const LINE: u64 = 1024;

pub(crate) async fn serve(listener: TcpListener, world: Shared) {
    while let Ok((stream, _)) = listener.accept().await {
        let world = world.clone();
        tokio::spawn(async move {
            let _ = session(stream, &world).await;
        });
    }
}

async fn session(mut stream: TcpStream, world: &Shared) -> std::io::Result<()> {
    let (read, mut write) = stream.split();
    let mut read = BufReader::new(read);
    let mut meter = Meter::default();
    while let Some(message) = next(&mut read, &mut meter.errors).await? {
        let answer = meter.hear(&message, &mut |i| world.lock().meter(i));
        if let Some(answer) = answer {
            write.write_all(format!("{answer}\n").as_bytes()).await?;
        }
    }
    Ok(())
}

/// The next message; one that is too long is an error of the instrument, and what is left of it is no
/// message of its own.
async fn next(
    read: &mut (impl AsyncBufRead + Unpin),
    errors: &mut Errors,
) -> std::io::Result<Option<String>> {
    let mut told = false;
    loop {
        let mut line = Vec::new();
        if read.take(LINE).read_until(b'\n', &mut line).await? == 0 {
            return Ok(None);
        }
        let whole = line.ends_with(b"\n") || (line.len() as u64) < LINE;
        if whole && !told {
            return Ok(Some(String::from_utf8_lossy(&line).trim().to_owned()));
        }
        if !told {
            errors.add(Error::TooLong);
        }
        told = !whole;
    }
}

/// Serves the scope.
pub(crate) async fn serve_scope(listener: TcpListener, world: Shared) {
    while let Ok((stream, _)) = listener.accept().await {
        let world = world.clone();
        tokio::spawn(async move {
            let _ = scope_session(stream, &world).await;
        });
    }
}

async fn scope_session(mut stream: TcpStream, world: &Shared) -> std::io::Result<()> {
    let (read, mut write) = stream.split();
    let mut read = BufReader::new(read);
    let mut scope = Scope::default();
    while let Some(mut message) = next(&mut read, &mut scope.errors).await? {
        loop {
            match scope.hear(&message) {
                Wish::Said(answer) => {
                    if !answer.is_empty() {
                        write.write_all(&answer).await?;
                        write.write_all(b"\n").await?;
                    }
                    break;
                }
                Wish::Sweep(rest) => {
                    let (scene, sweep) = (world.lock().scene(), scope.sweep());
                    let drawn =
                        tokio::task::spawn_blocking(move || crate::scope::capture(&scene, sweep));
                    scope.take(drawn.await.unwrap_or_else(|e| Err(e.to_string())));
                    message = rest;
                }
            }
        }
    }
    Ok(())
}

/// A number as instruments write it (NR3 of IEEE 488.2): sign, five decimals, an exponent of two digits.
fn nr3(value: f64) -> String {
    let text = format!("{value:+.5E}");
    match text.split_once('E') {
        Some((digits, exponent)) => {
            let exponent: i32 = exponent.parse().unwrap_or(0);
            format!("{digits}E{}{:02}", if exponent < 0 { '-' } else { '+' }, exponent.abs())
        }
        None => text,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn what_is_left_of_a_message_that_is_too_long_is_none_of_its_own() {
        let long = format!("{}INIT\n*IDN?\n{}", "A".repeat(3000), "B".repeat(LINE as usize));
        let (mut read, mut errors) = (long.as_bytes(), Errors::default());
        assert_eq!(next(&mut read, &mut errors).await.unwrap().as_deref(), Some("*IDN?"));
        assert_eq!(errors.count(), 1);
        assert_eq!(next(&mut read, &mut errors).await.unwrap(), None);
        assert_eq!((errors.count(), errors.next()), (2, "-363,\"Input buffer overrun\"".into()));
    }

    #[test]
    fn numbers_are_written_as_instruments_write_them() {
        let written = [12.4667, -0.000_32, 0.0, 120.0, 1e12].map(nr3);
        assert_eq!(
            written,
            ["+1.24667E+01", "-3.20000E-04", "+0.00000E+00", "+1.20000E+02", "+1.00000E+12"]
        );
    }
}
