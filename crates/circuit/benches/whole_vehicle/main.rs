//! Every hypothesis in every state: time, rate, and how both grow; on one core.
//!
//! `cargo xtask bench` runs it. The same points go through one ngspice process for comparison.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

#[path = "../../tests/common/mod.rs"]
mod common;
mod synthetic;

use circuit::{Circuit, Fault, Sweep, fault, spice, sweep};
use std::collections::BTreeMap;
use std::hint::black_box;
use std::process::Command;
use std::sync::Arc;
use std::time::Instant;
use vehicle::{Condition, OperatingState, SignalSource, Vehicle};

const STATES: usize = 12;
/// How often each of two ways is timed.
const ROUNDS: usize = 4;
/// Points given to ngspice.
const SAMPLE: usize = 24;

fn main() {
    let only = std::env::args().skip(1).find(|a| !a.starts_with('-'));
    let does = |what: &str| only.as_deref().is_none_or(|o| o == what);
    let c = common::wren();
    let faults = fault::all(&c);
    if does("kinds") && only.is_some() {
        kinds(&c, &faults);
    }
    let per_point = if does("wren") || does("ngspice") { wren(&c, &faults) } else { 0.0 };
    if does("hearing") {
        hearing(&c, &faults);
    }
    if does("ngspice") {
        oracle(&c, &faults, per_point);
    }
    if does("growth") {
        growth();
    }
}

/// The shipped van; seconds per point.
fn wren(c: &Arc<Circuit>, faults: &[Fault]) -> f64 {
    let order = sweep::order(c, faults);
    let ends: Vec<_> = c.node_of.values().copied().take(2).collect();
    println!("Wren: {} hypotheses, {} nodes, {} branches", faults.len(), c.nodes, c.branches.len());
    let (mut points, mut quick, mut whole) = (0, 0.0, 0.0);
    for named in c.vehicle.states.iter().take(STATES) {
        let start = Instant::now();
        let mut s = Sweep::new(c, &named.state, &[]);
        for k in &order {
            black_box(s.solve_at(&faults[*k as usize].changes, &ends).volts);
        }
        let settled = start.elapsed();
        quick += settled.as_secs_f64();
        let mut all = Sweep::new(c, &named.state, &[]);
        for k in &order {
            black_box(all.solve(&faults[*k as usize].changes).volts);
        }
        whole += (start.elapsed() - settled).as_secs_f64();
        points += order.len();
        println!(
            "  {:28} {:7.1} ms, {} from rest, {} change nothing",
            named.id,
            1e3 * settled.as_secs_f64(),
            s.from_rest,
            s.untouched
        );
    }
    for (what, seconds) in [("one reading each", quick), ("every node's voltage", whole)] {
        println!(
            "  {STATES} states, {what}: {points} points in {seconds:.2} s, {:.0} points/s, {:.2} us each",
            points as f64 / seconds,
            1e6 * seconds / points as f64
        );
    }
    whole / points as f64
}

/// What it costs that requests wait for messages and for pulses: each state once as it is, and once with every
/// condition of a function that hears something put as it turns out on the sound vehicle. Both solve the same
/// points.
fn hearing(c: &Arc<Circuit>, faults: &[Fault]) {
    let order = sweep::order(c, faults);
    let ends: Vec<_> = c.node_of.values().copied().take(2).collect();
    let timed = |c: &Arc<Circuit>, state: &OperatingState| {
        let mut s = Sweep::new(c, state, &[]);
        let start = Instant::now();
        for k in &order {
            black_box(s.solve_at(&faults[*k as usize].changes, &ends).volts);
        }
        (start.elapsed().as_secs_f64(), s.from_rest)
    };
    let (mut with, mut without, mut put) = (0.0, 0.0, 0);
    for named in c.vehicle.states.iter().take(STATES) {
        let sound = circuit::hearing::solve(c, &named.state, &[]);
        let value = |id: &str| circuit::software::signal(c, &sound, &sound.lost, id);
        let mut deaf = c.vehicle.clone();
        let hears = |id: &str| hears(&c.vehicle, id);
        put = 0;
        for f in &mut deaf.functions {
            known(&mut f.request, &hears, &value, &mut put);
            f.permits.iter_mut().for_each(|p| known(&mut p.holds, &hears, &value, &mut put));
        }
        let deaf = Arc::new(Circuit::new(deaf).unwrap());
        // Now this one first, now that one: neither finds the caches warm for it. The quickest of each counts, as
        // least disturbed by what else the machine does.
        let (mut own, mut other) = ((f64::INFINITY, 0), (f64::INFINITY, 0));
        let quicker = |a: (f64, usize), b: (f64, usize)| if a.0 < b.0 { a } else { b };
        for turn in 0..ROUNDS {
            if turn % 2 == 0 {
                other = quicker(other, timed(&deaf, &named.state));
            }
            own = quicker(own, timed(c, &named.state));
            if turn % 2 == 1 {
                other = quicker(other, timed(&deaf, &named.state));
            }
        }
        with += own.0;
        without += other.0;
        println!(
            "  {:28} {:7.1} ms, {} from rest; hearing nothing {:7.1} ms, {} from rest",
            named.id,
            1e3 * own.0,
            own.1,
            1e3 * other.0,
            other.1
        );
    }
    println!(
        "  {put} conditions that hear something: {with:.2} s; as if known before: {without:.2} s; ratio {:.2}",
        with / without
    );
}

/// Whether a signal hangs on a message or on pulses.
fn hears(v: &Vehicle, id: &str) -> bool {
    let Some(s) = v.signals.iter().find(|s| s.id == id) else { return false };
    match &s.from {
        SignalSource::Formula(_) => s.from.inputs().iter().any(|i| hears(v, i)),
        SignalSource::Rate { .. } => true,
        of => of.is_by_message(),
    }
}

/// Puts each part of a condition that hears something as it turns out with the values.
fn known(
    condition: &mut Condition,
    hears: &dyn Fn(&str) -> bool,
    value: &dyn Fn(&str) -> f64,
    put: &mut usize,
) {
    match condition {
        Condition::All(of) | Condition::Any(of) => {
            of.iter_mut().for_each(|c| known(c, hears, value, put));
        }
        Condition::Not(of) => known(of, hears, value, put),
        Condition::Above(s, _) | Condition::Below(s, _) if hears(s) => {
            *put += 1;
            let always = Condition::All(Vec::new());
            *condition = match condition.holds(value) {
                true => always,
                false => Condition::Not(Box::new(always)),
            };
        }
        Condition::Above(..) | Condition::Below(..) => {}
    }
}

/// Where the time goes: one state, by kind of hypothesis.
fn kinds(c: &Arc<Circuit>, faults: &[Fault]) {
    let order = sweep::order(c, faults);
    for named in c.vehicle.states.iter().take(STATES).step_by(4) {
        let mut by: BTreeMap<String, (usize, usize, f64, f64)> = BTreeMap::new();
        let mut s = Sweep::new(c, &named.state, &[]);
        for k in &order {
            let f = &faults[*k as usize];
            let start = Instant::now();
            let rest = s.solve_at(&f.changes, &[]).from_rest();
            let seconds = start.elapsed().as_secs_f64();
            if rest && std::env::var("IDS").is_ok() {
                println!("R {} {:.1}", f.id, 1e3 * seconds);
            }
            let entry = by.entry(format!("{:?}:{}", f.id.of.kind(), mode(&f.id.mode))).or_default();
            entry.0 += 1;
            entry.1 += usize::from(rest);
            entry.2 += seconds;
            entry.3 += if rest { seconds } else { 0.0 };
        }
        println!("{}", named.id);
        let mut rows: Vec<_> = by.into_iter().collect();
        rows.sort_by(|a, b| b.1.2.total_cmp(&a.1.2));
        for (kind, (n, rest, seconds, slow)) in rows {
            println!(
                "  {kind:24} {n:6} {:8.2} ms {:8.1} us each; from rest {rest} in {:.1} ms",
                1e3 * seconds,
                1e6 * seconds / n as f64,
                1e3 * slow
            );
        }
    }
}

/// A mode without the name of what it is about.
fn mode(text: &str) -> &str {
    text.split(['-', '@', '+', '=']).next().unwrap_or(text)
}

/// The same points through one ngspice process.
fn oracle(c: &Arc<Circuit>, faults: &[Fault], ours: f64) {
    let directory = std::env::temp_dir().join(format!("chalkeus-bench-{}", std::process::id()));
    std::fs::create_dir_all(&directory).unwrap();
    let mut control = String::from("* bench\n.control\nset noaskquit\n");
    let mut given = 0;
    for (n, named) in c.vehicle.states.iter().take(STATES).enumerate() {
        let mut s = Sweep::new(c, &named.state, &[]);
        for f in faults.iter().skip(n * 997).step_by(faults.len() / 2).take(SAMPLE / STATES) {
            let p = s.solve(&f.changes);
            let deck = spice::deck_of(c, &f.id.to_string(), p.laws, p.volts, &f.changes, None);
            let file = directory.join(format!("{given}.cir"));
            std::fs::write(&file, deck).unwrap();
            control.push_str(&format!("source {}\nop\ndestroy all\nremcirc\n", file.display()));
            given += 1;
        }
    }
    control.push_str("quit\n.endc\n.end\n");
    let file = directory.join("all.cir");
    std::fs::write(&file, control).unwrap();
    let start = Instant::now();
    let out = Command::new("ngspice").arg("-b").arg(&file).output();
    let seconds = start.elapsed().as_secs_f64();
    let done = std::fs::remove_dir_all(&directory);
    match out {
        Ok(out) => {
            let solved =
                String::from_utf8_lossy(&out.stdout).matches("No. of Data Rows : 1").count();
            assert_eq!(solved, given, "ngspice solved every deck");
            let theirs = seconds / given as f64;
            println!(
                "ngspice, one process: {given} points in {seconds:.1} s, {:.0} ms each; {STATES} states would take {:.0} min; ratio {:.0}",
                1e3 * theirs,
                theirs * (faults.len() * STATES) as f64 / 60.0,
                theirs / ours
            );
        }
        Err(e) => println!("ngspice cannot be started: {e}"),
    }
    done.unwrap();
}

/// Vehicles of a tenth to fifty times the van's size. Of the larger ones a part of the hypotheses
/// is solved, whole chains, and scaled.
fn growth() {
    println!("Synthetic vehicles, one state with some of the outputs on:");
    for zones in [1, 10, 100, 500] {
        let start = Instant::now();
        let c = Arc::new(Circuit::new(synthetic::vehicle(zones)).unwrap());
        let compiled = start.elapsed().as_secs_f64();
        let faults = fault::all(&c);
        let order = sweep::order(&c, &faults);
        let state = &c.vehicle.states[1].state;
        let start = Instant::now();
        let mut s = Sweep::new(&c, state, &[]);
        let healthy = start.elapsed().as_secs_f64();
        let (mut done, step) = (0, zones.div_ceil(10));
        let start = Instant::now();
        for k in order.chunks(200).step_by(step).flatten() {
            black_box(s.solve_at(&faults[*k as usize].changes, &[circuit::NodeId(1)]).volts);
            done += 1;
        }
        let per = start.elapsed().as_secs_f64() / done as f64;
        println!(
            "  {:5.1}x: {:6} sections, {:6} nodes, {:8} hypotheses; compiled in {:.2} s, healthy {:.1} ms, {:.1} us a hypothesis, all {:.2} s",
            zones as f64 / 10.0,
            c.vehicle.wires.len(),
            c.nodes,
            faults.len(),
            compiled,
            1e3 * healthy,
            1e6 * per,
            per * faults.len() as f64
        );
    }
}
