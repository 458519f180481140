//! Terminal pairs: pushed back (open), corroded (resistive), spread so that a last
//! spot carries the current (a constriction that heats).

use super::{
    CONSTRICTION_OHMS, Change, Fault, KNEE_AMPS, SERIES_OHMS, harshness, id_of, item_text,
    ohms_text,
};
use crate::compile::{Circuit, TERMINAL_OHMS};
use crate::law::Law;

const OPEN: f64 = 0.5;
const SERIES: f64 = 0.7;
const CONSTRICTION: f64 = 0.5;

pub(super) fn generate(circuit: &Circuit, key: &(String, String), out: &mut Vec<Fault>) {
    out.extend(make(circuit, key, "open", None));
    for ohms in SERIES_OHMS {
        out.extend(make(circuit, key, "series", Some(ohms)));
    }
    for knee in KNEE_AMPS {
        out.extend(make(circuit, key, "constriction", Some(knee)));
    }
}

pub(super) fn make(
    circuit: &Circuit,
    key: &(String, String),
    mode: &str,
    number: Option<f64>,
) -> Option<Fault> {
    let branch = *circuit.terminal_branch.get(key)?;
    let v = &circuit.vehicle;
    let connector = circuit.names.connector(&key.0).map(|c| &v.connectors[c]);
    let place = match connector {
        Some(c) => &c.place,
        None => &v.parts[circuit.part(&key.0)?].place,
    };
    let harsh = match connector {
        Some(c) if c.sealed => 1.0,
        _ => harshness(circuit, &[place], false),
    };
    // In-line pairs are opened in every repair; sockets in a fuse box seldom fail.
    let kind = match connector {
        Some(c) if c.sides.is_some() => 1.2,
        Some(_) => 0.6,
        None => 0.35,
    };
    let (law, prior, text) = match (mode, number) {
        ("open", None) => (Law::OPEN, OPEN, "pushed back, no contact".to_owned()),
        ("series", Some(r)) => (
            Law::Ohms(TERMINAL_OHMS + r),
            SERIES / SERIES_OHMS.len() as f64,
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
    let repair_item = format!("terminal:{}.{}", key.0, key.1);
    Some(Fault {
        id: id_of(&repair_item, mode, number),
        text: format!("{}: {text}", item_text(circuit, &repair_item)),
        repair_item,
        prior: prior * harsh * kind,
        changes: vec![Change::Branch(branch, law)],
    })
}
