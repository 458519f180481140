//! What else a fault would take with it, so that a customer would hardly tell of one thing alone.

use crate::model::{HypIx, Model};
use circuit::{BranchId, Circuit, Solution};
use std::collections::BTreeSet;
use vehicle::{KeyPosition, OperatingState, PartIx, TiVec};

/// Below this share of its sound strength an effect is missed by whoever wants it.
const MISSED: f64 = 0.5;
/// What loads the supply more than this by itself, amperes, would weaken all others: the starter.
const TOO_MUCH_AMPS: f64 = 60.0;

/// For every hypothesis the parts whose effect would be missed.
#[derive(Debug, Clone)]
pub struct Conspicuous {
    missed: TiVec<HypIx, Box<[PartIx]>>,
}

impl Model {
    /// The state in which all that can be driven is driven at once: [`Model::conspicuous`] looks at it.
    pub fn everything_driven(&self) -> &OperatingState {
        &self.derived(everything).0
    }

    /// What every hypothesis would take with it.
    pub fn conspicuous(&self) -> &Conspicuous {
        self.derived(Conspicuous::of)
    }
}

/// Everything driven or switched on that can be at once, one output a part and one position a switch.
#[derive(Debug)]
struct Everything(OperatingState);

fn everything(model: &Model) -> Everything {
    let c = &model.circuit;
    let mut state = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
    let rest = c.solve(&state, &[], None);
    let mut parts: BTreeSet<&str> = BTreeSet::new();
    for output in &c.vehicle.outputs {
        let mut alone = state.clone();
        alone.outputs = [output.id.clone()].into();
        let s = c.solve(&alone, &[], None);
        let heavy = amps_more(c, &s, &rest) > TOO_MUCH_AMPS;
        let shows = c.part(&output.load).and_then(|p| s.effect(c, p)).is_some_and(|e| e > MISSED);
        if shows && !heavy && parts.insert(&output.load) {
            state.outputs.insert(output.id.clone());
        }
    }
    for part in c.vehicle.parts.iter().filter(|p| p.positions.len() > 1) {
        // Of each switch the position in which most works that does not at rest.
        let works = |position: &String| {
            let mut alone = state.clone();
            alone.give_back();
            alone.switches = [(part.id.clone(), position.clone())].into();
            let s = c.solve(&alone, &[], None);
            if amps_more(c, &s, &rest) > TOO_MUCH_AMPS {
                return 0;
            }
            let shows = |s: &Solution, p: PartIx| s.effect(c, p).is_some_and(|e| e > MISSED);
            c.vehicle.parts.keys().filter(|p| shows(&s, *p) && !shows(&rest, *p)).count()
        };
        let all = part.positions.iter().skip(1).map(|position| (works(position), position));
        if let Some((count, position)) = all.max_by_key(|(count, _)| *count)
            && count > 0
        {
            state.switches.insert(part.id.clone(), position.clone());
        }
    }
    Everything(lightened(c, state, &rest))
}

/// What one thing takes more than nothing does, amperes at the conductor that carries most of it.
fn amps_more(c: &Circuit, alone: &Solution, rest: &Solution) -> f64 {
    let more = |k: &BranchId| (alone.amps(c, *k) - rest.amps(c, *k)).abs();
    c.wire_branch.iter().map(more).fold(0.0, f64::max)
}

/// Leaves out the heaviest of what is driven or switched on as long as more works without it: so much at once
/// can pull the supply down until things fail that work alone.
fn lightened(c: &Circuit, mut state: OperatingState, rest: &Solution) -> OperatingState {
    let working = |state: &OperatingState| {
        let s = c.solve(state, &[], None);
        let works = |p: &PartIx| s.effect(c, *p).is_some_and(|e| e > MISSED);
        c.vehicle.parts.keys().filter(works).count()
    };
    let amps = |alone: &OperatingState| amps_more(c, &c.solve(alone, &[], None), rest);
    let on = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
    let mut by_weight: Vec<(f64, OperatingState)> = Vec::new();
    for output in &state.outputs {
        let alone = OperatingState { outputs: [output.clone()].into(), ..on.clone() };
        by_weight.push((amps(&alone), alone));
    }
    for (part, position) in &state.switches {
        let switches = [(part.clone(), position.clone())].into();
        let alone = OperatingState { switches, ..on.clone() };
        by_weight.push((amps(&alone), alone));
    }
    by_weight.sort_by(|a, b| b.0.total_cmp(&a.0));
    let mut most = working(&state);
    for (_, heaviest) in by_weight {
        let mut lighter = state.clone();
        lighter.outputs.retain(|o| !heaviest.outputs.contains(o));
        lighter.switches.retain(|part, _| !heaviest.switches.contains_key(part));
        let count = working(&lighter);
        if count <= most {
            break;
        }
        (state, most) = (lighter, count);
    }
    state
}

impl Conspicuous {
    /// Of a vehicle.
    pub fn of(model: &Model) -> Self {
        let state = model.everything_driven();
        let p = model.predict_all(state);
        let shown: Vec<(PartIx, f64)> = (model.circuit.vehicle.parts.keys())
            .filter_map(|part| Some((part, p.healthy.effect(part)?)))
            .filter(|(_, strength)| *strength > MISSED)
            .collect();
        let missed = p
            .all()
            .map(|s| match s.differs() {
                false => Box::default(),
                true => shown
                    .iter()
                    .filter(|(part, sound)| s.effect(*part).unwrap_or(0.0) < MISSED * sound)
                    .map(|(part, _)| *part)
                    .collect(),
            })
            .collect();
        model.forget(state);
        Self { missed }
    }

    /// Chance that of everything a fault takes just these parts are told of: it might have been any.
    pub fn told_alone(&self, h: HypIx, told: &[PartIx]) -> f64 {
        let others = self.missed[h].iter().filter(|p| !told.contains(p)).count();
        1.0 / (1.0 + others as f64)
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn what_takes_everything_is_hardly_told_of_as_one_lamp() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        let text = std::fs::read_to_string(path).unwrap();
        let model = Model::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
        let h = |id: &str| model.faults.position(|f| f.id == id).unwrap();
        let (left, right) =
            (model.circuit.part("E11").unwrap(), model.circuit.part("E12").unwrap());
        let alone = |id: &str, told: &[PartIx]| model.conspicuous().told_alone(h(id), told);
        // The lamp takes nothing else with it; the switch of both takes the other one, too.
        assert!(alone("part:E11:open", &[left]) > 0.99);
        assert!(alone("part:BAT:flat", &[left]) < 0.1, "{}", alone("part:BAT:flat", &[left]));
        // The more of it was told of, the less is missing from the tale.
        let (one, both) = (alone("part:BAT:flat", &[left]), alone("part:BAT:flat", &[left, right]));
        assert!(both > one, "{one} {both}");
    }

    #[test]
    fn a_load_that_would_pull_all_others_down_is_left_out() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        let text = std::fs::read_to_string(path).unwrap();
        let heater = r#""ohms": 1.4, "knee"#;
        assert!(text.contains(heater));
        let working = |ohms: &str| {
            let text = text.replace(heater, &format!(r#""ohms": {ohms}, "knee"#));
            let model = Model::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
            let s = model.circuit.solve(model.everything_driven(), &[], None);
            let works = |p: &PartIx| s.effect(&model.circuit, *p).is_some_and(|e| e > MISSED);
            model.circuit.vehicle.parts.keys().filter(works).count()
        };
        // Of 12 V through 1.4 ohms 9 A, through 0.26 ohms 46 A: with all of it at once five things would fail.
        let all = working("1.4");
        assert!(working("0.26") + 1 >= all, "{} of {all}", working("0.26"));
    }
}
