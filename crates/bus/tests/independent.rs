//! Captures against programs that are none of ours: an analyser from Debian reads our pcapng, a library of
//! the Python registry reads our log and writes one, and frames made bit by bit there, with the checks of
//! another library, are received here.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;
use bus::can::bits::{Bit, Field};
use bus::can::decode::decode;
use bus::can::wave::{Rates, Sent, Shape, draw};
use bus::format::{Logged, candump, pcapng};
use bus::{Fd, Frame, Id};
use common::{classic, flexible, rng};
use std::path::Path;
use std::process::Command;

fn log() -> Vec<Logged> {
    let mut r = rng(3);
    (0..40)
        .map(|k| {
            let frame = if k % 2 == 0 { classic(&mut r) } else { flexible(&mut r) };
            let at_s = 1_700_000_000.0 + f64::from(k) * 0.012_345;
            Logged { at_s, bus: "can0".into(), frame }
        })
        .collect()
}

fn hex(data: &[u8]) -> String {
    data.iter().map(|b| format!("{b:02x}")).collect()
}

fn output(command: &mut Command) -> String {
    let out = command.output().unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    String::from_utf8(out.stdout).unwrap()
}

/// A program of the Python environment that `cargo xtask setup` makes.
fn python(script: &str) -> Command {
    let here = Path::new(env!("CARGO_MANIFEST_DIR"));
    let bin = here.join("../../target/python/bin/python");
    assert!(bin.exists(), "{} is not there; run `cargo xtask setup`", bin.display());
    let mut command = Command::new(bin);
    command.arg(here.join("tests/independent").join(script));
    command
}

fn scratch(name: &str) -> std::path::PathBuf {
    Path::new(env!("CARGO_TARGET_TMPDIR")).join(name)
}

#[test]
fn an_analyser_reads_our_pcapng() {
    let all = log();
    let file = scratch("frames.pcapng");
    std::fs::write(&file, pcapng::write(&all).unwrap()).unwrap();
    let fields = ["frame.time_epoch", "can.id", "can.flags.xtd", "can.flags.rtr", "data.data"];
    let mut command = Command::new("tshark");
    command.args(["-r", file.to_str().unwrap(), "-T", "fields"]);
    fields.iter().for_each(|f| {
        command.args(["-e", f]);
    });
    let text = output(&mut command);
    assert_eq!(text.lines().count(), all.len());
    for (line, logged) in text.lines().zip(&all) {
        let told: Vec<&str> = line.split('\t').collect();
        let frame = &logged.frame;
        assert!((told[0].parse::<f64>().unwrap() - logged.at_s).abs() < 1e-5, "{line}");
        assert_eq!(told[1].parse::<u32>().unwrap(), frame.id.number(), "{line}");
        let yes = |b: bool| if b { ["1", "True"] } else { ["0", "False"] };
        assert!(yes(matches!(frame.id, Id::Extended(_))).contains(&told[2]), "{line}");
        if frame.fd.is_none() {
            assert!(yes(frame.remote).contains(&told[3]), "{line}");
        }
        assert_eq!(told[4], hex(&frame.data), "{line}");
    }
}

#[test]
fn a_library_reads_our_log_and_we_read_its() {
    let all = log();
    let (ours, theirs) = (scratch("ours.log"), scratch("theirs.log"));
    std::fs::write(&ours, candump::write(&all)).unwrap();
    let text = output(python("log.py").args([&ours, &theirs]));
    for (line, logged) in text.lines().zip(&all) {
        let f = &logged.frame;
        let told = format!(
            "{} {} {} {} {}",
            f.id.number(),
            u8::from(matches!(f.id, Id::Extended(_))),
            u8::from(f.remote),
            u8::from(f.fd.is_some()),
            hex(&f.data)
        );
        assert_eq!(line.trim_end(), told.trim_end());
    }
    assert_eq!(text.lines().count(), all.len());
    let back = candump::read(&std::fs::read(&theirs).unwrap()).unwrap();
    assert_eq!(back.len(), all.len());
    for (b, a) in back.iter().zip(&all) {
        assert_eq!(
            (b.frame.id, &b.frame.data, b.frame.remote),
            (a.frame.id, &a.frame.data, a.frame.remote)
        );
        assert_eq!(b.frame.fd.map(|f| f.switched), a.frame.fd.map(|f| f.switched));
    }
}

/// What a line of the Python script says of a frame.
fn made(line: &str) -> (Frame, Vec<bool>) {
    let parts: Vec<&str> = line.split(' ').collect();
    let number = |k: usize| u32::from_str_radix(parts[k], 16).unwrap();
    let id = match parts[1] {
        "x" => Id::Extended(number(0)),
        _ => Id::Standard(number(0) as u16),
    };
    let data: Vec<u8> = (0..parts[3].len() / 2)
        .map(|k| u8::from_str_radix(&parts[3][2 * k..2 * k + 2], 16).unwrap())
        .collect();
    let frame = match parts[2] {
        "fd" => Frame::flexible(id, Fd { switched: false, passive: false }, &data),
        _ => Frame::classic(id, &data),
    };
    (frame, parts[4].chars().map(|c| c == '1').collect())
}

#[test]
fn frames_made_bit_by_bit_elsewhere_are_received() {
    let text = output(&mut python("frames.py"));
    let all: Vec<(Frame, Vec<bool>)> = text.lines().map(made).collect();
    assert_eq!(all.len(), 120);
    let rates = Rates::classic(500e3);
    let mut at = 40e-6;
    let mut sent = Vec::new();
    for (frame, bits) in &all {
        // What we would send is the same to the bit, up to the end of the check.
        let own: Vec<bool> = bus::can::bits::bits(frame, true)
            .iter()
            .take_while(|b| b.field <= Field::Crc)
            .map(|b| !b.dominant)
            .collect();
        assert_eq!(&own, bits, "{frame}");
        let bit = |recessive: bool| Bit { dominant: !recessive, fast: false, field: Field::Data };
        let tail = [true, false].into_iter().chain([true; 11]);
        let bits = bits.iter().copied().chain(tail).map(bit).collect();
        let one = Sent { bits, at, shape: Shape::default(), clock: 0.0 };
        at = one.end(&rates) + 20e-6;
        sent.push(one);
    }
    let trace = draw(&sent, &rates, &Shape::default(), 100e-9, at);
    let decoded = decode(&trace, Some(rates)).unwrap();
    let received: Vec<&Frame> = decoded.sound().filter_map(|r| r.frame.as_ref()).collect();
    assert_eq!(received, all.iter().map(|(f, _)| f).collect::<Vec<_>>());
}
