//! Forty complaints of every day on the shipped van: what is suspected first and what is proposed
//! first, with nothing but the complaint and what the customer sees work beside it. The page
//! `docs/everyday.md` is written from the same list; `CHALKEUS_WRITE=1` writes it anew.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{MODEL, state};
use diagnosis::costs::Prices;
use diagnosis::next::{self, Ask, Check};
use diagnosis::prior::{Known, Occurs};
use diagnosis::{Evidence, Finding, Posterior, Present, Priors, Strength};
use std::collections::BTreeSet;
use std::fmt::Write;
use vehicle::{Item, KeyPosition, OperatingState};

/// One in so many is judged with every change; all of them when the page is written.
const SOME: usize = 4;

/// What a customer says.
struct Complaint {
    says: &'static str,
    /// What does not do as it should: a state of the file or an output, and what is found there.
    shows: Shows,
    /// What works, seen at no cost: a state or an output, and the part.
    works: &'static [(&'static str, &'static str)],
    /// What fails with it, in the same way.
    also: &'static [(&'static str, &'static str)],
    sometimes: bool,
    /// What anyone in the trade would name first: any of these.
    named: &'static [&'static str],
    /// Why a technician would agree.
    because: &'static str,
}

enum Shows {
    Dead(&'static str, &'static str),
    Weak(&'static str, &'static str),
    /// A code failing with the key on.
    Code(&'static str, &'static str, &'static str),
    /// A module that does not answer.
    Silent(&'static str),
}
use Shows::{Code, Dead, Silent, Weak};

fn complaint(
    says: &'static str,
    shows: Shows,
    works: &'static [(&'static str, &'static str)],
    named: &'static [&'static str],
    because: &'static str,
) -> Complaint {
    Complaint { says, shows, works, also: &[], sometimes: false, named, because }
}

fn complaints() -> Vec<Complaint> {
    let c = complaint;
    let sometimes = |c: Complaint| Complaint { sometimes: true, ..c };
    let also = |c: Complaint, also| Complaint { also, ..c };
    vec![
        c(
            "Left low beam dark, right works",
            Dead("low_beam", "E11"),
            &[("low_beam", "E12")],
            &["part:E11"],
            "One lamp of two: the filament.",
        ),
        also(
            c(
                "Both low beams dark",
                Dead("low_beam", "E11"),
                &[],
                &["part:S8", "part:A2"],
                "Hardly both filaments: the switch, or what drives both.",
            ),
            &[("low_beam", "E12")],
        ),
        c(
            "Left park lamp dark, right works",
            Dead("park_lamp_left", "E13"),
            &[("park_lamp_right", "E14")],
            &["part:E13"],
            "One lamp of two: the filament.",
        ),
        c(
            "Right turn lamp in front dark",
            Dead("turn_front_right", "E16"),
            &[("turn_front_left", "E15")],
            &["part:E16"],
            "One lamp of two: the filament.",
        ),
        c(
            "Left tail lamp dark, right works",
            Dead("tail_left", "E21"),
            &[("tail_right", "E22")],
            &["part:E21"],
            "One lamp of two: the filament.",
        ),
        c(
            "Right brake lamp dark, left works",
            Dead("brake_right", "E24"),
            &[("brake_left", "E23")],
            &["part:E24"],
            "One lamp of two: the filament.",
        ),
        also(
            c(
                "No brake lamp at all",
                Dead("brake", "E23"),
                &[],
                &["part:S4", "part:F35"],
                "All of them at once: what they share is the pedal switch and its fuse.",
            ),
            &[("brake", "E24"), ("brake", "E25")],
        ),
        c(
            "High brake lamp dark, the others work",
            Dead("brake_high", "E25"),
            &[("brake_left", "E23")],
            &["part:E25"],
            "It alone: the lamp, then the hinge its conductor runs through.",
        ),
        c(
            "Number-plate lamp dark",
            Dead("plate_lamp", "E26"),
            &[("tail_left", "E21")],
            &["part:E26"],
            "The filament.",
        ),
        c("Cabin lamp dark", Dead("cabin_lamp", "E40"), &[], &["part:E40"], "The filament."),
        c(
            "Horn silent",
            Dead("horn", "H1"),
            &[],
            &["part:H1", "part:K5", "part:F16", "part:S10"],
            "Horn in the spray, its relay, its fuse.",
        ),
        c(
            "Front wiper crawls",
            Weak("front_wiper", "M10"),
            &[],
            &["part:M10"],
            "A worn motor, or a contact that heats.",
        ),
        c(
            "Cranks slowly",
            Weak("cranking", "M1"),
            &[],
            &["part:BAT", "part:M1"],
            "The battery first, then the starter and the straps.",
        ),
        c(
            "Does not crank",
            Dead("cranking", "M1"),
            &[],
            &["part:BAT", "part:M1", "part:K0", "part:K1"],
            "Battery, starter, its relays.",
        ),
        c(
            "Blower dead",
            Dead("blower", "M30"),
            &[],
            &["part:M30", "part:A53", "part:F36"],
            "Brushes, the regulator, the fuse.",
        ),
        sometimes(c(
            "Blower only sometimes",
            Dead("blower", "M30"),
            &[],
            &["part:M30", "part:A53"],
            "Brushes that stick, the regulator, a hot contact.",
        )),
        c(
            "Rear washer weak",
            Weak("rear_washer", "M7"),
            &[("front_washer", "M6")],
            &["part:M7"],
            "The pump, worn.",
        ),
        c(
            "Front washer dead, rear one works",
            Dead("front_washer", "M6"),
            &[("rear_washer", "M7")],
            &["part:M6", "part:K8"],
            "They share the fuse, so the pump or its relay.",
        ),
        c(
            "Front wiper dead",
            Dead("front_wiper", "M10"),
            &[],
            &["part:M10", "part:K11", "part:F15", "part:S11"],
            "Motor, relay, fuse, stalk.",
        ),
        c(
            "Rear wiper dead",
            Dead("rear_wiper", "M9"),
            &[],
            &["part:M9", "part:K12", "part:F24"],
            "Motor, relay, fuse.",
        ),
        c(
            "Rear window does not clear",
            Dead("rear_heater", "R5"),
            &[],
            &["part:R5", "part:K6", "part:F11"],
            "The tracks, the relay, the fuse.",
        ),
        c(
            "Left mirror stays iced, right clears",
            Dead("mirror_heat_left", "R11"),
            &[("mirror_heat_right", "R12")],
            &["part:R11"],
            "One heater of two.",
        ),
        c(
            "Left seat cold, right warm",
            Dead("seat_heat_left", "R21"),
            &[("seat_heat_right", "R22")],
            &["part:R21"],
            "One heater of two: the mat breaks where one sits.",
        ),
        c(
            "Left window does not move, right does",
            Dead("window_down_left", "M21"),
            &[("window_down_right", "M22")],
            &["part:M21"],
            "One motor of two.",
        ),
        c(
            "Right door does not lock, left does",
            Dead("lock_right", "M24"),
            &[("lock_left", "M23")],
            &["part:M24"],
            "One motor of two.",
        ),
        c(
            "Tailgate does not open",
            Dead("tailgate_latch", "M25"),
            &[],
            &["part:M25"],
            "The latch motor in the wet tailgate.",
        ),
        c(
            "Sliding door does not move",
            Dead("slide", "M26"),
            &[],
            &["part:M26", "part:S23", "part:S25", "part:F3"],
            "Drive, button, latch switch, fuse.",
        ),
        c(
            "Headlamps do not level",
            Dead("level_down", "M31"),
            &[],
            &["part:M31"],
            "The levelling motor in the spray of the wing.",
        ),
        c(
            "Engine overheats in traffic, fan stands still",
            Dead("cooling_fan", "M4"),
            &[],
            &["part:M4", "part:K4", "part:F42"],
            "Fan motor, relay, fuse.",
        ),
        c(
            "Fuel pump silent",
            Dead("fuel_pump", "M5"),
            &[],
            &["part:M5", "part:K2", "part:F49"],
            "Pump, relay, fuse.",
        ),
        c(
            "One cylinder dead: injector 2",
            Dead("injector_2", "Y12"),
            &[("injector_1", "Y11")],
            &["part:Y12"],
            "One of four: the injector.",
        ),
        c(
            "Air conditioning does not cool, clutch does not pull",
            Dead("compressor", "Y2"),
            &[],
            &["part:Y2", "part:K7"],
            "Clutch winding, relay.",
        ),
        c(
            "Left park brake does not apply",
            Dead("park_left_apply", "M15"),
            &[("park_right_apply", "M16")],
            &["part:M15"],
            "One motor of two, in the spray of the axle.",
        ),
        c(
            "Trailer tail lamp dark, brake lamp works",
            Dead("trailer_tail", "E31"),
            &[("trailer_brake", "E32")],
            &["part:E31", "part:X90"],
            "The lamp, the socket in the spray.",
        ),
        c(
            "Brake control lamp on: front left wheel sensor",
            Code("A12", "C0031", "13"),
            &[],
            &["part:B20"],
            "The sensor in the wheel, its lead and connector in the spray.",
        ),
        c(
            "Brake control lamp on: rear right wheel sensor",
            Code("A12", "C003A", "13"),
            &[],
            &["part:B23"],
            "The sensor in the wheel, its lead that moves with the axle.",
        ),
        c(
            "Fuel gauge at nothing",
            Code("A26", "P0463", "17"),
            &[],
            &["part:B50"],
            "The sender's worn track.",
        ),
        c(
            "Coolant temperature implausible: circuit high",
            Code("A10", "P0118", "17"),
            &[],
            &["part:B6"],
            "The sensor, or its connector.",
        ),
        c(
            "Radio does not answer",
            Silent("A27"),
            &[],
            &["part:F8", "part:A27"],
            "Its fuse, then itself.",
        ),
        c(
            "Driver's door module does not answer",
            Silent("A20"),
            &[],
            &["part:F1", "part:A20", "wire:"],
            "Its fuse, or a conductor broken in the hinge.",
        ),
    ]
}

fn driven(name: &str) -> OperatingState {
    if MODEL.circuit.vehicle.states.iter().any(|s| s.id == name) {
        return state(name);
    }
    assert!(MODEL.circuit.vehicle.outputs.iter().any(|o| o.id == name), "{name}");
    let mut state = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
    state.outputs.insert(name.into());
    state
}

fn effect(at: &str, part: &str, strength: Strength) -> Evidence {
    Evidence::new(driven(at), Finding::Effect { part: part.into(), strength })
}

struct Told {
    suspects: Vec<(Item, f64)>,
    checks: Vec<Check>,
}

fn told(c: &Complaint) -> Told {
    let mut evidence = vec![match c.shows {
        Dead(at, part) => effect(at, part, Strength::None),
        Weak(at, part) => effect(at, part, Strength::Weak),
        Code(module, code, failure_type) => Evidence::new(
            state("on"),
            Finding::Code {
                module: module.into(),
                code: code.parse().unwrap(),
                failure_type: failure_type.parse().unwrap(),
                failing: true,
            },
        ),
        Silent(module) => {
            Evidence::new(state("on"), Finding::Answer { module: module.into(), answers: false })
        }
    }];
    evidence[0].present = Present::Yes;
    evidence[0].complaint = true;
    evidence.extend(
        c.also
            .iter()
            .map(|(at, part)| Evidence { complaint: true, ..effect(at, part, Strength::None) }),
    );
    if let Silent(module) = c.shows {
        // The roll call that found it silent found the others.
        let others =
            MODEL.circuit.vehicle.parts.iter().filter(|p| p.module.is_some() && p.id != module);
        let answers = |p: &vehicle::Part| Finding::Answer { module: p.id.clone(), answers: true };
        evidence.extend(others.map(|p| Evidence::new(state("on"), answers(p))));
    }
    evidence.extend(c.works.iter().map(|(at, part)| effect(at, part, Strength::Normal)));
    let complaint = match c.shows {
        Dead(_, part) | Weak(_, part) => std::iter::once(part)
            .chain(c.also.iter().map(|a| a.1))
            .map(vehicle::PartId::from)
            .collect(),
        Code(..) | Silent(_) => Vec::new(),
    };
    let occurs = if c.sometimes { Occurs::Sometimes } else { Occurs::Unknown };
    let priors = Priors::new(&MODEL, &Known { occurs, complaint, ..Known::default() });
    let posterior = Posterior::given(&MODEL, &priors, &evidence).unwrap();
    let present = if c.sometimes { Present::Unknown } else { Present::Yes };
    let now = OperatingState::default();
    let ask = Ask {
        model: &MODEL,
        priors: &priors,
        evidence: &evidence,
        posterior: &posterior,
        present,
        now: &now,
        refused: &[],
        prices: &Prices::default(),
    };
    let checks = next::checks(&ask, 2).unwrap().checks;
    let suspects =
        posterior.ranking().into_iter().take(6).map(|(i, p)| (MODEL.items[i].clone(), p)).collect();
    Told { suspects, checks }
}

/// Connectors, parts, splices, grounds and conductors that carry what an output draws, its control and
/// what hangs beside it included; not what the whole vehicle hangs on.
fn circuit_of(at: &OperatingState) -> BTreeSet<String> {
    const CARRIES: f64 = 2e-3;
    const EVERYTHING: [&str; 6] = ["BAT", "G0", "R30", "R30E", "R15", "G1"];
    let c = &MODEL.circuit;
    let mut rest = OperatingState { key: at.key, ..OperatingState::default() };
    if rest == *at {
        rest.key = KeyPosition::On;
    }
    let (on, off) = (c.solve(at, &[], None), c.solve(&rest, &[], None));
    let mut things = BTreeSet::new();
    for (w, k) in c.wire_branch.iter_enumerated() {
        if (on.amps(c, *k) - off.amps(c, *k)).abs() > CARRIES {
            let wire = &c.vehicle.wires[w];
            let ends = [&wire.from, &wire.to].map(|e| e.split(['.', ':']).next().unwrap());
            if ends.iter().all(|e| !EVERYTHING.contains(e)) {
                things.insert(wire.id.to_string());
            }
            things
                .extend(ends.iter().filter(|e| !EVERYTHING.contains(*e)).map(|e| (*e).to_owned()));
        }
    }
    // A connector of a part is as good as the part.
    for connector in &c.vehicle.connectors {
        if let Some(part) =
            connector.part.as_ref().filter(|_| things.contains(connector.id.as_str()))
        {
            things.insert(part.to_string());
        }
    }
    things
}

/// Whether a technician would find a check at home with a complaint.
fn belongs(check: &Check, own: &BTreeSet<String>, whole: bool, battery: bool) -> bool {
    let thing = |id: &str| id.split(['.', ':']).next().unwrap_or(id).to_owned();
    match check.quantity.as_str() {
        // Asking the modules comes first everywhere.
        "scan" => true,
        // Asked of a module that has to do with it; where it may be the battery, what any of them is fed with.
        "values" => {
            let v = &MODEL.circuit.vehicle;
            let first = v.signals.iter().find(|s| s.id == check.signals[0]).unwrap();
            let is_supply = first.did == Some(v.identifiers.supply.did);
            let own_connector = |end: &str| {
                let id = thing(end);
                let of = v.connectors.iter().find(|c| c.id == id);
                of.is_some_and(|c| c.part.as_ref() == Some(&first.module))
            };
            let mut wires =
                v.wires.iter().filter(|w| own_connector(&w.from) || own_connector(&w.to));
            is_supply && battery || wires.any(|w| own.contains(w.id.as_str()))
        }
        "effect" => whole || !circuit_of(&check.state).is_disjoint(own),
        _ => {
            let at = [thing(&check.red), thing(&check.black)];
            let places = &MODEL.circuit.vehicle.places;
            let is_place = places.iter().any(|p| at.iter().any(|at| p.id == *at));
            is_place
                || whole && at.contains(&"BAT".to_owned())
                || at.iter().any(|a| own.contains(a))
        }
    }
}

struct Judged {
    named: bool,
    fitting: [bool; 2],
    line: String,
}

fn judged(c: &Complaint) -> Judged {
    let Told { suspects, checks } = told(c);
    let own = match c.shows {
        Dead(at, _) | Weak(at, _) => circuit_of(&driven(at)),
        // Whatever ends at the module, or at the sensor that its code is about.
        Code(..) | Silent(_) => beside(&suspects),
    };
    let whole = matches!(c.shows, Dead("cranking", _) | Weak("cranking", _) | Silent(_));
    let named = suspects
        .iter()
        .take(3)
        .any(|(item, _)| c.named.iter().any(|n| item.to_string().starts_with(n)));
    let battery = whole || suspects.iter().take(3).any(|(i, _)| i.as_part() == Some("BAT"));
    let fits = |k: usize| checks.get(k).is_none_or(|check| belongs(check, &own, whole, battery));
    let name = |item: &Item| MODEL.item_text(item);
    let first: Vec<String> =
        suspects.iter().take(3).map(|(i, p)| format!("{} {:.0} %", name(i), 100.0 * p)).collect();
    let then: Vec<String> =
        checks.iter().map(|k| format!("{} ({})", k.text, k.state_text)).collect();
    Judged {
        named,
        fitting: [fits(0), fits(1)],
        line: format!(
            "| {} | {} | {} | {} |",
            c.says,
            first.join("; "),
            then.join("; "),
            c.because
        ),
    }
}

/// What ends where the leading suspects end.
fn beside(suspects: &[(Item, f64)]) -> BTreeSet<String> {
    let v = &MODEL.circuit.vehicle;
    let owner = |end: &str| end.split(['.', ':']).next().unwrap_or(end).to_owned();
    let mut things: BTreeSet<String> = BTreeSet::new();
    for (item, _) in suspects.iter().take(6) {
        if let Some(id) = item.thing() {
            things.insert(owner(id));
        }
    }
    for connector in &v.connectors {
        if connector.part.as_ref().is_some_and(|p| things.contains(p.as_str())) {
            things.insert(connector.id.to_string());
        }
    }
    let ends = v.wires.iter().flat_map(|w| {
        let ends = [owner(&w.from), owner(&w.to)];
        let near = things.contains(w.id.as_str())
            || ends.iter().any(|e| things.contains(e) && !e.starts_with('G'));
        near.then(|| [w.id.to_string(), ends[0].clone(), ends[1].clone()]).into_iter().flatten()
    });
    let more: Vec<String> = ends.collect();
    things.extend(more);
    things
}

/// How many of so many may be odd: one in twenty in what is named, one in ten in what is proposed.
fn assert_few_odd(judged: &[Judged]) {
    let all = judged.len();
    let odd = |keep: fn(&Judged) -> bool| -> Vec<&str> {
        judged.iter().filter(|j| !keep(j)).map(|j| j.line.as_str()).collect()
    };
    let (unnamed, unfitting) = (odd(|j| j.named), odd(|j| j.fitting == [true, true]));
    assert!(unnamed.len() <= all.div_ceil(20), "of {all} not named:\n{}", unnamed.join("\n"));
    assert!(unfitting.len() <= all.div_ceil(10), "of {all} not fitting:\n{}", unfitting.join("\n"));
}

fn page(judged: &[Judged]) -> String {
    let mut page = String::from(
        "# Forty complaints of every day\n\nOn the shipped van, with nothing but the complaint and what the customer sees work beside it. `cargo test -p diagnosis everyday::` checks that what anyone in the trade would name is among the first three suspects, and that the first two checks lie in the complaint's own circuit or beside it; this page is written from the same list.\n\n| complaint | first three suspects | first two checks | why a technician would agree |\n|---|---|---|---|\n",
    );
    for j in judged {
        let _ = writeln!(page, "{}", j.line);
    }
    let named = judged.iter().filter(|j| j.named).count();
    let fitting = judged.iter().filter(|j| j.fitting == [true, true]).count();
    let _ = write!(
        page,
        "\nWhat the trade would name is among the first three in {named} of 40; the first two checks fit in {fitting} of 40.\n"
    );
    page
}

#[test]
fn forty_complaints_are_met_as_the_trade_would_meet_them() {
    let all = complaints();
    assert_eq!(all.len(), 40);
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/everyday.md");
    if std::env::var("CHALKEUS_WRITE").is_ok() {
        let judged: Vec<Judged> = all.iter().map(judged).collect();
        std::fs::write(path, page(&judged)).unwrap();
        assert_few_odd(&judged);
        return;
    }
    // Each takes seconds: the page is checked by a part of it.
    let judged: Vec<Judged> = all.iter().step_by(SOME).map(judged).collect();
    assert_few_odd(&judged);
    let kept = std::fs::read_to_string(path).unwrap_or_default();
    for Judged { line, .. } in &judged {
        let is_there = kept.lines().any(|l| l == line);
        assert!(is_there, "docs/everyday.md is out of date: run `cargo xtask generate`\n{line}");
    }
}
