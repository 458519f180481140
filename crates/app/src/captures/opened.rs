//! A capture that was read and decoded.

use super::read::Content;
use bus::can::decode::Read;
use bus::findings::{Finding, of_can, of_lin, returns, stopped};
use bus::format::Logged;
use bus::pyramid::Pyramid;
use bus::{Id, Trace, can, lin};
use diagnosis::ledger::CaptureOf;
use diagnosis::tapped::{Frame, Who};

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
    /// It only goes on after the end of the capture.
    pub cut: bool,
    /// The CAN frame as it was received, and whether anybody acknowledged it; none where it broke off.
    pub whole: Option<(can::frame::Frame, bool)>,
}

/// A bit of a frame.
#[derive(Debug, Clone, PartialEq)]
pub struct BitShown {
    /// Where it begins and ends, seconds.
    pub span_s: [f64; 2],
    /// It drives the lines.
    pub dominant: bool,
    /// The field it belongs to, in words.
    pub field: &'static str,
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
    /// Who drives at what levels, frame by frame; of CAN none where only one line was read.
    pub levels_of: Vec<Frame>,
    /// Identifiers on LIN that nobody answered, as often as it happened.
    pub unanswered: Vec<u32>,
    /// How long a CAN bus takes from nine tenths to one tenth of its step on its way back to rest, seconds.
    pub returns_s: Option<f64>,
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

/// Levels of each sound CAN frame: between the lines, and of the high one alone.
fn can_levels(decoded: &can::decode::Decoded) -> Vec<Frame> {
    if !matches!(decoded.read, Read::Both(..)) {
        return Vec::new();
    }
    let all = decoded.received.iter().zip(&decoded.senders).filter(|(r, _)| r.fault.is_none());
    let spans = |[high, low]: [f32; 2]| vec![f64::from(high - low), f64::from(high)];
    let of = |(r, sender): (&can::receive::Received, &Option<can::decode::Sender>)| {
        let (frame, sender) = (r.frame.as_ref()?, sender.as_ref()?);
        let identifier = match frame.id {
            Id::Standard(id) => u32::from(id),
            Id::Extended(id) => id,
        };
        let (rest, driven) = (spans(sender.recessive), spans(sender.dominant));
        Some(Frame { who: Who::Identifier(identifier), rest, driven })
    };
    all.filter_map(of).collect()
}

/// Levels of each LIN frame: the master's, and that of who answers.
fn lin_levels(decoded: &lin::decode::Decoded) -> Vec<Frame> {
    let rest = vec![decoded.levels.rest];
    let of = |f: &lin::decode::Seen| {
        let [asks, answers] = f.dominant.map(|v| v.map(f64::from));
        let who = [(Who::Master, asks), (Who::Identifier(u32::from(f.id)), answers)];
        let rest = rest.clone();
        who.into_iter().filter_map(move |(who, volts)| {
            Some(Frame { who, rest: rest.clone(), driven: vec![volts?] })
        })
    };
    decoded.frames.iter().flat_map(of).collect()
}

fn hex(data: &[u8]) -> String {
    data.iter().map(|b| format!("{b:02X}")).collect()
}

impl Shown {
    /// Whether something is wrong with it, beside that the capture ends in it.
    pub fn is_wrong(&self) -> bool {
        self.error.is_some() && !self.cut
    }
}

impl Opened {
    /// How long the voltages last, seconds; nought where there are none.
    pub fn seconds(&self) -> f64 {
        self.reading.as_ref().map_or(0.0, |r| r.trace.seconds())
    }

    /// The bits of a frame as they lie in the voltages; none for a frame that broke off, of LIN, or that
    /// came without voltages.
    pub fn bits(&self, number: usize) -> Vec<BitShown> {
        let shown = self.frames.get(number);
        let whole = shown.and_then(|f| Some((f, f.whole.as_ref()?)));
        let (Some((shown, (frame, acknowledged))), Some([nominal, data])) = (whole, self.bit_rates)
        else {
            return Vec::new();
        };
        let rates = can::wave::Rates { data, ..can::wave::Rates::classic(nominal) };
        let bits = can::bits::bits(frame, *acknowledged);
        let sent = can::wave::Sent { bits, at: 0.0, shape: Default::default(), clock: 0.0 };
        let (starts, end) = sent.starts(&rates);
        // What is known to end where it ends: the sender's clock is not quite the nominal one.
        let [from, to] = shown.span_s;
        let time = |t: f64| from + t * (to - from) / end;
        let ends = starts.iter().skip(1).copied().chain([end]);
        let all = starts.iter().zip(ends).zip(&sent.bits);
        all.map(|((from, to), bit)| BitShown {
            span_s: [time(*from), time(to)],
            dominant: bit.dominant,
            field: bit.field.words(),
        })
        .collect()
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
            cut: r.fault.is_some_and(|f| f.wrong == can::receive::Wrong::Cut),
            whole: r.frame.clone().filter(|_| r.fault.is_none()).map(|f| (f, r.acknowledged)),
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
        let levels_of = can_levels(&decoded);
        let returns_s = returns::of(&trace, &decoded);
        let plain = Reading::of(trace, Some(decoded.read), levels, load);
        let reading = Reading { levels_of, returns_s, ..plain };
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
            cut: f.wrong == Some(lin::decode::Wrong::Cut),
            whole: None,
        };
        let frames: Vec<Shown> = decoded.frames.iter().map(shown).collect();
        let rate = decoded.frames.iter().map(|f| f.bit_rate).sum::<f64>() / frames.len() as f64;
        let bit_rates = (!frames.is_empty()).then_some([rate; 2]);
        let findings = of_lin(&trace, &decoded);
        let taken: f64 = frames.iter().map(|f| f.span_s[1] - f.span_s[0]).sum();
        let load = (taken / trace.seconds()).clamp(0.0, 1.0);
        let levels = Some([decoded.levels.rest, decoded.levels.other]);
        let levels_of = lin_levels(&decoded);
        let silent = |f: &&lin::decode::Seen| f.wrong == Some(lin::decode::Wrong::NoAnswer);
        let unanswered = decoded.frames.iter().filter(silent).map(|f| u32::from(f.id)).collect();
        let plain = Reading::of(trace, Some(Read::Falling(decoded.channel)), levels, load);
        let reading = Some(Reading { levels_of, unanswered, ..plain });
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
            cut: false,
            whole: None,
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
        let (levels_of, unanswered, returns_s) = (Vec::new(), Vec::new(), None);
        Self { trace, pyramids, read, levels, load, levels_of, unanswered, returns_s }
    }
}
