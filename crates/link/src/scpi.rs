//! A multimeter over SCPI (IEEE 488.2 conventions) on TCP.

use crate::error::LinkError;
use std::net::SocketAddr;
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::TcpStream;
use tokio::time::timeout;

/// Longest a meter may take for one reading.
const PATIENCE: Duration = Duration::from_secs(3);
/// What SCPI instruments return for an overload (SCPI-99 7.2.1.4).
pub const OVERLOAD: f64 = 9.9e37;

/// A query that returns one number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Query {
    /// DC volts.
    Volts,
    /// Two-wire ohms.
    Ohms,
    /// DC amperes.
    Amps,
}

impl Query {
    fn command(self) -> &'static str {
        match self {
            Self::Volts => "MEAS:VOLT:DC?",
            Self::Ohms => "MEAS:RES?",
            Self::Amps => "MEAS:CURR:DC?",
        }
    }
}

/// Takes one reading; `None` is an overload (OL).
///
/// # Errors
/// [`LinkError`].
pub async fn measure(address: SocketAddr, query: Query) -> Result<Option<f64>, LinkError> {
    let none = |why: String| LinkError::NoConnection { address: address.to_string(), why };
    let work = async {
        let mut stream = TcpStream::connect(address).await.map_err(|e| none(e.to_string()))?;
        let line = format!("{}\n", query.command());
        stream.write_all(line.as_bytes()).await.map_err(|e| none(e.to_string()))?;
        let mut answer = String::new();
        let mut reader = BufReader::new(stream);
        reader.read_line(&mut answer).await.map_err(|e| none(e.to_string()))?;
        Ok(answer)
    };
    let answer =
        timeout(PATIENCE, work).await.map_err(|_| none("the meter keeps silent".into()))??;
    match answer.trim().parse::<f64>() {
        Ok(v) if v.abs() >= OVERLOAD => Ok(None),
        Ok(v) if v.is_finite() => Ok(Some(v)),
        _ => Err(LinkError::Garbled {
            who: "the meter".into(),
            asked: query.command().into(),
            got: answer.trim().chars().take(60).collect(),
        }),
    }
}
