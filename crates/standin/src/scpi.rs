//! The stand-in meter: a small SCPI multimeter (IEEE 488.2 conventions).

use crate::Shared;
use circuit::{Instrument, Shown};
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};

/// Longest command line, bytes.
const LINE: u64 = 256;

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
    let mut chosen = Instrument::Volts;
    let mut error = "0,\"No error\"";
    loop {
        let mut line = Vec::new();
        if (&mut read).take(LINE).read_until(b'\n', &mut line).await? == 0 {
            return Ok(());
        }
        let command = String::from_utf8_lossy(&line).trim().to_ascii_uppercase();
        let instrument = |tail: &str| match tail {
            "VOLT:DC" | "VOLT" => Some(Instrument::Volts),
            "RES" => Some(Instrument::Ohms),
            "CURR:DC" | "CURR" => Some(Instrument::Amps),
            _ => None,
        };
        let answer = if command == "*IDN?" {
            Some("CHALKEUS,STAND-IN METER,0,1".to_owned())
        } else if command == "SYST:ERR?" {
            Some(std::mem::replace(&mut error, "0,\"No error\"").to_owned())
        } else if command == "READ?" {
            Some(reading(world, chosen))
        } else if let Some(i) =
            command.strip_prefix("MEAS:").and_then(|c| c.strip_suffix('?')).and_then(instrument)
        {
            chosen = i;
            Some(reading(world, i))
        } else if let Some(i) = command.strip_prefix("CONF:").and_then(instrument) {
            chosen = i;
            None
        } else {
            if !command.is_empty() {
                error = "-113,\"Undefined header\"";
            }
            None
        };
        if let Some(answer) = answer {
            write.write_all(format!("{answer}\n").as_bytes()).await?;
        }
    }
}

fn reading(world: &Shared, instrument: Instrument) -> String {
    match world.lock().meter(instrument) {
        Shown::Value(v) => nr3(v),
        // What stands for infinity (SCPI-99 7.2.1).
        Shown::OverLimit => "+9.90000E+37".to_owned(),
    }
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

    #[test]
    fn numbers_are_written_as_instruments_write_them() {
        let written = [12.4667, -0.000_32, 0.0, 120.0, 1e12].map(nr3);
        assert_eq!(
            written,
            ["+1.24667E+01", "-3.20000E-04", "+0.00000E+00", "+1.20000E+02", "+1.00000E+12"]
        );
    }
}
