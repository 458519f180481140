//! Replacements and copies: numbers that are told apart, prices that can be, records that there are.

use super::Findings;
use crate::{PartId, Vehicle};
use std::collections::BTreeSet;

pub(super) fn check(vehicle: &Vehicle, f: &mut Findings) {
    for part in vehicle.parts.iter().filter(|p| !p.variants.is_empty()) {
        let path = format!("parts[{}].variants", part.id);
        let mut seen = BTreeSet::new();
        for variant in &part.variants {
            if variant.number.is_empty() || !seen.insert(&variant.number) {
                let what = format!("part number “{}” is empty or there twice", variant.number);
                f.add(path.clone(), what, "give each variant its own number");
            }
            if variant.price.is_some_and(|p| !p.is_finite() || p < 0.0) {
                f.add(
                    path.clone(),
                    "a price that cannot be",
                    "give it as a number from 0, or leave it out",
                );
            }
        }
    }
    let has = |module: &PartId, did: u16| {
        let of = vehicle.parts.iter().find(|p| p.id == *module).and_then(|p| p.module.as_ref());
        of.map(|m| m.configuration.contains_key(&format!("{did:04X}")))
    };
    for (k, copy) in vehicle.record_copies.iter().enumerate() {
        let path = format!("record_copies[{k}]");
        if has(&copy.module, copy.did) != Some(true) {
            let what = format!("{} has no record {:04X}", copy.module, copy.did);
            f.add(format!("{path}.did"), what, "name a record of a module's configuration");
        }
        match has(&copy.kept_by, copy.kept_did) {
            None => {
                let what = format!("“{}” is no module", copy.kept_by);
                f.add(format!("{path}.kept_by"), what, "name a part with a diagnostic address");
            }
            Some(true) => {
                let what =
                    format!("{} has a record {:04X} of its own", copy.kept_by, copy.kept_did);
                f.add(format!("{path}.kept_did"), what, "give the copy an identifier of its own");
            }
            Some(false) => {}
        }
    }
}
