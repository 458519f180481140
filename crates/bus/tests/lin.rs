//! LIN schedules drawn as a voltage come back frame by frame, with who did not answer.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;
use bus::lin::decode::{Seen, Wrong, decode};
use bus::lin::frame::{DIAGNOSTIC, Sum};
use bus::lin::wave::{Shape, Slot, draw};
use common::rng;
use proptest::prelude::*;
use rand::Rng;

fn slot(rng: &mut impl Rng) -> Slot {
    let id: u8 = rng.random_range(0..0x3E);
    let answer = (rng.random_range(0..5) > 0).then(|| {
        let len = rng.random_range(1..9);
        let data = (0..len).map(|_| [0x00, 0xFF, rng.random()][rng.random_range(0..3)]).collect();
        let enhanced = rng.random_range(0..3) > 0 && !DIAGNOSTIC.contains(&id);
        (data, if enhanced { Sum::Enhanced } else { Sum::Classic })
    });
    Slot { id, answer }
}

fn fits(seen: &Seen, slot: &Slot) -> bool {
    seen.id == slot.id
        && match &slot.answer {
            None => seen.wrong == Some(Wrong::NoAnswer) && seen.data.is_empty(),
            // By chance both sums may fit: then the enhanced one is named.
            Some((data, _)) => seen.wrong.is_none() && seen.sum.is_some() && seen.data == *data,
        }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    #[test]
    fn schedules_come_back(
        seed: u64, rate in prop_oneof![Just(9600.0), Just(19200.0), Just(10417.0), 2400.0f64..20000.0],
        samples in 6.0f64..80.0, noise in 0.0f64..0.3, supply in 8.0f64..15.0, low in 0.2f64..1.6,
        clock in -0.015f64..0.015, pause in 0.5f64..6.0,
    ) {
        let mut r = rng(seed);
        let slots: Vec<Slot> = (0..8).map(|_| slot(&mut r)).collect();
        let shape = Shape {
            recessive: supply, dominant: low, slave_clock: clock, pause_bits: pause,
            edges: [0.12 / rate, 0.05 / rate], ..Shape::default()
        };
        // The longest frame is some 140 bits.
        let slot_s = 170.0 / rate;
        let mut trace = draw(&slots, rate, slot_s, &shape, 1.0 / (rate * samples));
        for v in &mut trace.channels[0].volts {
            *v += (noise * (r.random::<f64>() + r.random::<f64>() - 1.0)) as f32;
        }
        let decoded = decode(&trace, 0).unwrap();
        prop_assert_eq!(decoded.frames.len(), slots.len());
        for (seen, slot) in decoded.frames.iter().zip(&slots) {
            prop_assert!(fits(seen, slot), "{:?} {:?}", seen, slot);
            prop_assert!((seen.bit_rate / rate - 1.0).abs() < 0.02, "{:?}", seen);
            prop_assert!((seen.break_bits - 14.0).abs() < 0.8, "{:?}", seen);
        }
    }
}

#[test]
fn what_is_wrong_with_a_frame_is_named() {
    let (rate, step) = (19_200.0, 1e-6);
    let answered = |id, data: &[u8]| Slot { id, answer: Some((data.to_vec(), Sum::Enhanced)) };
    let slots =
        [answered(0x10, &[1, 2, 3, 4]), answered(0x11, &[5, 6]), Slot { id: 0x12, answer: None }];
    let trace = draw(&slots, rate, 10e-3, &Shape::default(), step);
    let frames = decode(&trace, 0).unwrap().frames;
    assert_eq!(
        frames.iter().map(|f| f.wrong).collect::<Vec<_>>(),
        [None, None, Some(Wrong::NoAnswer)]
    );
    assert!((frames[0].pause_bits - 2.0).abs() < 0.3, "{:?}", frames[0]);
    // A bit of the answer held down: the sum does not fit. The data begin 14 + 1.5 + 20 + 2 bits after the
    // break; the second bit of the second byte is 12 bits further.
    let bit = |slot: f64, n: f64| ((5e-3 + 10e-3 * slot + n / rate) / step) as usize;
    let mut spoilt = trace.clone();
    let at = 14.0 + 1.5 + 20.0 + 2.0 + 12.0;
    spoilt.channels[0].volts[bit(0.0, at)..bit(0.0, at + 1.0)].fill(0.8);
    let frames = decode(&spoilt, 0).unwrap().frames;
    assert_eq!((frames[0].wrong, frames[1].wrong), (Some(Wrong::Check), None), "{:?}", frames[0]);
    // The line held down in the middle of the answer: a stop bit is missing.
    let mut held = trace.clone();
    held.channels[0].volts[bit(1.0, at)..bit(1.0, at + 13.0)].fill(0.8);
    assert_eq!(decode(&held, 0).unwrap().frames[1].wrong, Some(Wrong::Stop));
    // A slave that pulls the line down less far: its level is told apart from the master's.
    let mut weak = trace;
    for v in &mut weak.channels[0].volts[bit(0.0, 37.0)..bit(0.0, 90.0)] {
        *v = v.max(3.0);
    }
    let seen = &decode(&weak, 0).unwrap().frames[0];
    let [master, slave] = seen.dominant.map(Option::unwrap);
    assert!(
        (master - 0.8).abs() < 0.1 && (slave - 3.0).abs() < 0.1 && seen.wrong.is_none(),
        "{seen:?}"
    );
}

#[test]
fn a_line_that_is_held_has_no_frames() {
    let channel = |v: f32| bus::Channel { name: "LIN".into(), volts: vec![v; 10_000] };
    let held = bus::Trace { start_s: 0.0, step_s: 1e-6, channels: vec![channel(0.7)] };
    assert!(decode(&held, 0).is_none());
}
