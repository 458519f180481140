//! A CAN bus at work: who sends what when, and what the lines make of it.

use super::{Set, Sweep};
use bus::can::bits::{Bit, Field, bits};
use bus::can::frame::{Fd, Frame, Id};
use bus::can::wave::{Rates, Ringing, Sent, Shape, draw as lines};
use circuit::Change;
use circuit::edges::MIDDLE_OHMS;
use circuit::phase::Ear;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::collections::BTreeMap;
use vehicle::{Bus, BusKind, PartIx};

/// Bit rate of the data phase of an FD bus, bit/s.
const FAST: f64 = 2e6;
/// Quickest edges of a transceiver, to dominant and back, seconds.
const DRIVEN_SECONDS: f64 = 15e-9;
const BACK_SECONDS: f64 = 20e-9;
/// Time of a wave over a metre, seconds.
const METRE_SECONDS: f64 = 5e-9;
/// Share of a step that comes back from an open end at most.
const COMES_BACK: f64 = 0.35;
/// Resistance between the lines from which on it rings, ohms: one terminator makes 120, two make 60.
const RINGS_OHMS: f64 = 75.0;
/// A receiver sees something in this range, volts, but not every bit of it.
const MARGINAL: std::ops::Range<f64> = 0.5..0.9;
/// Share of the frames that a receiver disturbs which sees half of what is sent.
const DISTURBS: f64 = 0.1;
/// Bits of an error flag, of its delimiter and of the intermission.
const FLAG: usize = 6;
const DELIMITER: usize = 8;
const INTERMISSION: f64 = 3.0;
/// Bits after which a receiver that sees half of them raises its flag.
const GIVES_UP_AFTER: usize = 16;
/// Times a frame that nobody acknowledges is sent again before its sender falls silent for a while.
const TRIES: u32 = 16;
/// Largest identifier of 11 bits.
const LONGEST_STANDARD: u16 = 0x7FF;
/// Difference of clocks, share.
const CLOCK: f64 = 1e-4;

/// A working member.
struct Member {
    part: PartIx,
    ear: Ear,
    hold: Vec<Change>,
}

/// What a member makes of the lines while it sends.
struct Sender {
    /// Levels of the channels drawn, dominant, volts.
    dominant: Vec<f64>,
    /// Volts between the lines at its own ear.
    across: f64,
    acknowledged: bool,
    /// Somebody sees half of what it sends, and what share of those who should do.
    marginal: Option<PartIx>,
    share: f64,
}

/// A message in its turn.
struct Due {
    part: PartIx,
    id: u32,
    period_s: f64,
    next: f64,
    tries: u32,
}

/// The channels `own` of a bus, one after the other.
pub(super) fn draw(set: &Set<'_>, b: &Bus, own: &[usize], sweep: Sweep) -> Vec<Vec<f32>> {
    let mut rng = ChaCha8Rng::seed_from_u64(set.scene.seed ^ 0xCA);
    let members = members(set, b);
    let rates = match b.kind {
        BusKind::CanFd => Rates { data: FAST, ..Rates::classic(f64::from(b.bit_rate)) },
        _ => Rates::classic(f64::from(b.bit_rate)),
    };
    let rest = set.shown(&set.rest);
    let rest: Vec<f64> = own.iter().map(|k| rest[*k]).collect();
    let senders: BTreeMap<PartIx, Sender> =
        members.iter().filter_map(|m| Some((m.part, sender(set, &members, m, own)?))).collect();
    let line = electric(set, b, &members, &senders);
    let sent = schedule(set, b, &senders, &rates, sweep.seconds, &mut rng);
    let step_s = sweep.seconds / sweep.samples as f64;
    let mut out = Vec::new();
    // Two channels at a time: each pair has its own levels, and all have the same times.
    for pair in (0..own.len()).collect::<Vec<_>>().chunks(2) {
        let of = |levels: &[f64]| [levels[pair[0]], levels[*pair.last().unwrap_or(&pair[0])]];
        let shape = |dominant: [f64; 2]| Shape {
            recessive: of(&rest),
            dominant,
            edges: line.edges,
            ringing: line.ringing,
            acknowledge: 0.1,
        };
        let resting = shape(of(&rest));
        let shaped: Vec<Sent> = sent
            .iter()
            .map(|(part, bits, at)| Sent {
                bits: bits.clone(),
                at: *at,
                shape: shape(senders.get(part).map_or(of(&rest), |s| of(&s.dominant))),
                clock: CLOCK * (part.at() % 5) as f64 - 2.0 * CLOCK,
            })
            .collect();
        let trace = lines(&shaped, &rates, &resting, step_s, sweep.seconds);
        let mut channels = trace.channels.into_iter().map(|c| {
            let mut volts = c.volts;
            volts.resize(sweep.samples, volts.last().copied().unwrap_or_default());
            volts
        });
        out.extend(channels.by_ref().take(pair.len()));
    }
    out
}

fn members(set: &Set<'_>, b: &Bus) -> Vec<Member> {
    let c = &set.scene.circuit;
    let all = c.transceivers(&b.id).map(|d| (d, c.devices[d].part));
    all.filter(|(_, part)| set.rest.alive(c, *part))
        .filter_map(|(d, part)| {
            Some(Member { part, ear: c.ear(d)?, hold: c.dominant(&b.id, part)? })
        })
        .collect()
}

fn sender(set: &Set<'_>, members: &[Member], m: &Member, own: &[usize]) -> Option<Sender> {
    let silent = matches!(m.hold[..], [Change::Hold(own, _)] if set.is_silent(own));
    let s = set.held(&m.hold);
    let (is, was) = (|e: Ear| e.of(&s.volts), |e: Ear| e.of(&set.rest.volts));
    // What rests dominant gives it no gap to begin in.
    if silent || m.ear.across(&set.rest.volts) > MARGINAL.start {
        return None;
    }
    let shown = set.shown(&s);
    let others = || members.iter().filter(|o| o.part != m.part);
    let half = |o: &&Member| MARGINAL.contains(&o.ear.across(&s.volts));
    let marginal = others().find(half);
    let share = others().filter(half).count() as f64 / others().count().max(1) as f64;
    Some(Sender {
        dominant: own.iter().map(|k| shown[*k]).collect(),
        across: m.ear.across(&s.volts),
        acknowledged: others().any(|o| o.ear.hears(is(o.ear), was(o.ear))),
        marginal: marginal.map(|o| o.part),
        share,
    })
}

/// What the lines do to an edge.
struct Electric {
    edges: [f64; 2],
    ringing: Ringing,
}

/// What the resistance between the lines and their capacitance do, and what comes back from an open end.
fn electric(
    set: &Set<'_>,
    b: &Bus,
    members: &[Member],
    senders: &BTreeMap<PartIx, Sender>,
) -> Electric {
    let across: Vec<_> = senders.iter().map(|(part, s)| (*part, s.across)).collect();
    let line = set.scene.circuit.edges(b, members.len(), &across);
    let back = (line.ohms - MIDDLE_OHMS) / (line.ohms + MIDDLE_OHMS);
    let hertz = 1.0 / (4.0 * METRE_SECONDS * (line.metres / 3.0).max(1.0));
    let ringing = match line.ohms > RINGS_OHMS {
        true => Ringing { share: COMES_BACK * back, hertz, decay_s: 3.0 / hertz },
        false => Ringing::NONE,
    };
    Electric {
        edges: [line.driven_s().max(DRIVEN_SECONDS), line.back_s().max(BACK_SECONDS)],
        ringing,
    }
}

/// Who sends which bits when: the lowest identifier first, as arbitration has it; what nobody acknowledges
/// again and again.
fn schedule(
    set: &Set<'_>,
    b: &Bus,
    senders: &BTreeMap<PartIx, Sender>,
    rates: &Rates,
    seconds: f64,
    rng: &mut ChaCha8Rng,
) -> Vec<(PartIx, Vec<Bit>, f64)> {
    let c = &set.scene.circuit;
    let messages = c.vehicle.messages.iter().filter(|m| m.bus == b.id);
    let mut due: Vec<Due> = messages
        .filter_map(|m| {
            let part = c.part(&m.sender).filter(|p| senders.contains_key(p))?;
            let period_s = f64::from(m.period_ms) * 1e-3;
            let next = rng.random_range(0.0..period_s.min(seconds.max(1e-3)));
            Some(Due { part, id: m.identifier, period_s, next, tries: 0 })
        })
        .collect();
    let bit_s = 1.0 / rates.nominal;
    let mut out: Vec<(PartIx, Vec<Bit>, f64)> = Vec::new();
    let mut free = 0.0;
    while free < seconds {
        let ready = due.iter_mut().filter(|d| d.next <= free).min_by_key(|d| d.id);
        let Some(d) = ready else {
            let first = due.iter().map(|d| d.next).fold(f64::INFINITY, f64::min);
            if !first.is_finite() || first >= seconds {
                break;
            }
            free = first;
            continue;
        };
        let Some(s) = senders.get(&d.part) else { break };
        let data: Vec<u8> = (0..8).map(|_| rng.random()).collect();
        let id = match u16::try_from(d.id) {
            Ok(short) if short <= LONGEST_STANDARD => Id::Standard(short),
            _ => Id::Extended(d.id),
        };
        let frame = match b.kind {
            BusKind::CanFd => Frame::flexible(id, Fd { switched: true, passive: false }, &data),
            _ => Frame::classic(id, &data),
        };
        let whole = bits(&frame, s.acknowledged);
        // A receiver that mostly fails has become error passive: it disturbs now and then. What most of
        // them fail to read is disturbed always.
        let disturbs = s.share > 0.5 || rng.random_bool(DISTURBS);
        let marginal = s.marginal.filter(|_| disturbs);
        let (kept, raises) = match marginal {
            None if s.acknowledged => (whole.len(), None),
            Some(part) => (GIVES_UP_AFTER.min(whole.len()), Some(part)),
            // Nobody drives the slot: the sender raises its flag in the bit after it.
            None => {
                let slot = whole.iter().position(|x| x.field == Field::Acknowledge);
                (slot.map_or(whole.len(), |k| k + 1), Some(d.part))
            }
        };
        let begun =
            Sent { bits: whole[..kept].to_vec(), at: free, shape: Shape::default(), clock: 0.0 };
        let end = begun.end(rates);
        out.push((d.part, begun.bits, free));
        free = end + INTERMISSION * bit_s;
        match raises {
            None => {
                d.tries = 0;
                d.next += d.period_s;
            }
            Some(part) => {
                let flag = |dominant| Bit { dominant, fast: false, field: Field::End };
                let flags: Vec<Bit> = (0..FLAG)
                    .map(|_| flag(true))
                    .chain((0..DELIMITER).map(|_| flag(false)))
                    .collect();
                out.push((part, flags, end));
                free = end + (FLAG + DELIMITER) as f64 * bit_s + INTERMISSION * bit_s;
                d.tries += 1;
                if d.tries >= TRIES {
                    d.tries = 0;
                    d.next = free + d.period_s;
                }
            }
        }
        // What fell behind while the bus was taken is not sent twice.
        for d in &mut due {
            if d.next + d.period_s < free {
                d.next = free;
            }
        }
    }
    out
}
