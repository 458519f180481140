//! Terminal pairs: pushed back (open), corroded (resistive), spread so that a last
//! spot carries the current (a constriction that heats).

use super::{
    CONSTRICTION_OHMS, Change, Fault, KNEE_AMPS, item_text, ohms_text, rates, series_ohms,
};
use crate::compile::Circuit;
use crate::law::Law;
use vehicle::{ConnectorId, FaultId, Item};

/// Share of each mode, divided among its numbers.
const OPEN: f64 = 0.3;
const SERIES: f64 = 0.4;
const CONSTRICTION: f64 = 0.3;

pub(super) fn generate(circuit: &Circuit, key: &(ConnectorId, String), out: &mut Vec<Fault>) {
    out.extend(make(circuit, key, "open", None));
    for ohms in series_ohms(circuit.sound_ohms(circuit.terminal_branch[key])) {
        out.extend(make(circuit, key, "series", Some(*ohms)));
    }
    for knee in KNEE_AMPS {
        out.extend(make(circuit, key, "constriction", Some(knee)));
    }
}

pub(super) fn make(
    circuit: &Circuit,
    key: &(ConnectorId, String),
    mode: &str,
    number: Option<f64>,
) -> Option<Fault> {
    let branch = *circuit.terminal_branch.get(key)?;
    let (law, share, text) = match (mode, number) {
        ("open", None) => (Law::OPEN, OPEN, "pushed back, no contact".to_owned()),
        ("series", Some(r)) => (
            Law::Ohms(circuit.sound_ohms(branch) + r),
            SERIES / series_ohms(circuit.sound_ohms(branch)).len() as f64,
            format!("series resistance {}", ohms_text(r)),
        ),
        ("constriction", Some(knee)) => (
            Law::Constriction { ohms: CONSTRICTION_OHMS, knee },
            CONSTRICTION / KNEE_AMPS.len() as f64,
            format!(
                "spread, one spot carries: {} cold, {} at 2 A",
                ohms_text(CONSTRICTION_OHMS),
                ohms_text(CONSTRICTION_OHMS * (1.0 + (2.0 / knee).powi(2)))
            ),
        ),
        _ => return None,
    };
    let repair_item = Item::Terminal(format!("{}.{}", key.0, key.1).into());
    Some(Fault {
        id: FaultId::new(repair_item.clone(), mode, number),
        text: format!("{}: {text}", item_text(circuit, &repair_item)),
        repair_item,
        prior: share * rates::terminal(circuit, key)?,
        changes: vec![Change::Branch(branch, law)],
    })
}
