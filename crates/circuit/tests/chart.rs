//! Service charts against values worked out by hand.
#![allow(missing_docs, clippy::unwrap_used)]

use circuit::Circuit;
use circuit::chart::Chart;
use std::sync::LazyLock;
use vehicle::{Amount, KeyPosition, OperatingState, SignalIx, Transfer, Vehicle};

static WREN: LazyLock<Circuit> = LazyLock::new(|| {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
    Circuit::new(Vehicle::from_json(&std::fs::read_to_string(path).unwrap()).unwrap()).unwrap()
});

fn on() -> OperatingState {
    OperatingState { key: KeyPosition::On, ..OperatingState::default() }
}

fn number(id: &str) -> SignalIx {
    WREN.vehicle.signals.position(|s| s.id == id).unwrap()
}

fn chart(id: &str) -> Chart {
    WREN.chart(number(id), &on()).unwrap()
}

#[test]
fn a_thermistor_is_charted_by_its_own_law_behind_its_pull_up() {
    let c = chart("cts_volts");
    let at = |felt: f64| {
        c.points.iter().min_by(|a, b| (a.felt - felt).abs().total_cmp(&(b.felt - felt).abs()))
    };
    // 90 °C is not on a point; 87.5 is: 2200 Ω · exp(3500 · (1/360.65 - 1/298.15)) = 2200 · exp(-2.0343)
    // = 287.7 Ω; of 5 V behind 2200 Ω that leaves 5 · 287.7 / 2487.7 = 0.578 V.
    let p = at(87.5).unwrap();
    assert!((p.felt - 87.5).abs() < 1e-9, "{}", p.felt);
    assert!((p.ohms.unwrap() - 287.7).abs() < 1.0, "{:?}", p.ohms);
    assert!((p.module_volts - 0.578).abs() < 0.01, "{}", p.module_volts);
    // Open: all of the pull-up. Short: 0.1 Ω and what the conductors have.
    assert!((c.open_volts - 5.0).abs() < 0.05, "{}", c.open_volts);
    assert!(c.short_volts.abs() < 0.02, "{}", c.short_volts);
}

#[test]
fn a_ratiometric_sensor_is_charted_by_its_share_of_the_reference() {
    let c = chart("map_volts");
    // A tenth of 5 V at 20 kPa, nine tenths at 120 kPa; behind 470 Ω into 220 kΩ: 220 / 220.47 of it.
    let (first, last) = (c.points.first().unwrap(), c.points.last().unwrap());
    assert!((first.module_volts - 0.499).abs() < 0.01, "{first:?}");
    assert!((last.module_volts - 4.490).abs() < 0.03, "{last:?}");
    assert_eq!(first.ohms, None);
    // Nothing at the pin draws it to the sensor's ground.
    assert!(c.open_volts.abs() < 0.02, "{}", c.open_volts);
}

#[test]
fn the_two_tracks_of_a_pedal_have_charts_of_their_own() {
    let (one, two) = (chart("app1_volts"), chart("app2_volts"));
    let last = |c: &Chart| c.points.last().unwrap().module_volts;
    assert!(last(&one) > 1.9 * last(&two), "{} {}", last(&one), last(&two));
    for c in [one, two] {
        assert!(c.points.iter().all(|p| (p.module_volts - p.sensor_volts).abs() < 0.05));
    }
}

#[test]
fn what_is_felt_comes_back_from_the_volts_that_it_makes() {
    let mut charts = 0;
    for (k, s) in WREN.vehicle.signals.iter_enumerated() {
        let Some(physical) = &s.physical else { continue };
        let Transfer::Felt { stimulus, .. } = &physical.transfer else {
            assert!(WREN.chart(k, &on()).is_none());
            continue;
        };
        let c = WREN.chart(k, &on()).unwrap();
        charts += 1;
        let span = c.points.last().unwrap().felt - c.points[0].felt;
        for share in [0.13, 0.37, 0.71] {
            let felt = c.points[0].felt + share * span;
            let mut state = on();
            state.stimuli.insert(stimulus.clone(), Amount(felt));
            let (a, b) = WREN.software.pins(k).unwrap();
            let solved = WREN.solve(&state, &[], None);
            let back = c.felt_at(solved.volts[a] - solved.volts[b]).unwrap();
            assert!((back - felt).abs() < 0.01 * span, "{}: {back} for {felt}", s.id);
        }
        assert!(physical.believes(c.points[20].module_volts), "{}", s.id);
        // Open or short, the module does not believe it, on one side at least.
        let [open, short] = [c.open_volts, c.short_volts].map(|v| physical.believes(v));
        assert!(!open || !short, "{}: {} V open, {} V short", s.id, c.open_volts, c.short_volts);
        assert_eq!(c.felt_at(-3.0), None);
    }
    assert!(charts >= 19);
}
