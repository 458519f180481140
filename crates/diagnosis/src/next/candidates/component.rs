//! A part measured at its own pins, unplugged: whether it is the part or what leads to it.

use super::{Candidate, Field, cavity_of, owner, readings};
use vehicle::{ItemKind, OperatingState};

/// Share of the suspicion below which a part is left plugged, and parts weighed at a time.
const WORTH: f64 = 0.03;
const MOST: usize = 4;

pub(super) fn generate(field: &Field<'_>, out: &mut Vec<Candidate>) {
    let c = &field.model.circuit;
    let v = &c.vehicle;
    let suspected = field.suspected(ItemKind::Part, WORTH, MOST).into_iter();
    for part in suspected.filter_map(|id| c.part(id)) {
        let pairs = v.parts[part].elements.iter().flat_map(|e| e.ohmic());
        for (a, b) in pairs.map(|(a, b)| (cavity_of(v, part, a), cavity_of(v, part, b))) {
            let state = OperatingState::default().without(owner(&a));
            let [red, black] = [a, b].map(|cavity| format!("{cavity}:part"));
            let reachable = c.node(&red).is_ok() && c.node(&black).is_ok();
            if owner(&red) == owner(&black) && reachable && c.check_state(&state).is_ok() {
                out.extend(readings::ohms(field, (&state, "off"), (red, black)));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Present;
    use crate::evidence::{Evidence, Finding, Strength};
    use crate::model::Model;
    use crate::next::candidates::{Here, What};
    use crate::posterior::Posterior;
    use circuit::{Instrument, Probe};

    #[test]
    fn a_suspected_motor_is_measured_at_its_own_pins() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        let text = std::fs::read_to_string(path).unwrap();
        let model = Model::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
        let named = model.circuit.vehicle.states.iter().find(|s| s.id == "rear_washer").unwrap();
        let volts = |red: &str, value| Finding::Reading {
            instrument: Instrument::Volts,
            red: red.to_owned(),
            black: "BAT.-".to_owned(),
            value: Some(value),
        };
        // Fed and grounded, and nothing comes of it.
        let found = [
            Finding::Effect { part: "M7".into(), strength: Strength::None },
            volts("M7.1", 12.0),
            volts("M7.2", 0.0),
        ];
        let evidence = found.map(|f| Evidence::new(named.state.clone(), f));
        let posterior = Posterior::new(&model, &evidence).unwrap();
        let live = posterior.live(&model, 1e-3, Present::Yes);
        let here = Here::after(&model, &posterior, &evidence, &named.state);
        let field = Field::new(&model, &posterior, &live, here, Present::Unknown);
        let mut out = Vec::new();
        generate(&field, &mut out);
        let [red, black] = ["M7.1:part", "M7.2:part"].map(str::to_owned);
        let own = Probe { instrument: Instrument::Ohms, red, black };
        let check = out.iter().find(|c| c.what == What::Reading(own.clone())).unwrap();
        assert!(check.state.unplugged.contains("M7"), "{:?}", check.state);
        // Its winding alone, 1.1 ohm and the leads of the meter; nothing at all once that is open.
        let expected = model.expect(&check.state, &own).unwrap();
        assert!((expected.healthy - 1.1).abs() < 0.2, "{}", expected.healthy);
        let open = model.faults.position(|f| f.id == "part:M7:open").unwrap();
        assert!(expected.faults[open].0.is_infinite());
        // What leads to it is not measured with it.
        let feed = model.faults.position(|f| f.id.to_string().starts_with("terminal:M7.1:series"));
        let feed = feed.unwrap();
        assert!((expected.faults[feed].0 - expected.healthy).abs() < 0.05);
    }
}
