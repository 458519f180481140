//! What the stand-in's scope shows of a sound bus and of faulty ones, read by the decoder as a capture.
#![allow(missing_docs, clippy::unwrap_used)]

use bus::can::decode::{Decoded, decode};
use bus::can::wave::Rates;
use bus::findings::Kind;
use bus::trace::{Channel, Trace};
use serde_json::json;
use standin::{Ports, Setup, Standin};
use std::collections::BTreeSet;
use vehicle::Vehicle;

const SECONDS: f64 = 0.02;
const SAMPLES: usize = 400_000;

fn setup(faults: &[&str]) -> Setup {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
    let text = std::fs::read_to_string(path).unwrap();
    Setup {
        vehicle: Vehicle::from_json(&text).unwrap(),
        faults: faults.iter().map(|f| f.parse().unwrap()).collect(),
        seed: 5,
        vin: String::new(),
        odometer_km: 1,
        past: Vec::new(),
        flexes: false,
    }
}

/// Posts to the hands.
async fn post(at: std::net::SocketAddr, path: &str, body: serde_json::Value) {
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    let body = body.to_string();
    let mut stream = tokio::net::TcpStream::connect(at).await.unwrap();
    let text = format!(
        "POST {path} HTTP/1.1\r\nhost: x\r\nconnection: close\r\ncontent-type: application/json\r\ncontent-length: {}\r\n\r\n{body}",
        body.len()
    );
    stream.write_all(text.as_bytes()).await.unwrap();
    let mut answer = String::new();
    stream.read_to_string(&mut answer).await.unwrap();
    assert!(answer.starts_with("HTTP/1.1 200"), "{path}: {answer}");
}

/// A capture taken as a tester takes one, over SCPI.
fn capture(faults: &[&str], points: &[&str], seconds: f64, samples: usize) -> Trace {
    let run = tokio::runtime::Builder::new_multi_thread().enable_all().build().unwrap();
    run.block_on(async {
        let standin = Standin::start(setup(faults), Ports::default()).await.unwrap();
        post(standin.hands, "/state", json!({"key": "15"})).await;
        let channels: Vec<_> = points.iter().map(|p| json!({"red": p})).collect();
        post(standin.hands, "/probes", json!({"channels": channels})).await;
        let all = read(standin.scope, seconds, samples, points.len()).await;
        let named = points.iter().zip(all);
        let channels = named.map(|(p, volts)| Channel { name: (*p).to_owned(), volts }).collect();
        Trace { start_s: 0.0, step_s: seconds / samples as f64, channels }
    })
}

/// Traces as blocks of definite length.
async fn read(
    at: std::net::SocketAddr,
    seconds: f64,
    samples: usize,
    count: usize,
) -> Vec<Vec<f32>> {
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    let mut stream = tokio::net::TcpStream::connect(at).await.unwrap();
    let ask = format!(":SENS:SWE:TIME {seconds:e};:SENS:SWE:POIN {samples};:INIT;*OPC?\n");
    stream.write_all(ask.as_bytes()).await.unwrap();
    let mut done = [0; 2];
    stream.read_exact(&mut done).await.unwrap();
    assert_eq!(&done, b"1\n");
    let mut out = Vec::new();
    for k in 1..=count {
        stream.write_all(format!("TRAC? CH{k}\n").as_bytes()).await.unwrap();
        let mut head = [0; 2];
        stream.read_exact(&mut head).await.unwrap();
        assert_eq!(head[0], b'#');
        let mut digits = vec![0; usize::from(head[1] - b'0')];
        stream.read_exact(&mut digits).await.unwrap();
        let length: usize = String::from_utf8(digits).unwrap().parse().unwrap();
        assert_eq!(length, 4 * samples);
        let mut bytes = vec![0; length + 1];
        stream.read_exact(&mut bytes).await.unwrap();
        let four = |b: &[u8]| f32::from_be_bytes(b.try_into().unwrap());
        out.push(bytes[..length].chunks_exact(4).map(four).collect());
    }
    out
}

fn ids(d: &Decoded) -> BTreeSet<u32> {
    d.sound().filter_map(|r| r.frame.as_ref()).map(|f| f.id.number()).collect()
}

fn drive(faults: &[&str]) -> Decoded {
    let trace = capture(faults, &["X1.DH", "X1.DL"], SECONDS, SAMPLES);
    decode(&trace, Some(Rates::classic(500e3))).unwrap()
}

#[test]
fn on_a_sound_bus_everybody_is_heard_and_nothing_is_found() {
    let trace = capture(&[], &["X1.DH", "X1.DL"], SECONDS, SAMPLES);
    let d = decode(&trace, Some(Rates::classic(500e3))).unwrap();
    // Everything sent at least every 10 ms: engine 1 (160), steering (208), column (216).
    assert!(ids(&d).is_superset(&[160, 208, 216].into()), "{:?}", ids(&d));
    let found = bus::findings::of_can(&trace, &d);
    assert!(found.is_empty(), "{found:?}");
    // Behind a star coupler, whose legs take their share.
    let trace = capture(&[], &["X1.FH", "X1.FL"], SECONDS, SAMPLES);
    let found = bus::findings::of_can(&trace, &decode(&trace, None).unwrap());
    assert!(found.is_empty(), "{found:?}");
}

#[test]
fn each_slave_of_a_lin_line_has_its_own_level_at_the_master() {
    // 100 ohms in the way of A51 against the master's pull-up of 1 kohm.
    let fault = "terminal:X51.LIN:series:100";
    let trace = capture(&[fault], &["X23.LIN"], 0.3, 300_000);
    let d = bus::lin::decode::decode(&trace, 0).unwrap();
    let of = |id: u8| {
        let own = d.frames.iter().filter(|f| f.id == id).filter_map(|f| f.dominant[1]);
        let all: Vec<f32> = own.collect();
        assert!(all.len() > 2, "{id}: {}", d.frames.len());
        all.iter().sum::<f32>() / all.len() as f32
    };
    assert!(of(18) > of(17) + 0.6 && (of(19) - of(17)).abs() < 0.1, "{} {}", of(18), of(17));
}

#[test]
fn without_a_terminator_the_levels_rise_and_the_lines_come_back_late() {
    let sound = drive(&[]);
    let lost = drive(&["part:A10:open"]);
    let swing = |d: &Decoded| d.senders.iter().flatten().map(|s| s.swing()).fold(0.0, f64::max);
    assert!(swing(&lost) > swing(&sound) + 0.3, "{} {}", swing(&lost), swing(&sound));
    let trace = capture(&["part:A10:open"], &["X1.DH", "X1.DL"], SECONDS, SAMPLES);
    let found = bus::findings::of_can(&trace, &lost);
    assert!(found.iter().any(|f| f.kind == Kind::Returns), "{found:?}");
}

#[test]
fn who_hangs_behind_an_open_stub_sends_nothing_here() {
    let all = ids(&drive(&[]));
    let some = ids(&drive(&["terminal:X13.H:open"]));
    assert!(all.contains(&208) && !some.contains(&208) && some.contains(&160), "{some:?}");
}

#[test]
fn a_lin_line_held_low_stands_still_and_a_dead_flap_leaves_its_answer_out() {
    let held = capture(&["part:A50:stuck_dominant"], &["X23.LIN"], 0.2, 200_000);
    let most = held.channels[0].volts.iter().copied().fold(0.0, f32::max);
    assert!(most < 2.0, "{most}");
    let dead = capture(&["part:A51:silent"], &["X23.LIN"], 0.2, 200_000);
    let d = bus::lin::decode::decode(&dead, 0).unwrap();
    let answered: BTreeSet<u8> =
        d.frames.iter().filter(|f| f.wrong.is_none()).map(|f| f.id).collect();
    assert!(answered.contains(&17) && !answered.contains(&18), "{answered:?}");
}

#[test]
fn a_flexible_bus_over_a_star_coupler_is_read_without_being_told_its_rates() {
    let trace = capture(&[], &["X43.H", "X43.L"], SECONDS, SAMPLES);
    let d = decode(&trace, None).unwrap();
    assert!((d.rates.nominal / 500e3 - 1.0).abs() < 0.02 && d.rates.data > 1.5e6, "{:?}", d.rates);
    // The camera, the radar and the park assist module, every 20 to 50 ms; none of them damaged.
    assert!(ids(&d).len() >= 3 && d.received.iter().all(|r| r.fault.is_none()), "{:?}", ids(&d));
}

#[test]
fn moisture_on_a_leg_makes_what_is_tapped_there_small() {
    let swing = |faults: &[&str], at: [&str; 2]| {
        let trace = capture(faults, &at, SECONDS, SAMPLES);
        let apart = trace.channels[0].volts.iter().zip(&trace.channels[1].volts);
        let mut apart: Vec<f32> = apart.map(|(h, l)| h - l).collect();
        apart.sort_by(f32::total_cmp);
        // Of what is sent at all the middle.
        let sent: Vec<f32> = apart.into_iter().filter(|v| *v > 0.3).collect();
        sent[sent.len() / 2]
    };
    let wet = ["pair:639+640:bridge:70"];
    // 0.67 V at the camera and 1.09 V elsewhere, as worked out by hand in `circuit/tests/hearing.rs`.
    let (there, elsewhere) = (swing(&wet, ["X41.H", "X41.L"]), swing(&wet, ["X43.H", "X43.L"]));
    assert!((there - 0.67).abs() < 0.12, "{there}");
    assert!(elsewhere > there + 0.25, "{there} {elsewhere}");
}

/// A capture that ships: its file, what is hidden, where it is tapped, seconds, samples a second, and what
/// is found in it.
type Shipped =
    (&'static str, &'static [&'static str], &'static [&'static str], f64, f64, &'static [Kind]);

const SHIPPED: [Shipped; 4] = [
    ("body-bus-sound.csv", &[], &["X1.BH", "X1.BL"], 5e-3, 4e6, &[]),
    (
        "drive-bus-one-terminator.csv",
        &["part:A10:open"],
        &["X1.DH", "X1.DL"],
        3e-3,
        10e6,
        &[Kind::Returns],
    ),
    (
        "drive-bus-high-line-leaks.csv",
        &["wire:302:ground:2000"],
        &["X1.DH", "X1.DL"],
        3e-3,
        10e6,
        &[Kind::Offset],
    ),
    (
        "climate-line-one-flap-silent.csv",
        &["part:A51:silent"],
        &["X23.LIN"],
        0.15,
        200e3,
        &[Kind::NoAnswer],
    ),
];

#[test]
fn the_captures_that_ship_show_what_they_are_for() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/captures");
    for (name, faults, points, seconds, rate, kinds) in SHIPPED {
        let path = format!("{folder}/{name}");
        if std::env::var_os("CHALKEUS_WRITE").is_some() {
            let trace = capture(faults, points, seconds, (seconds * rate) as usize);
            std::fs::create_dir_all(folder).unwrap();
            std::fs::write(&path, bus::format::csv::write(&trace)).unwrap();
        }
        let text = std::fs::read_to_string(&path).unwrap();
        assert!(text.len() < 1_500_000, "{name}: {}", text.len());
        let trace = bus::format::csv::read(&text, &Default::default()).unwrap();
        let found = match points {
            [_] => {
                let d = bus::lin::decode::decode(&trace, 0).unwrap();
                assert!(d.frames.len() > 5, "{name}");
                bus::findings::of_lin(&trace, &d)
            }
            _ => {
                let d = decode(&trace, None).unwrap();
                assert!(d.sound().count() >= 3, "{name}: {}", d.sound().count());
                bus::findings::of_can(&trace, &d)
            }
        };
        let told: BTreeSet<Kind> = found.iter().map(|f| f.kind).collect();
        let wanted: BTreeSet<Kind> = kinds.iter().copied().collect();
        assert!(
            told.is_superset(&wanted) && (wanted.is_empty() == told.is_empty()),
            "{name}: {found:#?}"
        );
    }
}
