//! A capture that was read and decoded.

use super::read::Content;
use bus::can::decode::Read;
use bus::findings::{Finding, of_can, of_lin, stopped};
use bus::format::Logged;
use bus::pyramid::Pyramid;
use bus::{Id, Trace, can, lin};
use diagnosis::ledger::CaptureOf;

/// A frame as it is shown.
#[derive(Debug, Clone, PartialEq)]
pub struct Shown {
    /// Where it begins and ends, seconds.
    pub span_s: [f64; 2],
    /// Identifier; empty where it is not known.
    pub id: String,
    /// It has 29 bits.
    pub extended: bool,
    /// Data, two digits a byte.
    pub data: String,
    /// What is wrong with it.
    pub error: Option<String>,
}

/// What voltages were read as.
#[derive(Debug)]
pub struct Reading {
    /// The voltages.
    pub trace: Trace,
    /// Least and largest values of each channel.
    pub pyramids: Vec<Pyramid>,
    /// What the bus was read from.
    pub read: Option<Read>,
    /// Its levels at rest and dominant, volts.
    pub levels: Option<[f64; 2]>,
    /// Share of the time that the bus is taken.
    pub load: f64,
    /// Of each sound CAN frame its identifier, and the difference of the lines while it rests and is driven,
    /// volts; none where only one line was read.
    pub driven: Vec<(u32, [f64; 2])>,
}

/// A capture that was read and decoded.
#[derive(Debug)]
pub struct Opened {
    /// `can`, `can_fd` or `lin`.
    pub bus: &'static str,
    /// Bit rate, bit/s; and that of the data phase.
    pub bit_rates: Option<[f64; 2]>,
    /// Voltages; none where the file holds frames alone.
    pub reading: Option<Reading>,
    /// Frames in their order.
    pub frames: Vec<Shown>,
    /// What is found to be wrong.
    pub findings: Vec<Finding>,
    /// Why nothing could be read from the voltages; empty when something could.
    pub trouble: String,
}

/// See [`Reading::driven`].
fn driven(decoded: &can::decode::Decoded) -> Vec<(u32, [f64; 2])> {
    if !matches!(decoded.read, Read::Both(..)) {
        return Vec::new();
    }
    let all = decoded.received.iter().zip(&decoded.senders).filter(|(r, _)| r.fault.is_none());
    let of = |(r, sender): (&can::receive::Received, &Option<can::decode::Sender>)| {
        let (frame, sender) = (r.frame.as_ref()?, sender.as_ref()?);
        let identifier = match frame.id {
            Id::Standard(id) => u32::from(id),
            Id::Extended(id) => id,
        };
        let rest = f64::from(sender.recessive[0] - sender.recessive[1]);
        Some((identifier, [rest, sender.swing()]))
    };
    all.filter_map(of).collect()
}

fn hex(data: &[u8]) -> String {
    data.iter().map(|b| format!("{b:02X}")).collect()
}

impl Opened {
    /// How long the voltages last, seconds; nought where there are none.
    pub fn seconds(&self) -> f64 {
        self.reading.as_ref().map_or(0.0, |r| r.trace.seconds())
    }

    /// Decodes what a file holds, at rates that are found out.
    ///
    /// # Errors
    /// In words, where what it holds is not of that bus at all.
    pub fn of(content: Content, bus: CaptureOf) -> Result<Self, String> {
        Self::at(content, bus, None)
    }

    /// The same at rates that are known.
    ///
    /// # Errors
    /// As [`Self::of`].
    pub fn at(
        content: Content,
        bus: CaptureOf,
        rates: Option<can::wave::Rates>,
    ) -> Result<Self, String> {
        match (content, bus) {
            (Content::Volts(trace), CaptureOf::Can) => Ok(Self::can(trace, rates)),
            (Content::Volts(trace), CaptureOf::Lin) => Ok(Self::lin(trace)),
            (Content::Frames(all), CaptureOf::Can) => Ok(Self::log(&all)),
            (Content::Frames(_), CaptureOf::Lin) => {
                Err("this is a log of CAN frames; for LIN give voltages as CSV".into())
            }
        }
    }

    fn can(trace: Trace, rates: Option<can::wave::Rates>) -> Self {
        let decoded = match can::decode::decode(&trace, rates) {
            Ok(decoded) => decoded,
            Err(why) => return Self::unread("can", trace, why.to_string()),
        };
        let is_fd = |r: &can::receive::Received| r.frame.as_ref().is_some_and(|f| f.fd.is_some());
        let bus = if decoded.sound().any(is_fd) { "can_fd" } else { "can" };
        let shown = |r: &can::receive::Received| Shown {
            span_s: [trace.time(r.at), trace.time(r.end)],
            id: r.frame.as_ref().map_or(String::new(), |f| f.id.to_string()),
            extended: r.frame.as_ref().is_some_and(|f| matches!(f.id, Id::Extended(_))),
            data: r.frame.as_ref().map_or(String::new(), |f| hex(&f.data)),
            error: match (r.fault, r.acknowledged) {
                (Some(f), _) => Some(format!("{}: {}", f.field.words(), f.wrong.words())),
                (None, false) => Some("acknowledged by nobody".to_owned()),
                (None, true) => None,
            },
        };
        let frames = decoded.received.iter().map(shown).collect();
        let findings = of_can(&trace, &decoded);
        let levels = Some([decoded.levels.rest, decoded.levels.other]);
        let load = decoded.load(&trace);
        let bit_rates = Some([decoded.rates.nominal, decoded.rates.data]);
        let driven = driven(&decoded);
        let reading = Reading { driven, ..Reading::of(trace, Some(decoded.read), levels, load) };
        let reading = Some(reading);
        Self { bus, bit_rates, reading, frames, findings, trouble: String::new() }
    }

    fn lin(trace: Trace) -> Self {
        let all = (0..trace.channels.len()).filter_map(|c| lin::decode::decode(&trace, c));
        let Some(decoded) = all.max_by_key(|d| d.frames.len()) else {
            let why = "no line changes by two volts: the bus is silent or held, or the probe is not on it";
            return Self::unread("lin", trace, why.into());
        };
        let shown = |f: &lin::decode::Seen| Shown {
            span_s: [trace.time(f.at), trace.time(f.end)],
            id: format!("{:02X}", f.id),
            extended: false,
            data: hex(&f.data),
            error: f.wrong.map(|w| w.words().to_owned()),
        };
        let frames: Vec<Shown> = decoded.frames.iter().map(shown).collect();
        let rate = decoded.frames.iter().map(|f| f.bit_rate).sum::<f64>() / frames.len() as f64;
        let bit_rates = (!frames.is_empty()).then_some([rate; 2]);
        let findings = of_lin(&trace, &decoded);
        let taken: f64 = frames.iter().map(|f| f.span_s[1] - f.span_s[0]).sum();
        let load = (taken / trace.seconds()).clamp(0.0, 1.0);
        let levels = Some([decoded.levels.rest, decoded.levels.other]);
        let reading = Some(Reading::of(trace, Some(Read::Falling(decoded.channel)), levels, load));
        let none = "the line changes, but there is no break with a synchronisation byte";
        let trouble = if frames.is_empty() { none.to_owned() } else { String::new() };
        Self { bus: "lin", bit_rates, reading, frames, findings, trouble }
    }

    /// Voltages that nothing was read from; they are shown all the same.
    fn unread(bus: &'static str, trace: Trace, trouble: String) -> Self {
        let reading = Some(Reading::of(trace, None, None, 0.0));
        Self { bus, bit_rates: None, reading, frames: Vec::new(), findings: Vec::new(), trouble }
    }

    fn log(all: &[Logged]) -> Self {
        let times: Vec<(Id, f64)> = all.iter().map(|l| (l.frame.id, l.at_s)).collect();
        let end = times.last().map_or(0.0, |t| t.1);
        let shown = |l: &Logged| Shown {
            span_s: [l.at_s, l.at_s],
            id: l.frame.id.to_string(),
            extended: matches!(l.frame.id, Id::Extended(_)),
            data: hex(&l.frame.data),
            error: None,
        };
        let bus = if all.iter().any(|l| l.frame.fd.is_some()) { "can_fd" } else { "can" };
        let frames = all.iter().map(shown).collect();
        let findings = stopped::find(&times, end);
        Self { bus, bit_rates: None, reading: None, frames, findings, trouble: String::new() }
    }
}

impl Reading {
    /// What each channel was read as.
    pub fn roles(&self) -> impl Iterator<Item = &'static str> {
        (0..self.trace.channels.len()).map(|c| match self.read {
            Some(Read::Both(high, _)) if c == high => "read as high",
            Some(Read::Both(_, low)) if c == low => "read as low",
            Some(Read::Rising(read) | Read::Falling(read)) if c == read => "read",
            _ => "",
        })
    }

    fn of(trace: Trace, read: Option<Read>, levels: Option<[f64; 2]>, load: f64) -> Self {
        let pyramids = trace.channels.iter().map(|c| Pyramid::new(&c.volts)).collect();
        Self { trace, pyramids, read, levels, load, driven: Vec::new() }
    }
}
