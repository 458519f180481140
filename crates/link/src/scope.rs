//! An oscilloscope over SCPI on TCP: a sweep of some channels, read as blocks of definite length (IEEE 488.2,
//! 8.7.9) of 32-bit numbers, most significant byte first.

use crate::error::LinkError;
use std::net::SocketAddr;
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::TcpStream;
use tokio::time::timeout;

/// Longest a scope may take for a sweep with its traces.
const PATIENCE: Duration = Duration::from_secs(60);
/// Longest trace taken in, bytes.
const MOST: usize = 400_000_000;

/// A sweep that is wanted.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Wanted {
    /// How long, seconds.
    pub seconds: f64,
    /// Samples of each channel.
    pub samples: usize,
    /// Channels, from the first.
    pub channels: usize,
}

/// Takes a sweep; volts of each channel.
///
/// # Errors
/// [`LinkError`].
pub async fn sweep(address: SocketAddr, wanted: Wanted) -> Result<Vec<Vec<f32>>, LinkError> {
    let none = |why: String| LinkError::NoConnection { address: address.to_string(), why };
    let work = async {
        let mut stream = TcpStream::connect(address).await.map_err(|e| none(e.to_string()))?;
        let (read, mut write) = stream.split();
        let mut read = BufReader::new(read);
        let Wanted { seconds, samples, channels } = wanted;
        let setup = format!("*CLS;:SWE:TIME {seconds:e};:SWE:POIN {samples};:FORM REAL,32;:INIT\n");
        write.write_all(setup.as_bytes()).await.map_err(|e| none(e.to_string()))?;
        let mut out = Vec::new();
        for k in 1..=channels {
            let ask = format!(":TRAC? CH{k}\n");
            write.write_all(ask.as_bytes()).await.map_err(|e| none(e.to_string()))?;
            // A scope that has nothing to say is silent: what it has in its queue says why.
            let block = timeout(PATIENCE / 4, block(&mut read)).await;
            match block {
                Ok(Ok(bytes)) => out.push(numbers(&bytes)),
                Ok(Err(why)) => return Err(garbled(&ask, &why)),
                Err(_) => {
                    write.write_all(b":SYST:ERR?\n").await.map_err(|e| none(e.to_string()))?;
                    let mut line = String::new();
                    let said = timeout(Duration::from_secs(2), read.read_line(&mut line)).await;
                    let why = if said.is_ok() { line.trim() } else { "the scope keeps silent" };
                    return Err(garbled(&ask, why));
                }
            }
        }
        Ok(out)
    };
    timeout(PATIENCE, work).await.map_err(|_| none("the scope keeps silent".into()))?
}

fn garbled(asked: &str, got: &str) -> LinkError {
    LinkError::Garbled {
        who: "the scope".into(),
        asked: asked.trim().into(),
        got: got.chars().take(60).collect(),
    }
}

/// One block of definite length: `#`, how many digits, the digits, the bytes.
async fn block(read: &mut (impl AsyncReadExt + Unpin)) -> Result<Vec<u8>, String> {
    let first = loop {
        match read.read_u8().await.map_err(|e| e.to_string())? {
            b'\n' | b'\r' => {}
            other => break other,
        }
    };
    if first != b'#' {
        return Err(format!("no block but “{}”", char::from(first)));
    }
    let digits = read.read_u8().await.map_err(|e| e.to_string())?;
    let mut length = 0usize;
    for _ in 0..digits.saturating_sub(b'0').min(9) {
        let digit = read.read_u8().await.map_err(|e| e.to_string())?;
        if !digit.is_ascii_digit() {
            return Err("a block without its length".into());
        }
        length = 10 * length + usize::from(digit - b'0');
    }
    if length > MOST {
        return Err(format!("a block of {length} bytes"));
    }
    let mut bytes = vec![0; length];
    read.read_exact(&mut bytes).await.map_err(|e| e.to_string())?;
    Ok(bytes)
}

fn numbers(bytes: &[u8]) -> Vec<f32> {
    let four = |b: &[u8]| f32::from_be_bytes([b[0], b[1], b[2], b[3]]);
    bytes.chunks_exact(4).map(four).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn blocks_are_read_whole_and_nonsense_is_told() {
        let read = |text: &'static [u8]| async move { block(&mut &text[..]).await };
        let bytes = read(b"\n#18\x3f\x80\0\0\xc0\x20\0\0").await.unwrap();
        assert_eq!(numbers(&bytes), [1.0, -2.5]);
        for wrong in [&b"hello"[..], b"#2x8", b"#18\x3f", b"", b"#", b"#9999999999"] {
            assert!(read(wrong).await.is_err(), "{wrong:?}");
        }
    }
}
