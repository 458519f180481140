//! Replacements, copies, agreements: numbers that are told apart, prices that can be, records that there are, fields
//! that hold the same on a sound vehicle.

use super::Findings;
use crate::element::{Held, Setting};
use crate::{Agreement, PartId, Vehicle};
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
    for (k, agreement) in vehicle.agreements.iter().enumerate() {
        agree(vehicle, f, &format!("agreements[{k}].settings"), agreement);
    }
}

fn agree(vehicle: &Vehicle, f: &mut Findings, path: &str, agreement: &Agreement) {
    let mut of: Vec<&Setting> = Vec::new();
    for id in &agreement.settings {
        match vehicle.settings().find(|s| s.id == *id) {
            Some(s) if matches!(s.held, Held::Record { .. }) => of.push(s),
            Some(_) => {
                let what = format!("“{id}” stands in no record");
                f.add(path, what, "name fields of configuration records");
            }
            None => {
                f.add(path, format!("there is no setting “{id}”"), "name settings of the vehicle");
            }
        }
    }
    let modules: BTreeSet<&PartId> = of.iter().map(|s| &s.module).collect();
    if modules.len() < agreement.settings.len() || modules.len() < 2 {
        f.add(
            path,
            "its fields are not of different modules",
            "name one field each of two modules or more",
        );
    }
    let is_gone = |option: &str, s: &Setting| {
        let of = vehicle.options.iter().find(|o| o.id == option);
        of.is_some_and(|o| o.parts.contains(&s.module))
    };
    let options = of.iter().flat_map(|s| s.without.keys().map(String::as_str)).map(Some);
    for option in options.chain([None]).collect::<BTreeSet<_>>() {
        let here = of.iter().filter(|s| !option.is_some_and(|o| is_gone(o, s)));
        let holds =
            |s: &&Setting| option.and_then(|o| s.without.get(o)).unwrap_or(&s.sound).to_bits();
        if here.map(holds).collect::<BTreeSet<_>>().len() > 1 {
            let when = option.map_or_else(String::new, |o| format!(" without “{o}”"));
            let what = format!("they do not hold the same on a sound vehicle{when}");
            f.add(path, what, "give them one value, or take the agreement out");
        }
    }
}
