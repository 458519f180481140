//! `decode`: frames, errors, levels and findings of a capture.

use super::core::{print, say};
use bus::can::decode::{Decoded, decode};
use bus::can::wave::Rates;
use bus::findings::{Finding, of_can, of_lin, stopped};
use bus::format::csv::Hints;
use bus::format::{Logged, candump, csv, pcapng};
use bus::{Id, Trace};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

/// Which kind of bus a capture is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub(super) enum Bus {
    /// CAN and CAN FD.
    Can,
    /// LIN.
    Lin,
}

/// Frames, errors, levels and findings of a capture.
#[derive(Debug, clap::Args)]
pub(super) struct Decode {
    /// CSV of voltages, a candump log or a pcapng file.
    capture: PathBuf,
    /// What it is of.
    #[arg(long, value_enum)]
    bus: Bus,
    /// Bit rate, bit/s, where it is known; else it is found out.
    #[arg(long)]
    bit_rate: Option<f64>,
    /// Bit rate of the data phase of FD frames, bit/s.
    #[arg(long)]
    data_rate: Option<f64>,
    /// Samples a second, of a CSV file without a time column.
    #[arg(long)]
    sample_rate: Option<f64>,
    /// JSON on standard output.
    #[arg(long)]
    json: bool,
}

/// What a file holds.
enum Capture {
    Volts(Trace),
    Frames(Vec<Logged>),
}

/// First bytes of a pcapng file.
const PCAPNG: [u8; 4] = [0x0A, 0x0D, 0x0D, 0x0A];

fn capture(path: &Path, hints: &Hints) -> Result<Capture, String> {
    let named = |e: &dyn std::fmt::Display| format!("{}: {e}", path.display());
    let bytes = std::fs::read(path).map_err(|e| named(&e))?;
    if bytes.starts_with(&PCAPNG) {
        return pcapng::read(&bytes).map(Capture::Frames).map_err(|e| named(&e));
    }
    if bytes.trim_ascii_start().starts_with(b"(") {
        return candump::read(&bytes).map(Capture::Frames).map_err(|e| named(&e));
    }
    let text = String::from_utf8_lossy(&bytes);
    csv::read(&text, hints).map(Capture::Volts).map_err(|e| named(&e))
}

fn hex(data: &[u8]) -> String {
    data.iter().map(|b| format!("{b:02X}")).collect()
}

fn frame(start_s: f64, id: Option<(String, bool)>, data: &[u8], error: Option<String>) -> Value {
    let (id, extended) = id.map_or((Value::Null, false), |(id, x)| (Value::String(id), x));
    json!({"start_s": start_s, "id": id, "extended": extended, "data": hex(data), "ok": error.is_none(), "error": error})
}

fn id(id: Id) -> (String, bool) {
    (id.to_string(), matches!(id, Id::Extended(_)))
}

/// Bus, bit rate, frames, findings.
type Told = (String, Option<f64>, Vec<Value>, Vec<Finding>);

fn of_voltages(trace: &Trace, decoded: &Decoded) -> Told {
    let is_fd = |r: &bus::can::receive::Received| r.frame.as_ref().is_some_and(|f| f.fd.is_some());
    let name = if decoded.sound().any(is_fd) { "can_fd" } else { "can" };
    let frames = decoded
        .received
        .iter()
        .map(|r| {
            let error = match (r.fault, r.acknowledged) {
                (Some(f), _) => Some(format!("{}: {}", f.field.words(), f.wrong.words())),
                (None, false) => Some("acknowledged by nobody".to_owned()),
                (None, true) => None,
            };
            let data = r.frame.as_ref().map_or(&[][..], |f| &f.data);
            frame(trace.time(r.at), r.frame.as_ref().map(|f| id(f.id)), data, error)
        })
        .collect();
    (name.into(), Some(decoded.rates.nominal), frames, of_can(trace, decoded))
}

fn told(wanted: &Decode) -> Result<Told, String> {
    let step_s = wanted.sample_rate.map(|r| 1.0 / r);
    if step_s.is_some_and(|s| !s.is_finite() || s <= 0.0) {
        return Err("the sample rate must be above zero".into());
    }
    let above = |r: &f64| r.is_finite() && *r >= 1.0;
    if wanted.bit_rate.iter().chain(&wanted.data_rate).any(|r| !above(r)) {
        return Err("a bit rate must be 1 bit/s and more".into());
    }
    let found = capture(&wanted.capture, &Hints { step_s, time_unit_s: None })?;
    let named = |e: &dyn std::fmt::Display| format!("{}: {e}", wanted.capture.display());
    match (found, wanted.bus) {
        (Capture::Volts(trace), Bus::Can) => {
            let rates = wanted.bit_rate.map(|nominal| Rates {
                data: wanted.data_rate.unwrap_or(nominal),
                ..Rates::classic(nominal)
            });
            let decoded = decode(&trace, rates).map_err(|e| named(&e))?;
            Ok(of_voltages(&trace, &decoded))
        }
        (Capture::Volts(trace), Bus::Lin) => {
            let all = (0..trace.channels.len()).filter_map(|c| bus::lin::decode::decode(&trace, c));
            let decoded = all.max_by_key(|d| d.frames.len()).ok_or_else(|| {
                named(&"no line changes by two volts: the bus is silent or held, or the probe is not on it")
            })?;
            let rates: Vec<f64> = decoded.frames.iter().map(|f| f.bit_rate).collect();
            let rate = (!rates.is_empty()).then(|| rates.iter().sum::<f64>() / rates.len() as f64);
            let frames = decoded.frames.iter().map(|f| {
                let error = f.wrong.map(|w| w.words().to_owned());
                frame(trace.time(f.at), Some((format!("{:02X}", f.id), false)), &f.data, error)
            });
            Ok(("lin".into(), rate, frames.collect(), of_lin(&trace, &decoded)))
        }
        (Capture::Frames(all), Bus::Can) => {
            let times: Vec<(Id, f64)> = all.iter().map(|l| (l.frame.id, l.at_s)).collect();
            let end = times.last().map_or(0.0, |t| t.1);
            let frames =
                all.iter().map(|l| frame(l.at_s, Some(id(l.frame.id)), &l.frame.data, None));
            let name = if all.iter().any(|l| l.frame.fd.is_some()) { "can_fd" } else { "can" };
            Ok((name.into(), wanted.bit_rate, frames.collect(), stopped::find(&times, end)))
        }
        (Capture::Frames(_), Bus::Lin) => {
            Err(named(&"a log of CAN frames; for LIN give voltages as CSV"))
        }
    }
}

pub(super) fn run(wanted: &Decode) -> Result<(), String> {
    let (name, rate, frames, findings) = told(wanted)?;
    if wanted.json {
        let findings: Vec<Value> = findings
            .iter()
            .map(|f| json!({"kind": f.kind, "text": f.text, "at_s": f.at_s, "measured": f.measured, "limit": f.limit, "unit": f.unit}))
            .collect();
        print(&json!({"bus": name, "bit_rate": rate, "frames": frames, "findings": findings}));
        return Ok(());
    }
    say(&format!("{name}{}", rate.map_or(String::new(), |r| format!(", {:.0} bit/s", r))));
    for f in &frames {
        let text = |key: &str| f[key].as_str().unwrap_or("-").to_owned();
        let start = f["start_s"].as_f64().unwrap_or(0.0);
        let error = f["error"].as_str().map_or(String::new(), |e| format!("  ! {e}"));
        say(&format!("{start:14.6} s  {:>8}  {}{error}", text("id"), text("data")));
    }
    say(&format!("{} frames", frames.len()));
    for f in &findings {
        say(&format!("{:14.6} s  {}", f.at_s, f.text));
    }
    if findings.is_empty() {
        say("Nothing is found to be wrong.");
    }
    Ok(())
}
