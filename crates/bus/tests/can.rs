//! Random traffic, drawn as voltages with what real lines and instruments do to it, comes back frame by
//! frame.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;
use bus::can::bits::{Field, bits};
use bus::can::decode::{Decoded, Read, Undecoded, decode};
use bus::can::receive::Wrong;
use bus::can::wave::{Rates, Sent, Shape, draw};
use bus::{Fd, Frame, Id};
use common::{Way, classic, flexible, rng};
use proptest::prelude::*;

fn frames(decoded: &Decoded) -> Vec<Frame> {
    decoded.sound().filter_map(|r| r.frame.clone()).collect()
}

/// What was sent and what was understood, at rates that were found out.
fn there_and_back(way: &Way, sent: &[Frame], seed: u64) -> Decoded {
    let trace = way.trace(sent, &mut rng(seed));
    let decoded = decode(&trace, None).unwrap_or_else(|e| panic!("{e} {way:?}"));
    assert!((decoded.rates.nominal / way.rates.nominal - 1.0).abs() < 0.02, "{:?}", decoded.rates);
    assert_eq!(frames(&decoded), sent, "{way:?}");
    decoded
}

const RATES: [f64; 8] = [10e3, 33_333.3, 50e3, 83_333.3, 125e3, 250e3, 500e3, 1e6];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]
    #[test]
    fn classic_traffic_comes_back_from_five_to_two_hundred_samples_a_bit(
        seed: u64, rate in 0usize..8, samples in prop_oneof![5.0f64..8.0, 8.0..40.0, 40.0..200.0],
        clock in 0.0f64..0.01, noise in 0.0f64..0.08, common in 0.0f64..0.3, step in 0usize..3,
    ) {
        let mut r = rng(seed);
        let sent: Vec<Frame> = (0..12).map(|_| classic(&mut r)).collect();
        let mut way = Way::plain(RATES[rate], samples);
        // Eight bits over 10 V are steps of 39 mV, over 40 V of 156 mV.
        let step = [0.0, 0.039, 0.156][step];
        // Few samples leave little room for all the rest at once.
        let clock = if samples < 8.0 { 0.5 * clock } else { clock };
        way = Way { clock, noise, common, step, ..way };
        there_and_back(&way, &sent, seed);
    }

    #[test]
    fn flexible_traffic_comes_back_with_its_faster_rate(
        seed: u64, pair in 0usize..4, samples in 6.0f64..14.0, noise in 0.0f64..0.05, clock in 0.0f64..0.003,
    ) {
        let mut r = rng(seed);
        let (nominal, data) = [(500e3, 2e6), (500e3, 5e6), (250e3, 1e6), (1e6, 4e6)][pair];
        let mut sent: Vec<Frame> = (0..8).map(|_| flexible(&mut r)).collect();
        sent.push(Frame::flexible(Id::Standard(0x55), Fd { switched: true, passive: false }, &[0x5A; 40]));
        sent.push(classic(&mut r));
        let mut way = Way::plain(nominal, samples * data / nominal);
        way.rates.data = data;
        way.shape.edges = [0.05 / data, 0.08 / data];
        let decoded = there_and_back(&Way { noise, clock, ..way }, &sent, seed);
        prop_assert!((decoded.rates.data / data - 1.0).abs() < 0.02, "{:?}", decoded.rates);
    }

    #[test]
    fn one_wire_exchanged_wires_and_a_wandering_ground_are_no_matter(
        seed: u64, wires in 0usize..5, offset in -3.0f32..3.0, samples in 8.0f64..60.0,
    ) {
        let mut r = rng(seed);
        let sent: Vec<Frame> = (0..10).map(|_| classic(&mut r)).collect();
        let way = Way { noise: 0.03, clock: 0.004, ..Way::plain(500e3, samples) };
        let mut trace = way.trace(&sent, &mut r);
        for c in &mut trace.channels {
            c.volts.iter_mut().for_each(|v| *v += offset);
        }
        match wires {
            0 => trace.channels.swap(0, 1),
            1 => trace.channels.truncate(1),
            2 => { trace.channels.remove(0); }
            // Upside down, and the difference alone.
            3 => trace.channels.iter_mut().for_each(|c| c.volts.iter_mut().for_each(|v| *v = -*v)),
            _ => {
                let low = trace.channels.pop().unwrap();
                trace.channels[0].volts.iter_mut().zip(low.volts).for_each(|(h, l)| *h -= l);
            }
        }
        let decoded = decode(&trace, None).unwrap();
        prop_assert_eq!(frames(&decoded), sent);
        let read = match wires {
            0 | 3 => Read::Both(1, 0),
            1 | 4 => Read::Rising(0),
            _ => Read::Falling(0),
        };
        prop_assert_eq!(decoded.read, read);
    }

    #[test]
    fn a_capture_that_starts_in_the_middle_gives_the_rest(seed: u64, cut in 0.05f64..0.95) {
        let mut r = rng(seed);
        let sent: Vec<Frame> = (0..8).map(|_| classic(&mut r)).collect();
        let mut trace = Way::plain(250e3, 20.0).trace(&sent, &mut r);
        let at = (cut * trace.len() as f64) as usize;
        for c in &mut trace.channels {
            c.volts.drain(..at);
        }
        if let Ok(decoded) = decode(&trace, Some(Rates::classic(250e3))) {
            let found = frames(&decoded);
            prop_assert!(sent.ends_with(&found), "{:?} of {:?}", found, sent);
            prop_assert!(found.len() + 2 >= (sent.len() as f64 * (1.0 - cut)) as usize);
        }
    }

    #[test]
    fn any_voltages_end_in_a_result_or_in_words(
        a in prop::collection::vec(prop_oneof![any::<f32>(), -5f32..5.0], 0..600),
        b in prop::collection::vec(any::<f32>(), 0..600),
        step in prop_oneof![Just(1e-6), Just(f64::MIN_POSITIVE), Just(1e9)],
    ) {
        let channel = |volts| bus::Channel { name: "x".into(), volts };
        let trace = bus::Trace { start_s: 0.0, step_s: step, channels: vec![channel(a), channel(b)] };
        let _ = decode(&trace, None);
        let _ = bus::lin::decode::decode(&trace, 0);
        let _ = bus::pulse::pulses(&trace, 0, 0.5);
    }
}

fn alone(bits: Vec<bus::can::bits::Bit>) -> bus::Trace {
    let rates = Rates::classic(500e3);
    let sent = |at, bits| Sent { bits, at, shape: Shape::default(), clock: 0.0 };
    let good = bus::can::bits::bits(&Frame::classic(Id::Standard(0x10), &[1, 2, 3]), true);
    let all = [sent(30e-6, good.clone()), sent(500e-6, bits), sent(1.2e-3, good)];
    draw(&all, &rates, &Shape::default(), 50e-9, 1.6e-3)
}

#[test]
fn errors_are_located_by_their_field() {
    let frame = Frame::classic(Id::Standard(0x123), &[0xAA, 0x55, 0x0F]);
    let whole = bits(&frame, true);
    let with = |change: &dyn Fn(&mut Vec<bus::can::bits::Bit>)| {
        let mut changed = whole.clone();
        change(&mut changed);
        let decoded = decode(&alone(changed), Some(Rates::classic(500e3))).unwrap();
        assert_eq!(decoded.received.len(), 3, "{:?}", decoded.received);
        assert!(decoded.received[0].fault.is_none() && decoded.received[2].fault.is_none());
        decoded.received[1].clone()
    };
    let at = |field: Field| whole.iter().position(|b| b.field == field).unwrap();
    // A data bit turned: the check does not fit, and the frame was otherwise whole.
    let turned = with(&|b| b[at(Field::Data) + 4].dominant ^= true);
    assert_eq!(turned.fault.map(|f| (f.wrong, f.field)), Some((Wrong::Check, Field::Crc)));
    // Six dominant bits from the middle of the data on: an active error flag.
    let flagged = with(&|b| {
        let from = at(Field::Data) + 6;
        b.truncate(from);
        let bit = |dominant| bus::can::bits::Bit { dominant, fast: false, field: Field::Data };
        b.extend([bit(true); 6]);
        b.extend([bit(false); 11]);
    });
    let fault = flagged.fault.unwrap();
    assert_eq!((fault.wrong, fault.field), (Wrong::Stuff, Field::Data));
    assert!((6..=12).contains(&fault.flag_bits), "{fault:?}");
    // 500 us and about so many bits of 2 us: located to within a few bits.
    let expected = 500e-6 + 2e-6 * (at(Field::Data) + 9) as f64;
    assert!((fault.at * 50e-9 - expected).abs() < 10e-6, "{} {expected}", fault.at * 50e-9);
    // A dominant acknowledge delimiter.
    let form = with(&|b| b[at(Field::AckDelimiter)].dominant = true);
    assert_eq!(form.fault.map(|f| (f.wrong, f.field)), Some((Wrong::Form, Field::AckDelimiter)));
    // Nobody acknowledges: the frame is whole.
    let unheard = with(&|b| b[at(Field::Acknowledge)].dominant = false);
    assert!(!unheard.acknowledged && unheard.fault.is_none());
    assert!(with(&|_| {}).acknowledged);
    // A dominant bit in the intermission begins an overload frame.
    let over = with(&|b| {
        let from = at(Field::Intermission);
        b[from..].iter_mut().for_each(|x| x.dominant = true);
        b.extend([whole[from]; 8].map(|x| bus::can::bits::Bit { dominant: false, ..x }));
    });
    assert!(over.overload && over.fault.is_none(), "{over:?}");
}

#[test]
fn each_sender_is_told_with_its_levels_and_its_clock() {
    let rates = Rates::classic(500e3);
    let weak = Shape { dominant: [3.1, 1.9], ..Shape::default() };
    let lifted = Shape { recessive: [2.8, 2.8], dominant: [3.8, 1.8], ..Shape::default() };
    let frame = |id| bits(&Frame::classic(Id::Standard(id), &[0x5A; 8]), true);
    let sent = |id, at, shape, clock| Sent { bits: frame(id), at, shape, clock };
    let all = [
        sent(0x100, 50e-6, Shape::default(), 0.0),
        sent(0x200, 500e-6, weak, 0.004),
        sent(0x300, 1e-3, lifted, -0.004),
    ];
    let trace = draw(&all, &rates, &Shape::default(), 50e-9, 1.5e-3);
    let decoded = decode(&trace, None).unwrap();
    let senders: Vec<_> = decoded.senders.iter().map(|s| s.unwrap()).collect();
    let near = |a: [f32; 2], b: [f32; 2]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 0.02);
    assert!(
        near(senders[0].dominant, [3.5, 1.5]) && near(senders[0].recessive, [2.5, 2.5]),
        "{senders:?}"
    );
    assert!(near(senders[1].dominant, [3.1, 1.9]), "{senders:?}");
    assert!(
        near(senders[2].recessive, [2.8, 2.8]) && near(senders[2].dominant, [3.8, 1.8]),
        "{senders:?}"
    );
    let stretch: Vec<f64> = decoded.received.iter().map(|r| r.stretch).collect();
    for (found, clock) in stretch.iter().zip([0.0, 0.004, -0.004]) {
        assert!((found + clock).abs() < 3e-4, "{stretch:?}");
    }
    // Three frames of 108 bits and one or two stuffed in the 750 bits of 1.5 ms: 0.44.
    let load = decoded.load(&trace);
    assert!((0.42..0.47).contains(&load), "{load}");
}

#[test]
fn a_silent_bus_and_one_that_is_no_can_say_so() {
    let channel = |f: &dyn Fn(usize) -> f32| bus::Channel {
        name: "x".into(),
        volts: (0..20_000).map(f).collect(),
    };
    let trace = |c| bus::Trace { start_s: 0.0, step_s: 1e-7, channels: vec![c] };
    let silent = decode(&trace(channel(&|k| 2.5 + 0.01 * (k % 5) as f32)), None).unwrap_err();
    assert_eq!(silent, Undecoded::Silent);
    assert!(silent.to_string().contains("silent"));
    let square = decode(&trace(channel(&|k| if k / 500 % 2 == 0 { 0.0 } else { 5.0 })), None);
    assert!(matches!(square.unwrap_err(), Undecoded::NoFrame(_)));
    let nothing = bus::Trace { start_s: 0.0, step_s: 1e-7, channels: vec![] };
    assert_eq!(decode(&nothing, None).unwrap_err(), Undecoded::Empty);
}
