//! What is wrong with a bus is found in what it looks like, and nothing is found in a sound one.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;
use bus::can::bits::bits;
use bus::can::decode::decode;
use bus::can::wave::{Rates, Ringing, Sent, Shape, draw};
use bus::findings::{Finding, Kind, of_can, of_lin};
use bus::lin::frame::Sum;
use bus::lin::wave::{Shape as LinShape, Slot};
use bus::{Frame, Id, Trace};
use common::{Way, classic, rng};
use proptest::prelude::*;

const RATES: Rates = Rates { nominal: 500e3, data: 500e3, sample_points: (0.75, 0.75) };
const STEP: f64 = 25e-9;

/// Five senders by turns, each with its shape; `unheard` frames of the last one nobody acknowledges.
fn bus_of(shape: impl Fn(u16) -> Shape, clock: impl Fn(u16) -> f64, unheard: bool) -> Trace {
    let mut at = 60e-6;
    let mut sent = Vec::new();
    for n in 0..40u16 {
        let id = 0x100 + 0x10 * (n % 5);
        let frame = Frame::classic(Id::Standard(id), &[n as u8, 0x5A, 0xA5, 0x0F]);
        let bits = bits(&frame, !(unheard && id == 0x140));
        let one = Sent { bits, at, shape: shape(id), clock: clock(id) };
        at = one.end(&RATES) + 40e-6;
        sent.push(one);
    }
    draw(&sent, &RATES, &shape(0), STEP, at + 60e-6)
}

fn found(trace: &Trace) -> Vec<Finding> {
    of_can(trace, &decode(trace, None).unwrap())
}

fn kinds(all: &[Finding]) -> Vec<Kind> {
    all.iter().map(|f| f.kind).collect()
}

/// Exactly one kind is found, and its words say what.
fn only(trace: &Trace, kind: Kind, says: &[&str]) -> Finding {
    let all = found(trace);
    assert_eq!(kinds(&all), [kind], "{all:#?}");
    for word in says {
        assert!(all[0].text.contains(word), "{word}: {}", all[0].text);
    }
    assert!(all[0].at_s >= 0.0 && all[0].at_s <= trace.seconds());
    all[0].clone()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    #[test]
    fn nothing_is_found_in_a_sound_bus(seed: u64, samples in 12.0f64..60.0, noise in 0.0f64..0.04, step in 0.0f64..0.05) {
        let mut r = rng(seed);
        let sent: Vec<Frame> = (0..20).map(|_| classic(&mut r)).collect();
        let way = Way { noise, step, clock: 0.002, ..Way::plain(500e3, samples) };
        let all = found(&way.trace(&sent, &mut r));
        prop_assert!(all.is_empty(), "{:#?}", all);
    }
}

#[test]
fn levels_that_are_wrong_are_told_apart() {
    let plain = |_| Shape::default();
    let steady = |_| 0.0;
    assert!(found(&bus_of(plain, steady, false)).is_empty());
    // One sender drives half.
    let weak =
        |id| if id == 0x120 { Shape { dominant: [3.0, 2.0], ..plain(id) } } else { plain(id) };
    let one =
        only(&bus_of(weak, steady, false), Kind::Amplitude, &["1 of 5 senders", "120", "1.00 V"]);
    assert!((one.measured - 1.0).abs() < 0.03, "{one:?}");
    // All of them do: something loads the bus. 0.8 V are not even heard.
    let loaded = |_| Shape { dominant: [2.9, 2.1], ..Shape::default() };
    only(
        &bus_of(loaded, steady, false),
        Kind::Amplitude,
        &["every sender", "0.80 V", "receivers need"],
    );
    // Low is broken: it stays, and high still moves.
    let broken = |_| Shape { recessive: [2.5, 2.5], dominant: [3.5, 2.5], ..Shape::default() };
    let all = found(&bus_of(broken, steady, false));
    assert_eq!(all[0].kind, Kind::Fixed, "{all:#?}");
    assert!(all[0].text.contains("CAN low stays at 2.50 V"), "{}", all[0].text);
    // Low is dragged: it goes down by a quarter only, at one sender.
    let lame =
        |id| if id == 0x130 { Shape { dominant: [3.9, 2.2], ..plain(id) } } else { plain(id) };
    only(&bus_of(lame, steady, false), Kind::Mirror, &["130", "low goes down less"]);
    // Another ground at one sender.
    let lifted = |id| match id {
        0x110 => Shape { dominant: [3.9, 1.9], recessive: [2.55, 2.55], ..plain(id) },
        _ => plain(id),
    };
    only(&bus_of(lifted, steady, false), Kind::Offset, &["110", "+0.40 V", "ground"]);
    // The whole bus is pulled up.
    let pulled = |_| Shape { recessive: [3.4, 3.4], dominant: [4.2, 2.2], ..Shape::default() };
    only(&bus_of(pulled, steady, false), Kind::Offset, &["3.40 V instead of 2 to 3 V"]);
}

#[test]
fn edges_clocks_and_missing_partners_are_told() {
    let plain = |_: u16| Shape::default();
    let steady = |_: u16| 0.0;
    // Back to rest with a time constant of 400 ns in bits of 2 us: 2.2 x 400 = 880 ns, 0.44 of a bit.
    let slow = |_: u16| Shape { edges: [25e-9, 400e-9], ..Shape::default() };
    let one = only(&bus_of(slow, steady, false), Kind::Returns, &["terminator"]);
    assert!((one.measured - 0.44).abs() < 0.03, "{one:?}");
    // It rings at 3 MHz with 45 % of the step.
    let rings = |_: u16| Shape {
        ringing: Ringing { share: 0.45, hertz: 3e6, decay_s: 0.6e-6 },
        ..Shape::default()
    };
    only(&bus_of(rings, steady, false), Kind::Ringing, &["stub"]);
    // Nobody hears one sender.
    only(&bus_of(plain, steady, true), Kind::Acknowledge, &["8 of 40", "140"]);
    // One clock is 0.9 % fast: its bits are 0.009 / 1.009 = 0.89 % shorter.
    let off = |id: u16| if id == 0x120 { 0.009 } else { 0.0 };
    only(&bus_of(plain, off, false), Kind::Clock, &["120", "0.89 %", "fast"]);
}

#[test]
fn what_stops_and_what_breaks_off_is_found_with_its_time() {
    let mut at = 60e-6;
    let mut sent = Vec::new();
    for n in 0..60u16 {
        // 200 stops after a third, 300 is spoilt now and then.
        for (id, sends) in [(0x200u16, n < 20), (0x300, true)] {
            if !sends {
                at += 250e-6;
                continue;
            }
            let mut bits = bits(&Frame::classic(Id::Standard(id), &[1, 2, 3, 4]), true);
            if id == 0x300 && n % 20 == 5 {
                let from = bits.len() - 40;
                bits.truncate(from);
                let flag = bus::can::bits::Bit {
                    dominant: true,
                    fast: false,
                    field: bus::can::bits::Field::Data,
                };
                bits.extend([flag; 8]);
                bits.extend([bus::can::bits::Bit { dominant: false, ..flag }; 12]);
            }
            let one = Sent { bits, at, shape: Shape::default(), clock: 0.0 };
            at += 250e-6;
            sent.push(one);
        }
    }
    let trace = draw(&sent, &RATES, &Shape::default(), 100e-9, at);
    let all = found(&trace);
    assert_eq!(kinds(&all), [Kind::Errors, Kind::Stopped], "{all:#?}");
    assert!(
        all[0].text.starts_with("3 of 80 frames break off") && all[0].text.contains("300"),
        "{}",
        all[0].text
    );
    // The twentieth comes at 19 x 0.5 ms.
    assert!(
        all[1].text.starts_with("200 came every") && (all[1].at_s - 0.00956).abs() < 1e-4,
        "{:?}",
        all[1]
    );
}

#[test]
fn a_lin_slave_that_is_missing_or_weak_is_named() {
    let answered = |id| Slot { id, answer: Some((vec![1, 2, 3], Sum::Enhanced)) };
    let silent = Slot { id: 0x21, answer: None };
    let slots: Vec<Slot> =
        (0..12).map(|k| if k % 3 == 1 { silent.clone() } else { answered(0x20) }).collect();
    let shape = LinShape::default();
    let trace = bus::lin::wave::draw(&slots, 19_200.0, 10e-3, &shape, 2e-6);
    let all = of_lin(&trace, &bus::lin::decode::decode(&trace, 0).unwrap());
    assert_eq!(kinds(&all), [Kind::NoAnswer], "{all:#?}");
    assert!(all[0].text.contains("21: 4 of 4"), "{}", all[0].text);
    // Driven against a dragged line: 3.4 V of 12.2 V is above a fifth of it.
    let weak = LinShape { dominant: 3.4, ..shape };
    let trace = bus::lin::wave::draw(&slots[..1], 19_200.0, 10e-3, &weak, 2e-6);
    let all = of_lin(&trace, &bus::lin::decode::decode(&trace, 0).unwrap());
    assert_eq!(kinds(&all), [Kind::LinLevel; 2], "{all:#?}");
    assert!(
        all[0].text.contains("the master") && all[1].text.contains("who answers 20"),
        "{all:#?}"
    );
}
