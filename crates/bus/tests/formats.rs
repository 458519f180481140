//! Captures in and out of their formats; whatever is given is taken or refused in words.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;
use bus::format::csv::Hints;
use bus::format::{Logged, candump, csv, pcapng};
use bus::{Channel, Trace};
use common::{classic, flexible, rng};
use proptest::prelude::*;
use rand::Rng;

fn log(seed: u64) -> Vec<Logged> {
    let mut r = rng(seed);
    let mut at = 1_700_000_000.0;
    (0..30)
        .map(|k| {
            at += r.random_range(1..100_000) as f64 * 1e-6;
            let frame = if r.random() { classic(&mut r) } else { flexible(&mut r) };
            Logged { at_s: at, bus: format!("can{}", k % 3), frame }
        })
        .collect()
}

fn alike(a: &[Logged], b: &[Logged]) -> bool {
    a.len() == b.len()
        && a.iter()
            .zip(b)
            .all(|(a, b)| a.bus == b.bus && a.frame == b.frame && (a.at_s - b.at_s).abs() < 1.1e-6)
}

proptest! {
    #[test]
    fn frames_go_through_both_formats(seed: u64) {
        let all = log(seed);
        let text = candump::write(&all);
        prop_assert!(alike(&candump::read(text.as_bytes()).unwrap(), &all));
        prop_assert!(alike(&pcapng::read(&pcapng::write(&all).unwrap()).unwrap(), &all));
    }

    #[test]
    fn any_bytes_are_taken_or_refused(bytes in prop::collection::vec(any::<u8>(), 0..300)) {
        let _ = candump::read(&bytes);
        let _ = pcapng::read(&bytes);
        let _ = csv::read(&String::from_utf8_lossy(&bytes), &Hints::default());
    }

    #[test]
    fn damaged_captures_are_taken_or_refused(seed: u64, at: prop::sample::Index, byte: u8) {
        let all = log(seed);
        for mut file in [pcapng::write(&all).unwrap(), candump::write(&all).into_bytes()] {
            let at = at.index(file.len());
            file[at] = byte;
            let _ = pcapng::read(&file);
            let _ = candump::read(&file);
            file.truncate(at);
            let _ = pcapng::read(&file);
            let _ = candump::read(&file);
        }
    }

    #[test]
    fn voltages_go_through_text(
        a in prop::collection::vec(-50f32..50.0, 2..60), step in 1e-9f64..1e-2, start in -1.0f64..1.0,
        separator in 0usize..3,
    ) {
        let channel = |name: &str, volts: Vec<f32>| Channel { name: name.into(), volts };
        let b = a.iter().map(|v| -v).collect();
        let channels = vec![channel("CAN H", a), channel("CAN L", b)];
        let trace = Trace { start_s: start, step_s: step, channels };
        let text = csv::write(&trace);
        // As instruments of other countries and makes would have written it.
        let text = match separator {
            0 => text,
            1 => text.replace(',', "\t"),
            _ => text.replace(',', ";").replace('.', ","),
        };
        let again = csv::read(&text, &Hints::default()).unwrap();
        prop_assert_eq!(&again.channels, &trace.channels);
        prop_assert!((again.step_s / step - 1.0).abs() < 1e-2, "{} {}", again.step_s, step);
    }

    #[test]
    fn any_text_ends_in_a_trace_or_in_words(text in "[0-9.,;\\t\\n eE+-]{0,200}") {
        if let Ok(trace) = csv::read(&text, &Hints { step_s: Some(1e-6), time_unit_s: None }) {
            prop_assert!(trace.step_s > 0.0 && trace.channels.iter().all(|c| c.volts.len() == trace.len()));
        }
    }
}
