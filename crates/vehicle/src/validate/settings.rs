//! Settings: whose they are, where they stand, that their records have room for them.

use super::Findings;
use crate::element::{Held, setting};
use crate::{PartKind, Vehicle};
use std::collections::BTreeSet;

pub(super) fn check(
    vehicle: &Vehicle,
    f: &mut Findings,
    parts: &BTreeSet<String>,
    signals: &BTreeSet<String>,
) {
    f.unique("parts.elements.setting", vehicle.settings().map(|s| s.id.as_str()));
    for part in &vehicle.parts {
        let path = format!("parts[{}]", part.id);
        let settings = part.elements.iter().filter(|e| e.setting().is_some()).count();
        if settings > 0 && part.kind != PartKind::Setup
            || part.kind == PartKind::Setup && settings < part.elements.len()
        {
            f.add(
                format!("{path}.elements"),
                "settings and things are mixed",
                "put the settings of a module into a part of the kind “setup”, and nothing else there",
            );
        }
        let owners: BTreeSet<&str> =
            part.elements.iter().filter_map(|e| e.setting()).map(|s| s.module.as_str()).collect();
        if owners.len() > 1 {
            f.add(
                format!("{path}.elements"),
                "settings of more than one module",
                "give each module a part of its own",
            );
        }
    }
    let options: BTreeSet<String> = vehicle.options.iter().map(|o| o.id.clone()).collect();
    for s in vehicle.settings() {
        let path = format!("settings[{}]", s.id);
        for option in s.without.keys() {
            f.known(format!("{path}.without"), "equipment", option, &options);
        }
        for part in &s.after {
            f.known(format!("{path}.after"), "part", part, parts);
        }
        let Some(module) =
            vehicle.parts.iter().find(|p| p.id == s.module).and_then(|p| p.module.as_ref())
        else {
            f.add(
                format!("{path}.module"),
                format!("“{}” is no module", s.module),
                "name a part with a diagnostic address",
            );
            continue;
        };
        match &s.held {
            Held::Record { did, bit, bits } => {
                let record = module.configuration.get(&format!("{did:04X}"));
                let value = record
                    .and_then(|r| r.bytes())
                    .and_then(|bytes| setting::field(&bytes, *bit, *bits));
                if value.map(f64::from) != Some(s.sound) {
                    f.add(
                        format!("{path}.held.record"),
                        match value {
                            None => format!("record {did:04X} has no such bits"),
                            Some(v) => format!("record {did:04X} holds {v} there, not {}", s.sound),
                        },
                        "let the module's configuration hold what a sound vehicle has",
                    );
                }
            }
            Held::Learned { needs, codes_gone, .. } => {
                for code in codes_gone {
                    let sets = |m: &crate::Monitor| m.module == s.module && m.code == *code;
                    if !vehicle.monitors.iter().any(sets) {
                        f.add(
                            format!("{path}.held.learned.codes_gone"),
                            format!("{} sets no code {code}", s.module),
                            "name codes that monitors of the module set",
                        );
                    }
                }
                for signal in needs.iter().flat_map(|n| n.holds.signals()) {
                    f.known(format!("{path}.held.learned.needs"), "signal", signal, signals);
                }
            }
            Held::Identity => {}
        }
    }
}
