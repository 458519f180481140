//! What makes one doubt a vehicle file that is sound in form: errors in it would become diagnoses.
//!
//! A healthy vehicle is solved in its named states, with each output driven and each switch in each
//! position. What does not work then was most likely copied wrongly. One file per kind of doubt.

mod codes;
mod ends;
mod exchanged;
mod fuses;
mod ground;
mod key;
mod loads;
mod modules;
mod outputs;
mod relays;
mod twins;

use crate::compile::{Circuit, NodeId};
use crate::solve::Solution;
use vehicle::{KeyPosition, OperatingState, PartIx, Problem};

/// A healthy vehicle in the states that its file allows.
struct Tried<'c> {
    circuit: &'c Circuit,
    states: Vec<State>,
}

/// One of them, solved.
struct State {
    /// In words, as `with the key on`.
    name: String,
    /// The file has it as a named state.
    is_named: bool,
    /// The key is on.
    is_on: bool,
    solution: Solution,
}

/// A doubt about what a part does when the vehicle is solved, by its index.
struct OfPart {
    part: PartIx,
    problem: Problem,
}

/// Everything doubtful about a vehicle, by kind and in the order of the file.
pub fn doubts(circuit: &Circuit) -> Vec<Problem> {
    let mut out = ground::doubts(circuit);
    let floats = !out.is_empty();
    out.extend(key::doubts(circuit));
    out.extend(ends::doubts(circuit));
    out.extend(twins::doubts(circuit));
    out.extend(outputs::doubts(circuit));
    // Without its ground nothing works, and that is said already.
    if !floats {
        let tried = Tried::of(circuit);
        let solved = solved(&tried);
        out.extend(exchanged::doubts(circuit, &solved));
        out.extend(solved.into_iter().map(|of| of.problem));
        out.extend(codes::doubts(&tried));
    }
    out
}

/// What is doubtful once a healthy vehicle is solved.
fn solved(tried: &Tried<'_>) -> Vec<OfPart> {
    let mut out = modules::doubts(tried);
    out.extend(relays::doubts(tried));
    out.extend(fuses::doubts(tried));
    out.extend(loads::doubts(tried));
    out
}

impl<'c> Tried<'c> {
    fn of(circuit: &'c Circuit) -> Self {
        let v = &circuit.vehicle;
        let named = v.states.iter().map(|s| (format!("in “{}”", s.name), true, s.state.clone()));
        let on = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
        let driven = v.outputs.iter().map(|o| {
            let state = OperatingState { outputs: [o.id.clone()].into(), ..on.clone() };
            (format!("with {} driven", o.name), false, state)
        });
        let switched = v.parts.iter().flat_map(|part| {
            let moved = part.positions.iter().skip(1);
            let on = &on;
            moved.map(move |position| {
                let switches = [(part.id.clone(), position.clone())].into();
                let name = format!("with {} {} at “{position}”", part.name, part.id);
                (name, false, OperatingState { switches, ..on.clone() })
            })
        });
        let all: Vec<_> = named
            .chain([("with the key on".to_owned(), false, on.clone())])
            .chain(driven)
            .chain(switched)
            .collect();
        let solve = |(name, is_named, state): &(String, bool, OperatingState)| State {
            name: name.clone(),
            is_named: *is_named,
            is_on: state.key == KeyPosition::On,
            solution: circuit.solve(state, &[], None),
        };
        let cores = std::thread::available_parallelism().map_or(1, usize::from);
        let parts = all.chunks(all.len().div_ceil(cores).max(1));
        let states = std::thread::scope(|scope| {
            let some = |part| {
                let work = move || <[_]>::iter(part).map(solve).collect::<Vec<State>>();
                scope.spawn(work)
            };
            let running: Vec<_> = parts.map(some).collect();
            let of = |part: std::thread::ScopedJoinHandle<'_, Vec<State>>| {
                part.join().unwrap_or_else(|e| std::panic::resume_unwind(e))
            };
            running.into_iter().flat_map(of).collect()
        });
        Self { circuit, states }
    }

    /// What is amiss with the two ends of something that needs a voltage: the first of both is to be
    /// supplied, the second one grounded. In words, with what to look at.
    fn amiss(&self, ends: [(&str, NodeId); 2]) -> (String, String) {
        let [(plus, from), (minus, to)] = ends;
        let volts = |s: &State| [s.solution.volts[from], s.solution.volts[to]];
        let highest = |s: &State| volts(s)[0].max(volts(s)[1]);
        let best = self.states.iter().max_by(|a, b| highest(a).total_cmp(&highest(b)));
        let [at_plus, at_minus] = best.map_or([0.0; 2], volts);
        if at_plus.max(at_minus) < LIVE_VOLTS {
            return (
                format!("no supply ever arrives at {plus} or {minus}"),
                format!("follow the conductors from {plus} to the fuse that should feed it"),
            );
        }
        if at_plus.min(at_minus) > LIVE_VOLTS {
            return (
                format!(
                    "{minus} stands at {at_minus:.1} V when {plus} has {at_plus:.1} V: nothing takes it to ground"
                ),
                format!(
                    "follow the conductors from {minus} to its ground point, or to what switches it"
                ),
            );
        }
        (
            format!(
                "{at_plus:.1} V at {plus} and {at_minus:.1} V at {minus} are not what it needs"
            ),
            "see its ratings, and whether its pins are exchanged".to_owned(),
        )
    }

    /// A pin of a part as the file names its cavity.
    fn pin(&self, part: PartIx, pin: &str) -> String {
        let v = &self.circuit.vehicle;
        let id = &v.parts[part].id;
        let own = v.connectors.iter().filter(|c| c.part.as_ref() == Some(id));
        let cavity = own.flat_map(|c| c.cavities.iter().map(move |x| (c, x)));
        let mut same = cavity.filter(|(_, x)| x.pin.as_deref().unwrap_or(&x.no) == pin);
        match same.next() {
            Some((connector, cavity)) => format!("{}.{}", connector.id, cavity.no),
            None => format!("{id}.{pin}"),
        }
    }
}

/// From here on something is supplied, volts.
const LIVE_VOLTS: f64 = 3.0;

fn problem(path: String, what: String, mend: impl Into<String>) -> Problem {
    Problem { path, what, mend: mend.into() }
}
