//! A key that moves nothing: no switch has its positions.

use super::problem;
use crate::compile::Circuit;
use vehicle::{KeyPosition, Part, Problem};

pub(super) fn doubts(circuit: &Circuit) -> Vec<Problem> {
    let v = &circuit.vehicle;
    let has = |part: &Part, key: KeyPosition| part.positions.iter().any(|p| p == key.position());
    let used = |key: KeyPosition| v.states.iter().any(|s| s.state.key == key);
    let of = |key: KeyPosition| {
        if !used(key) || v.parts.iter().any(|part| has(part, key)) {
            return None;
        }
        // Most likely the one that has the key's other positions, or as many as the key.
        let is_key = |part: &Part| has(part, KeyPosition::On) || has(part, KeyPosition::Start);
        let as_many = |part: &Part| part.positions.len() >= 3;
        let guess = v.parts.position(is_key).or_else(|| v.parts.position(as_many));
        let position = key.position();
        let mend = match guess.map(|k| &v.parts[k]) {
            Some(part) => format!(
                "if {} {} is the key switch, name its positions 0, 15 and 50 instead of {}",
                part.name,
                part.id,
                part.positions.join(", ")
            ),
            None => "add the key switch, with the positions 0, 15 and 50".to_owned(),
        };
        Some(problem(
            guess.map_or_else(|| "parts".to_owned(), |k| format!("parts[{k}].positions")),
            format!("states turn the key to {position}, and no switch has that position"),
            mend,
        ))
    };
    [KeyPosition::On, KeyPosition::Start].into_iter().filter_map(of).collect()
}
