//! Identifiers and how values travel under them.

use super::Findings;
use crate::{Coding, Vehicle};
use std::collections::BTreeMap;

pub(super) fn check(vehicle: &Vehicle, f: &mut Findings) {
    let mut seen: BTreeMap<u16, &str> = BTreeMap::new();
    for (field, datum) in vehicle.identifiers.data() {
        coding(f, format!("identifiers.{field}.coding"), &datum.coding);
        // A module's supply may be what its freeze frames record, under the same identifier.
        let same = seen.insert(datum.did, field).filter(|other| *other != "supply");
        if let Some(other) = same {
            f.add(
                format!("identifiers.{field}.did"),
                format!("{:04X} is {other} already", datum.did),
                "give each its own identifier",
            );
        }
    }
    let counters = vehicle.identifiers.counters;
    let records = [counters.occurrences, counters.cycles_since_last, counters.cycles_since_first];
    if records[0] == records[1] || records[1] == records[2] || records[0] == records[2] {
        f.add("identifiers.counters", "two counters share a record", "give each its own number");
    }
    for (k, signal) in vehicle.signals.iter().enumerate() {
        if let Some(own) = &signal.coding {
            coding(f, format!("signals[{k}].coding"), own);
        }
    }
}

fn coding(f: &mut Findings, path: String, coding: &Coding) {
    if !coding.is_possible() {
        f.add(
            path,
            "no value can travel like this",
            "give 1 to 4 bytes and a step that is not zero",
        );
    }
}
