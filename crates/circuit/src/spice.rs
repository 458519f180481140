//! Any operating point as a SPICE deck.

use crate::compile::{BODY, BranchId, Circuit, NodeId};
use crate::fault::Change;
use crate::solve::{Extra, Solution};
use crate::{LEAK_SIEMENS, Law};
use std::fmt::Write;
use vehicle::TiSlice;

/// Writes the deck of a solved point: relays, fuses and drivers stand as they
/// settled, motors and generators keep their non-linear laws. `* node <n> <id>`
/// lines say which node is which cavity.
pub fn deck(
    circuit: &Circuit,
    title: &str,
    solution: &Solution,
    changes: &[Change],
    meter: Option<Extra>,
) -> String {
    deck_of(circuit, title, &solution.laws, &solution.volts, changes, meter)
}

/// The same from the law of every branch. The voltages at bent laws stand as the start of the
/// search, which has one solution only: without them its first steps can overflow in the bent laws.
pub fn deck_of(
    circuit: &Circuit,
    title: &str,
    laws: &TiSlice<BranchId, Law>,
    volts: &TiSlice<NodeId, f64>,
    changes: &[Change],
    meter: Option<Extra>,
) -> String {
    let mut deck = format!("* {}\n", title.replace('\n', " "));
    for (id, node) in &circuit.node_of {
        let _ = writeln!(deck, "* node {node} {id}");
    }
    let mut bent = std::collections::BTreeSet::new();
    for (k, branch) in circuit.branches.iter_enumerated() {
        if branch.from != branch.to {
            let card = laws[k].spice(&format!("b{k}"), branch.from, branch.to);
            let _ = writeln!(deck, "{card}");
            if !laws[k].is_linear() {
                bent.extend([branch.from, branch.to]);
            }
        }
    }
    for (k, change) in changes.iter().enumerate() {
        let law = match *change {
            Change::Bridge(a, b, ohms) => Some((Law::Ohms(ohms), a, b)),
            Change::Meter(e) => Some((e.law, e.from, e.to)),
            _ => None,
        };
        if let Some((law, a, b)) = law {
            let _ = writeln!(deck, "{}", law.spice(&format!("x{k}"), a, b));
        }
    }
    if let Some(meter) = meter {
        let _ = writeln!(deck, "{}", meter.law.spice("meter", meter.from, meter.to));
    }
    for node in 1..circuit.nodes {
        let _ = writeln!(deck, "Rleak{node} {node} 0 {:e}", 1.0 / LEAK_SIEMENS);
    }
    for node in bent.into_iter().filter(|n| *n != BODY) {
        let _ = writeln!(deck, ".nodeset v({node})={:e}", volts[node]);
    }
    deck.push_str(
        ".options reltol=1e-7 abstol=1e-12 vntol=1e-9 gmin=1e-18 itl1=500\n.op\n.print op all\n.end\n",
    );
    deck
}
