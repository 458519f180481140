//! How fast captures are decoded, each beside merely reading the same memory, in one run on one core.
#![allow(missing_docs, clippy::unwrap_used)]

use bus::can::bits::bits;
use bus::can::decode::decode;
use bus::can::wave::{Rates, Sent, Shape, draw};
use bus::format::{Logged, candump};
use bus::lin::frame::Sum;
use bus::lin::wave::Slot;
use bus::pyramid::Pyramid;
use bus::{Frame, Id, Trace};
use std::hint::black_box;
use std::time::Instant;

/// Samples of the CAN capture, on each of two lines.
const SAMPLES: usize = 100_000_000;
const LINES: usize = 2_000_000;
/// Runs of each; the fastest counts.
const RUNS: usize = 3;

fn fastest<T>(mut of: impl FnMut() -> T) -> (f64, T) {
    let mut best: Option<(f64, T)> = None;
    for _ in 0..RUNS {
        let started = Instant::now();
        let out = black_box(of());
        let took = started.elapsed().as_secs_f64();
        if best.as_ref().is_none_or(|b| took < b.0) {
            best = Some((took, out));
        }
    }
    best.unwrap()
}

fn told(what: &str, unit: &str, n: f64, took: f64, reading: f64) {
    println!(
        "{what}: {:.1} M {unit}/s, {:.2} s; reading the same memory {:.3} s, ratio {:.1}",
        n / took / 1e6,
        took,
        reading,
        took / reading
    );
}

/// Repeats a short trace until it is as long as wanted.
fn repeated(trace: &Trace, samples: usize) -> Trace {
    let channels = trace.channels.iter().map(|c| {
        let volts = c.volts.iter().copied().cycle().take(samples).collect();
        bus::Channel { name: c.name.clone(), volts }
    });
    Trace { channels: channels.collect(), ..trace.clone() }
}

fn sum(volts: &[f32]) -> f32 {
    // Eight sums at once, as fast as the memory gives them.
    let mut sums = [0f32; 16];
    for part in volts.chunks_exact(16) {
        for (s, v) in sums.iter_mut().zip(part) {
            *s += v;
        }
    }
    sums.iter().sum()
}

fn can(samples_a_bit: f64, load: f64) {
    let rates = Rates::classic(500e3);
    let bit = 1.0 / rates.nominal;
    let mut at = 20.0 * bit;
    let sent: Vec<Sent> = (0..200u16)
        .map(|n| {
            let frame = Frame::classic(Id::Standard(0x100 + n % 23), &[n as u8; 8]);
            let one = Sent { bits: bits(&frame, true), at, shape: Shape::default(), clock: 0.0 };
            let end = one.end(&rates);
            at += (end - at) / load;
            one
        })
        .collect();
    let short = draw(&sent, &rates, &Shape::default(), bit / samples_a_bit, at);
    let trace = repeated(&short, SAMPLES);
    drop(short);
    let (reading, _) = fastest(|| trace.channels.iter().map(|c| sum(&c.volts)).sum::<f32>());
    let (took, decoded) = fastest(|| decode(&trace, Some(rates)).unwrap());
    let frames = decoded.sound().count();
    let wrong = decoded.received.len() - frames;
    println!(
        "CAN {samples_a_bit} samples a bit, load {:.0} %: {frames} frames, {wrong} at seams",
        100.0 * load
    );
    told("  decoding, rate known", "samples", SAMPLES as f64, took, reading);
    let (took, _) = fastest(|| decode(&trace, None).unwrap());
    told("  decoding, rate and lines found out", "samples", SAMPLES as f64, took, reading);
    let (took, pyramid) = fastest(|| Pyramid::new(&trace.channels[0].volts));
    let (one, _) = fastest(|| sum(&trace.channels[0].volts));
    told("  pyramid of one line", "samples", SAMPLES as f64, took, one);
    let (view, _) = fastest(|| pyramid.view(&trace.channels[0].volts, 0, SAMPLES, 1280));
    println!("  a picture of all of it, 1280 columns: {:.2} ms", 1e3 * view);
}

fn lin() {
    let slots: Vec<Slot> = (0..50u8)
        .map(|id| Slot { id: id % 60, answer: Some((vec![id; 8], Sum::Enhanced)) })
        .collect();
    let short = bus::lin::wave::draw(&slots, 19_200.0, 10e-3, &Default::default(), 2e-6);
    let trace = repeated(&short, SAMPLES / 2);
    let (reading, _) = fastest(|| sum(&trace.channels[0].volts));
    let (took, decoded) = fastest(|| bus::lin::decode::decode(&trace, 0).unwrap());
    println!("LIN, 26 samples a bit: {} frames", decoded.frames.len());
    told("  decoding", "samples", trace.len() as f64, took, reading);
}

fn log() {
    let all: Vec<Logged> = (0..LINES)
        .map(|k| Logged {
            at_s: 1.7e9 + k as f64 * 1e-4,
            bus: "can0".into(),
            frame: Frame::classic(Id::Standard((k % 2048) as u16), &[k as u8; 8]),
        })
        .collect();
    let text = candump::write(&all).into_bytes();
    drop(all);
    let (reading, _) = fastest(|| text.iter().fold(0u64, |sum, b| sum.wrapping_add(u64::from(*b))));
    let (took, n) = fastest(|| {
        let mut data = 0usize;
        candump::each(&text, |l| data += l.data.len()).unwrap() + data % 2
    });
    println!("candump log of {n} frames, {} MB", text.len() / 1_000_000);
    told("  reading", "frames", LINES as f64, took, reading);
}

fn main() {
    can(20.0, 0.3);
    can(50.0, 0.6);
    lin();
    log();
}
