//! What a technician knows must come out of the solved van.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{state, wren};
use circuit::{Instrument, Probe, Shown, Sweep, fault, software};

fn volts(
    c: &std::sync::Arc<circuit::Circuit>,
    s: &vehicle::OperatingState,
    faults: &[&str],
    red: &str,
) -> f64 {
    let changes: Vec<_> = faults.iter().flat_map(|f| fault::by_id(c, f).unwrap().changes).collect();
    c.measure(s, &changes, &Probe::volts(red, "BAT.-")).unwrap().value()
}

#[test]
fn the_pump_runs_when_commanded_and_only_then() {
    let c = wren();
    let pump = c.part("M7").unwrap();
    let off = c.solve(&state(&c, "on"), &[], None);
    assert!(off.converged);
    assert_eq!(off.effect(&c, pump), Some(0.0));
    let on = c.solve(&state(&c, "rear_washer"), &[], None);
    assert!(on.converged);
    assert!(on.effect(&c, pump).unwrap() > 0.95);
    // The stalk does the same through the body module's software.
    let stalk = c.solve(&state(&c, "rear_wash_stalk"), &[], None);
    assert!(stalk.asked.contains(&c.software.output("rear_washer").unwrap()));
    assert!(stalk.effect(&c, pump).unwrap() > 0.95);
}

#[test]
fn a_resistive_terminal_shows_only_under_load() {
    let c = wren();
    let on = state(&c, "rear_washer");
    let bad = ["terminal:C4.7:series:2.2"];
    let healthy = volts(&c, &on, &[], "M7.1");
    let loaded = volts(&c, &on, &bad, "M7.1");
    let open = volts(&c, &on.without("M7"), &bad, "M7.1");
    assert!((11.8..12.6).contains(&healthy), "{healthy}");
    assert!(loaded < healthy - 3.0, "{loaded}");
    // Unplugged, only the meter's 1.2 uA flows: 2.2 Ohm drop 3 uV.
    assert!((open - volts(&c, &on.without("M7"), &[], "M7.1")).abs() < 1e-4);
}

#[test]
fn a_spread_terminal_reads_well_on_ohms() {
    let c = wren();
    let bad = fault::by_id(&c, "terminal:C4.7:constriction:0.7").unwrap();
    let mut off = state(&c, "off").without("M7").without("K9");
    off.battery_off = true;
    let probe = Probe { instrument: Instrument::Ohms, red: "K9.87".into(), black: "M7.1".into() };
    let healthy = c.measure(&off, &[], &probe).unwrap().value();
    let shown = c.measure(&off, &bad.changes, &probe).unwrap().value();
    // 2.7 m of 1.5 mm2 copper is 31 mOhm; the cold contact adds 0.15 Ohm: lost in the leads.
    assert!((healthy - 0.034).abs() < 0.005, "{healthy}");
    assert!((shown - healthy - 0.147).abs() < 0.002, "{shown}");
}

#[test]
fn a_lost_ground_silences_the_module_and_a_lost_fuse_its_loads() {
    let c = wren();
    let alive = |f: &str, part: &str| {
        let changes = fault::by_id(&c, f).unwrap().changes;
        c.solve(&state(&c, "on"), &changes, None).alive(&c, c.part(part).unwrap())
    };
    assert!(alive("wire:61:open", "A3"));
    assert!(!alive("wire:24:open", "A3"));
    assert!(!alive("part:F12:open", "A2"));
    assert!(alive("part:F12:open", "A3"));
}

#[test]
fn a_dead_short_blows_the_fuse_before_it() {
    let c = wren();
    let short = fault::by_id(&c, "wire:61:ground:0.05").unwrap();
    let s = c.solve(&state(&c, "rear_washer"), &short.changes, None);
    assert!(s.converged);
    let f23 = c.devices.position(|d| d.part == c.part("F23").unwrap()).unwrap();
    assert_eq!(s.modes[f23], 1, "fuse blown");
    assert!(s.effect(&c, c.part("M6").unwrap()).unwrap() < 0.01);
    // With the relay off nothing flows and the fuse stands.
    let s = c.solve(&state(&c, "on"), &short.changes, None);
    assert_eq!(s.modes[f23], 0);
}

#[test]
fn an_open_relay_coil_sets_the_open_circuit_code() {
    let c = wren();
    let open = fault::by_id(&c, "part:K9:coil_open").unwrap();
    let s = c.solve(&state(&c, "on"), &open.changes, None);
    let failed: Vec<_> = software::monitors(&c, &s, &[])
        .into_iter()
        .zip(&c.vehicle.monitors)
        .filter(|(v, _)| *v == software::Verdict::Failed)
        .map(|(_, m)| format!("{}-{}", m.code, m.failure_type))
        .collect();
    assert_eq!(failed, ["B1A11-14"]);
}

#[test]
fn ohms_on_a_live_circuit_are_not_ohms() {
    let c = wren();
    let probe = Probe { instrument: Instrument::Ohms, red: "M7.1".into(), black: "M7.2".into() };
    let dead = c.measure(&state(&c, "off"), &[], &probe).unwrap().value();
    assert!((dead - 1.1).abs() < 0.02, "{dead}");
    let live = c.measure(&state(&c, "rear_washer"), &[], &probe).unwrap();
    assert_eq!(live, Shown::OverLimit);
}

#[test]
fn the_healthy_van_works_in_every_state() {
    let c = wren();
    for named in &c.vehicle.states {
        let s = c.solve(&named.state, &[], None);
        assert!(s.converged, "{}", named.id);
        for (d, placed) in c.devices.iter_enumerated() {
            let part = &c.vehicle.parts[placed.part];
            let kind = part.elements[placed.element].kind();
            // A blown fuse, a driver latched off, a module resetting.
            let bad = match kind {
                "Fuse" => s.modes[d] == 1,
                "LowSide" | "HighSide" | "Supply" => s.modes[d] == 2,
                "HBridge" => s.modes[d] == 3,
                _ => false,
            };
            assert!(!bad, "{}: {} {kind}", named.id, part.id);
        }
        let failed: Vec<_> = software::monitors(&c, &s, &[])
            .into_iter()
            .zip(&c.vehicle.monitors)
            .filter(|(v, _)| *v == software::Verdict::Failed)
            .map(|(_, m)| format!("{} {}-{}", m.module, m.code, m.failure_type))
            .collect();
        assert_eq!(failed, [""; 0], "{}", named.id);
        let lit = named.state.key != vehicle::KeyPosition::Off;
        for p in c.vehicle.parts.keys().filter(|p| c.vehicle.parts[*p].module.is_some()) {
            assert_eq!(s.alive(&c, p), lit, "{} {}", named.id, c.vehicle.parts[p].id);
        }
    }
}

#[test]
fn every_fault_in_every_state_settles_or_chatters() {
    let c = wren();
    let faults = fault::all(&c);
    assert!(faults.len() > 20_000, "{}", faults.len());
    for (n, named) in c.vehicle.states.iter().enumerate() {
        let mut sweep = Sweep::new(&c, &named.state, &[]);
        for f in faults.iter().skip(n).step_by(23) {
            let p = sweep.solve(&f.changes);
            assert!(p.volts.iter().all(|v| v.is_finite()), "{} {}", named.id, f.id);
            if !p.settled {
                let s = c.solve(&named.state, &f.changes, None);
                assert!(s.converged || !s.chattering.is_empty(), "{} {}", named.id, f.id);
            }
        }
    }
}

#[test]
fn modules_that_wake_and_sleep_by_turns_do_not_keep_a_relay_from_pulling_in() {
    let c = wren();
    let on = state(&c, "on");
    // A permanent supply leaks into the rail that the terminal 15 relay feeds: through 22 Ohm modules
    // stay awake at once, through more they load what wakes them until the relay has pulled in.
    for ohms in [22.0, 118.0, 1000.0] {
        let leak = format!("pair:619+620:bridge:{ohms}");
        let rail = volts(&c, &on, &[&leak], "F34.1");
        assert!((11.8..12.6).contains(&rail), "{ohms} Ohm: {rail} V");
    }
}

#[test]
fn ids_find_the_faults_they_name() {
    let c = wren();
    for f in fault::all(&c).into_iter().step_by(3) {
        assert_eq!(fault::named(&c, &f.id).as_ref(), Some(&f));
    }
    for bad in ["", "wire:62", "wire:62:series:-1", "wire:none:open", "part:M7:open:2:3"] {
        assert!(fault::by_id(&c, bad).is_err(), "{bad}");
    }
}

#[test]
fn faults_that_touch_nothing_live_may_be_skipped() {
    let c = wren();
    let mut skipped = 0;
    for named in &c.vehicle.states {
        let healthy = c.solve(&named.state, &[], None);
        for f in fault::all(&c).iter().step_by(701) {
            if c.untouched(&healthy, &f.changes) {
                let s = c.solve(&named.state, &f.changes, None);
                for (a, b) in s.volts.iter().zip(&healthy.volts) {
                    assert!((a - b).abs() < 2e-3, "{} {}", named.id, f.id);
                }
                skipped += 1;
            }
        }
    }
    assert!(skipped > 200, "{skipped}");
}
