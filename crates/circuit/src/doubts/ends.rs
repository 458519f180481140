//! Ends that lead nowhere: cavities without a conductor, conductors on one side of an in-line pair only,
//! splices that join nothing.

use super::problem;
use crate::compile::Circuit;
use std::collections::{BTreeMap, HashMap};
use vehicle::Problem;

pub(super) fn doubts(circuit: &Circuit) -> Vec<Problem> {
    let v = &circuit.vehicle;
    let mut at: HashMap<&str, Vec<&str>> = HashMap::new();
    for wire in &v.wires {
        for end in [&wire.from, &wire.to] {
            at.entry(end).or_default().push(&wire.id);
        }
    }
    let here = |point: &str| at.get(point).map_or(&[][..], Vec::as_slice);
    let mut out = Vec::new();
    for (c, connector) in v.connectors.iter().enumerate() {
        for (k, cavity) in connector.cavities.iter().enumerate() {
            let (name, path) = (
                format!("{}.{}", connector.id, cavity.no),
                format!("connectors[{c}].cavities[{k}]"),
            );
            let found = match &connector.sides {
                Some((a, b)) => one_sided(&name, [a, b], here),
                None => (here(&name).is_empty() && !cavity.spare).then(|| {
                    (
                        format!("no conductor ends at {name}"),
                        "add its conductor, mark the cavity as spare, or take it out if it is not used"
                            .to_owned(),
                    )
                }),
            };
            out.extend(found.map(|(what, mend)| problem(path, what, mend)));
        }
    }
    out.extend(sockets(circuit, here));
    for (s, splice) in v.splices.iter().enumerate() {
        let path = format!("splices[{s}]");
        match here(&splice.id) {
            [] => out.push(problem(
                path,
                format!("no conductor ends at splice {}", splice.id),
                "add its conductors, or take it out",
            )),
            [one] => out.push(problem(
                path,
                format!("conductor {one} ends at splice {} and goes no further", splice.id),
                "add the conductors that it is spliced to",
            )),
            _ => {}
        }
    }
    for (g, ground) in v.grounds.iter().enumerate().filter(|(_, g)| here(&g.id).is_empty()) {
        out.push(problem(
            format!("grounds[{g}]"),
            format!("no conductor ends at ground point {}", ground.id),
            "add its conductors, or take it out",
        ));
    }
    out
}

/// Pins without a conductor that no connector holds: those of relays, fuses, lamps. What only joins two
/// elements inside, and a contact at rest, may do without.
fn sockets<'w>(
    circuit: &'w Circuit,
    here: impl Fn(&str) -> &'w [&'w str],
) -> impl Iterator<Item = Problem> {
    let parts = circuit.vehicle.parts.iter().enumerate();
    parts.flat_map(move |(p, part)| {
        let mut pins: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
        for (role, pin) in part.elements.iter().flat_map(|e| e.pins()) {
            pins.entry(pin).or_default().push(role);
        }
        let bare = pins.into_iter().filter(|(pin, roles)| {
            let name = format!("{}.{pin}", part.id);
            let is_socket =
                circuit.names.connector(&part.id).is_none() && circuit.node_of.contains_key(&name);
            is_socket && here(&name).is_empty() && roles.len() == 1 && roles[0] != "rest"
        });
        let told = bare.map(|(pin, _)| {
            problem(
                format!("parts[{p}]"),
                format!("no conductor ends at {}.{pin} of {}", part.id, part.name),
                "add its conductor",
            )
        });
        told.collect::<Vec<_>>()
    })
}

/// What is amiss with a cavity of an in-line pair that does not lead on.
fn one_sided<'w>(
    name: &str,
    sides: [&String; 2],
    here: impl Fn(&str) -> &'w [&'w str],
) -> Option<(String, String)> {
    let ends = sides.map(|side| here(&format!("{name}:{side}")));
    Some(match ends {
        [[], []] => (
            format!("no conductor ends at {name} on either side"),
            "add its conductors, or take the cavity out if it is not used".to_owned(),
        ),
        [[], [one]] | [[one], []] => {
            let side = sides[usize::from(ends[0].is_empty())];
            (
                format!("conductor {one} ends at {name} ({side}) and goes no further"),
                format!("add the conductor on the other side, or end {one} where it really ends"),
            )
        }
        [[], many] | [many, []] => {
            let full = usize::from(ends[0].is_empty());
            (
                format!(
                    "conductors {} all end at {name} on the {} side, and none on the {} side",
                    many.join(", "),
                    sides[full],
                    sides[1 - full]
                ),
                format!("end one of them at {name}:{}", sides[1 - full]),
            )
        }
        _ => return None,
    })
}
