//! A controller's ear: bits from edges with hard synchronisation and resynchronisation, then
//! destuffing, fields, check and end, with the place of an error.

use super::bits::{Field, RUN, SHORT, stuff_count};
use super::crc::Crc;
use super::frame::{Fd, Frame, Id, length};
use super::wave::Rates;
use crate::edges::Edge;

/// What went wrong in a frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Wrong {
    /// Six alike where five are the most.
    Stuff,
    /// A bit that must be recessive, or a fixed stuff bit, is not.
    Form,
    /// The check does not fit.
    Check,
    /// The stuff count of an FD frame does not fit.
    StuffCount,
    /// The capture ends in it.
    Cut,
}

impl Wrong {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Stuff => "six bits alike (stuff error)",
            Self::Form => "a fixed bit is wrong (form error)",
            Self::Check => "the check (CRC) does not fit",
            Self::StuffCount => "the stuff count does not fit",
            Self::Cut => "the capture ends here",
        }
    }
}

/// An error in a frame.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize)]
pub struct Fault {
    /// What.
    pub wrong: Wrong,
    /// In which field.
    pub field: Field,
    /// When, in samples.
    pub at: f64,
    /// Length of the error flag that follows, bits: 6 from one node alone, up to 12 from several; 0: none.
    pub flag_bits: u32,
}

/// What was received between two silences.
#[derive(Debug, Clone, PartialEq)]
pub struct Received {
    /// Start of frame, in samples.
    pub at: f64,
    /// Where it ended, in samples.
    pub end: f64,
    /// The frame as far as it is known; none where not even its identifier is.
    pub frame: Option<Frame>,
    /// Somebody acknowledged it.
    pub acknowledged: bool,
    /// What was wrong.
    pub fault: Option<Fault>,
    /// An overload frame follows.
    pub overload: bool,
    /// Sample times of its dominant and recessive bits between arbitration and acknowledge, in samples.
    pub sampled: Vec<(f64, bool)>,
    /// How much the sender's bits are longer than thought, as a share, from its own edges.
    pub stretch: f64,
}

/// Recessive bits before a start of frame: the end, the delimiter and the intermission are eleven, of which
/// the last may be another's start; and the receiver's clock is not exact.
const IDLE: f64 = 9.4;
/// How far a resynchronisation moves the bits at most, as a share of one.
const JUMP: f64 = 0.25;
/// Bits from whose edges the sender's clock is told, at least.
const TELLS_CLOCK: f64 = 20.0;
/// Sampled bits that are kept of a frame.
const KEPT: usize = 96;

/// Bits of a line, read one after the other.
struct Line<'a> {
    edges: &'a [Edge],
    /// Next edge that has not been passed.
    next: usize,
    /// Samples of a bit: nominal and in the data phase.
    bit: (f64, f64),
    points: (f64, f64),
    /// Where the current bit begins.
    begins: f64,
    fast: bool,
    last: bool,
    end: f64,
    /// Last edge by which the sender's clock is told: where, and how many bits after the start.
    latest: (f64, f64),
    bits: f64,
}

impl Line<'_> {
    fn length(&self) -> f64 {
        if self.fast { self.bit.1 } else { self.bit.0 }
    }

    fn point(&self) -> f64 {
        if self.fast { self.points.1 } else { self.points.0 }
    }

    /// Samples the next bit: whether it is dominant, and when; none at the end of the capture.
    fn bit(&mut self) -> Option<(bool, f64)> {
        let length = self.length();
        // An edge to dominant moves the bit: once between two samples, and only after a recessive one.
        let sample = self.begins + self.point() * length;
        let mut at = sample;
        let mut moved = self.last;
        while let Some(edge) = self.edges.get(self.next).filter(|e| e.at < at) {
            if edge.active && !moved {
                let off = edge.at - self.begins;
                let most = JUMP * length;
                self.begins += off.clamp(-most, most);
                at = self.begins + self.point() * length;
                moved = true;
                if !self.fast {
                    self.latest = (edge.at, self.bits);
                }
            }
            self.next += 1;
        }
        if at > self.end {
            return None;
        }
        let dominant = self.next > 0 && self.edges[self.next - 1].active;
        self.last = dominant;
        self.begins += length;
        self.bits += 1.0;
        Some((dominant, at))
    }

    /// From the sample point of the bit just read on bits are fast, or not.
    fn switch(&mut self, fast: bool) {
        let before = (self.length(), self.point());
        self.fast = fast;
        let after = (self.length(), self.point());
        self.begins += -before.0 * (1.0 - before.1) + after.0 * (1.0 - after.1);
    }
}

struct Rx<'a> {
    line: Line<'a>,
    run: u32,
    last: bool,
    stuffed: u32,
    crcs: [Crc; 3],
    field: Field,
    at: f64,
    sampled: Vec<(f64, bool)>,
}

type Step<T> = Result<T, Wrong>;

impl Rx<'_> {
    /// The next bit as it stands on the line; a one is recessive.
    fn raw(&mut self) -> Step<bool> {
        let (dominant, at) = self.line.bit().ok_or(Wrong::Cut)?;
        self.at = at;
        let inside = Field::Control <= self.field && self.field <= Field::Crc;
        if inside && self.sampled.len() < KEPT {
            self.sampled.push((at, dominant));
        }
        let bit = !dominant;
        self.run = if bit == self.last { self.run + 1 } else { 1 };
        self.last = bit;
        Ok(bit)
    }

    /// The next bit of the stuffed part.
    fn bit(&mut self) -> Step<bool> {
        if self.run == RUN {
            let stuff = self.raw()?;
            if self.run > RUN {
                return Err(Wrong::Stuff);
            }
            self.stuffed += 1;
            // Checks of FD frames cover stuff bits; the classic one does not.
            self.crcs[1].push(stuff);
            self.crcs[2].push(stuff);
        }
        let bit = self.raw()?;
        if self.run > RUN {
            return Err(Wrong::Stuff);
        }
        self.crcs.iter_mut().for_each(|c| c.push(bit));
        Ok(bit)
    }

    fn number(&mut self, bits: u32) -> Step<u32> {
        let mut n = 0;
        for _ in 0..bits {
            n = n << 1 | u32::from(self.bit()?);
        }
        Ok(n)
    }

    fn recessive(&mut self) -> Step<()> {
        if self.raw()? { Ok(()) } else { Err(Wrong::Form) }
    }

    /// Everything up to the end; what is known of the frame is left in `frame`.
    fn frame(&mut self, frame: &mut Option<Frame>, acknowledged: &mut bool) -> Step<()> {
        self.field = Field::Start;
        if self.bit()? {
            return Err(Wrong::Form);
        }
        self.field = Field::Arbitration;
        let head = self.number(11)?;
        // RTR, or RRS of FD frames, or SRR of extended ones.
        let mut remote = self.bit()?;
        let extended = self.bit()?;
        let id = if extended {
            let tail = self.number(18)?;
            remote = self.bit()?;
            Id::Extended(head << 18 | tail)
        } else {
            Id::Standard(head as u16)
        };
        self.field = Field::Control;
        let is_fd = self.bit()?;
        let mut fd = None;
        if is_fd {
            // The bit after FDF is dominant in every format there is.
            if self.bit()? {
                return Err(Wrong::Form);
            }
            let switched = self.bit()?;
            if switched {
                self.line.switch(true);
            }
            fd = Some(Fd { switched, passive: self.bit()? });
        } else if extended {
            self.bit()?;
        }
        let dlc = self.number(4)? as u8;
        let remote = remote && !is_fd;
        *frame = Some(Frame { id, remote, fd, dlc, data: Vec::new() });
        self.field = Field::Data;
        let bytes = if remote { 0 } else { length(dlc, is_fd) };
        for _ in 0..bytes {
            let byte = self.number(8)? as u8;
            if let Some(frame) = frame {
                frame.data.push(byte);
            }
        }
        self.field = Field::Crc;
        if is_fd {
            self.fd_check(bytes)?
        } else {
            self.classic_check()?
        }
        self.field = Field::CrcDelimiter;
        self.recessive()?;
        if self.line.fast {
            self.line.switch(false);
        }
        self.field = Field::Acknowledge;
        *acknowledged = !self.raw()?;
        self.field = Field::AckDelimiter;
        self.recessive()?;
        self.field = Field::End;
        // A dominant last bit is an overload, no error.
        (0..6).try_for_each(|_| self.recessive())?;
        self.raw().map(|_| ())
    }

    fn classic_check(&mut self) -> Step<()> {
        let crc = self.crcs[0];
        let mut sent = 0;
        for _ in 0..crc.width() {
            sent = sent << 1 | u32::from(self.bit()?);
        }
        if self.run == RUN {
            self.raw()?;
            if self.run > RUN {
                return Err(Wrong::Stuff);
            }
        }
        if sent == crc.value() { Ok(()) } else { Err(Wrong::Check) }
    }

    fn fd_check(&mut self, bytes: usize) -> Step<()> {
        let mut crc = self.crcs[if bytes > SHORT { 2 } else { 1 }];
        let count = stuff_count(self.stuffed);
        let mut fits = true;
        let mut sent = 0;
        let mut value = 0;
        for k in 0..4 + crc.width() {
            if k % 4 == 0 {
                let before = self.last;
                if self.raw()? == before {
                    return Err(Wrong::Form);
                }
            }
            let bit = self.raw()?;
            if k < 4 {
                fits &= bit == count[k as usize];
                crc.push(bit);
                value = crc.value();
            } else {
                sent = sent << 1 | u32::from(bit);
            }
        }
        match (fits, sent == value) {
            (false, _) => Err(Wrong::StuffCount),
            (true, false) => Err(Wrong::Check),
            (true, true) => Ok(()),
        }
    }
}

/// Receives everything that stands in the edges of a line of `len` samples, `step_s` seconds apart.
pub fn receive(edges: &[Edge], len: usize, step_s: f64, rates: &Rates) -> Vec<Received> {
    let bit = (1.0 / (rates.nominal * step_s), 1.0 / (rates.data * step_s));
    let mut out = Vec::new();
    let mut next = 0;
    while let Some(start) = start_of_frame(edges, next, bit.0) {
        let line = Line {
            edges,
            next: start,
            bit,
            points: rates.sample_points,
            begins: edges[start].at,
            fast: false,
            last: false,
            end: len as f64,
            latest: (edges[start].at, 0.0),
            bits: 0.0,
        };
        let (received, passed) = one(line, edges[start].at);
        next = passed.max(start + 1);
        out.push(received);
    }
    out
}

/// What stands on a line from a start of frame on, and the next edge after it.
fn one(line: Line<'_>, at: f64) -> (Received, usize) {
    let (edges, bit) = (line.edges, line.bit.0);
    let mut rx = Rx {
        line,
        run: 0,
        last: true,
        stuffed: 0,
        crcs: [Crc::classic(), Crc::fd_short(), Crc::fd_long()],
        field: Field::Start,
        at,
        sampled: Vec::new(),
    };
    let (mut frame, mut acknowledged) = (None, false);
    let ended = rx.frame(&mut frame, &mut acknowledged);
    let (line, end) = (&rx.line, rx.line.begins);
    let fault = ended.err().map(|wrong| {
        let flag_bits = flag(edges, rx.at, bit);
        Fault { wrong, field: rx.field, at: rx.at, flag_bits }
    });
    // A dominant bit at the very end or in the intermission begins an overload frame.
    let mut after =
        edges[line.next.saturating_sub(1)..].iter().take_while(|e| e.at < end + 1.6 * bit);
    let overload = fault.is_none() && after.any(|e| e.active && e.at > end - bit);
    // A change of rate within the frame leaves no whole number of bits to tell the clock by.
    let switched = frame.as_ref().is_some_and(|f: &Frame| f.fd.is_some_and(|fd| fd.switched));
    let (latest, bits) = line.latest;
    let tells = bits >= TELLS_CLOCK && !switched;
    let stretch = if tells { (latest - at) / (bits * bit) - 1.0 } else { 0.0 };
    let next = line.next;
    let sampled = rx.sampled;
    (Received { at, end, frame, acknowledged, fault, overload, sampled, stretch }, next)
}

/// The next edge to dominant after enough recessive bits, from an edge on.
fn start_of_frame(edges: &[Edge], from: usize, bit: f64) -> Option<usize> {
    (from..edges.len()).find(|k| {
        edges[*k].active
            && edges[*k].at - k.checked_sub(1).map_or(0.0, |b| edges[b].at) > IDLE * bit
    })
}

/// How long the line is dominant where an error was seen, or right after, bits; 0 for less than six.
fn flag(edges: &[Edge], at: f64, bit: f64) -> u32 {
    let near = edges.partition_point(|e| e.at < at - RUN as f64 * bit - bit);
    let runs = edges[near..].windows(2).take_while(|w| w[0].at < at + 14.0 * bit);
    let longest =
        runs.filter(|w| w[0].active).map(|w| (w[1].at - w[0].at) / bit).fold(0.0, f64::max);
    if longest > 5.5 { longest.round() as u32 } else { 0 }
}
