//! `decode`: frames, errors, levels and findings of a capture.

use super::core::{print, say};
use crate::captures::opened::Shown;
use crate::captures::{Hints, Opened, read};
use bus::can::wave::Rates;
use diagnosis::ledger::CaptureOf;
use serde_json::{Value, json};
use std::path::PathBuf;

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

fn frame(f: &Shown) -> Value {
    let id = Some(&f.id).filter(|id| !id.is_empty());
    json!({"start_s": f.span_s[0], "id": id, "extended": f.extended, "data": f.data, "ok": f.error.is_none(), "error": f.error})
}

fn opened(wanted: &Decode) -> Result<Opened, String> {
    let step_s = wanted.sample_rate.map(|r| 1.0 / r);
    if step_s.is_some_and(|s| !s.is_finite() || s <= 0.0) {
        return Err("the sample rate must be above zero".into());
    }
    let above = |r: &f64| r.is_finite() && *r >= 1.0;
    if wanted.bit_rate.iter().chain(&wanted.data_rate).any(|r| !above(r)) {
        return Err("a bit rate must be 1 bit/s and more".into());
    }
    let rates = wanted.bit_rate.map(|nominal| Rates {
        data: wanted.data_rate.unwrap_or(nominal),
        ..Rates::classic(nominal)
    });
    let bus = match wanted.bus {
        Bus::Can => CaptureOf::Can,
        Bus::Lin => CaptureOf::Lin,
    };
    let read =
        read(&wanted.capture, &Hints { step_s, time_unit_s: None }).map_err(|e| e.to_string());
    let opened = read.and_then(|content| Opened::at(content, bus, rates));
    let opened = opened.and_then(|o| if o.trouble.is_empty() { Ok(o) } else { Err(o.trouble) });
    opened.map_err(|e| format!("{}: {e}", wanted.capture.display()))
}

pub(super) fn run(wanted: &Decode) -> Result<(), String> {
    let Opened { bus: name, bit_rates, frames, findings, .. } = opened(wanted)?;
    let rate = bit_rates.map(|r| r[0]);
    let frames: Vec<Value> = frames.iter().map(frame).collect();
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
