//! Fields of different modules that have to hold the same: what is known of each, and what has to be set with it.

use super::{On, PlanStep, RecordSource, StepPress, StepStands};
use crate::ledger::Case;
use crate::setup;
use serde::Serialize;
use std::collections::BTreeSet;
use utoipa::ToSchema;
use vehicle::element::{Held, Setting, setting};
use vehicle::{Agreement, PartId, Vehicle, hex};

/// A field of another module that has to hold the same as one of this module.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct AgreesWith {
    /// What the two are about.
    pub name: String,
    /// The other module.
    pub module: PartId,
    /// Identifier of its record there.
    pub did: u16,
    /// What the equipment wants in both, in words.
    pub should: String,
    /// What it held when it was last read or written, in words; none where nobody knows.
    pub holds: Option<String>,
    /// The entry that says so.
    pub entry: Option<u64>,
    /// It holds what it should.
    pub agrees: bool,
}

/// What a record held when it was last read or written, with the entry that says so; none where the last that is
/// known of it is that nobody knows, or where its module was replaced since.
fn last_held(case: &Case, module: &PartId, did: u16) -> Option<(u64, Vec<u8>)> {
    let own = |r: &&crate::ledger::Repair| r.item.as_part() == Some(module.as_str());
    let replaced = case.repair.as_ref().filter(own).map(|r| r.number);
    let already = case.decision.as_ref().filter(|(_, d)| d.already && d.part == *module);
    let new_since = replaced.max(already.map(|(n, _)| *n)).unwrap_or(0);
    let read = (case.kept.iter())
        .filter(|(_, k)| k.module == *module && k.did == did && k.from != RecordSource::Equipment)
        .map(|(n, k)| (*n, Some(&k.data)));
    let own = case.writes.iter().filter(|w| w.write.module == *module && w.write.did == did);
    let written = own.map(|w| match (w.outcome, w.as_before) {
        (Some(true), _) => (w.number, Some(&w.write.new)),
        (_, true) => (w.number, Some(&w.write.old)),
        _ => (w.number, None),
    });
    let (number, data) = read.chain(written).max_by_key(|(n, _)| *n)?;
    let bytes = hex::bytes(data.filter(|_| number > new_since)?)?;
    Some((number, bytes))
}

/// What a setting that stands in a record held when that was last read or written.
fn value(case: &Case, s: &Setting) -> Option<(u64, u32)> {
    let Held::Record { did, bit, bits } = s.held else { return None };
    let (number, record) = last_held(case, &s.module, did)?;
    Some((number, setting::field(&record, bit, bits)?))
}

fn members<'v>(vehicle: &'v Vehicle, of: &'v Agreement) -> impl Iterator<Item = &'v Setting> {
    of.settings.iter().filter_map(|id| vehicle.settings().find(|s| s.id == *id))
}

/// Fields of other modules that have to hold the same as those of a module, or of one of its records.
pub fn others(
    vehicle: &Vehicle,
    case: &Case,
    module: &PartId,
    record: Option<u16>,
) -> Vec<AgreesWith> {
    let mut out = Vec::new();
    for agreement in &vehicle.agreements {
        let is_own = |s: &Setting| match s.held {
            Held::Record { did, .. } => s.module == *module && record.is_none_or(|r| r == did),
            _ => false,
        };
        if !members(vehicle, agreement).any(is_own) {
            continue;
        }
        for s in members(vehicle, agreement).filter(|s| s.module != *module) {
            let Held::Record { did, .. } = s.held else { continue };
            let known = value(case, s);
            let word = |v: f64| setup::in_word(vehicle, s, v);
            out.push(AgreesWith {
                name: agreement.name.clone(),
                module: s.module.clone(),
                did,
                should: word(s.sound),
                holds: known.map(|(_, v)| word(f64::from(v))),
                entry: known.map(|(n, _)| n),
                agrees: known.is_some_and(|(_, v)| f64::from(v) == s.sound),
            });
        }
    }
    out
}

/// Fields that are known to differ although they have to agree, a line each.
pub fn apart(vehicle: &Vehicle, case: &Case) -> Vec<String> {
    let mut out = Vec::new();
    for agreement in &vehicle.agreements {
        let known: Vec<(&Setting, (u64, u32))> =
            members(vehicle, agreement).filter_map(|s| Some((s, value(case, s)?))).collect();
        let values: BTreeSet<u32> = known.iter().map(|(_, (_, v))| *v).collect();
        if values.len() > 1 {
            let each = known.iter().map(|(s, (n, v))| {
                let word = setup::in_word(vehicle, s, f64::from(*v));
                format!("{} holds {word} (entry {n})", s.module)
            });
            let each = each.collect::<Vec<_>>().join(", ");
            out.push(format!("{} does not agree: {each}", agreement.name));
        }
    }
    out
}

/// Modules with what has to hold the same there as in the module that is replaced.
fn by_module(on: &On<'_>) -> Vec<(PartId, u16, Vec<AgreesWith>)> {
    let mut out: Vec<(PartId, u16, Vec<AgreesWith>)> = Vec::new();
    for one in others(on.vehicle(), on.case, &on.decision.part, None) {
        match out.iter_mut().find(|(m, did, _)| *m == one.module && *did == one.did) {
            Some((.., all)) => all.push(one),
            None => out.push((one.module.clone(), one.did, vec![one])),
        }
    }
    out
}

fn names(all: &[AgreesWith]) -> String {
    let all: Vec<String> = all.iter().map(|a| a.name.to_lowercase()).collect();
    all.join(", ")
}

/// Steps in which other modules are asked for what has to agree.
pub(super) fn asked(on: &On<'_>) -> Vec<PlanStep> {
    let silent = |module: &PartId| {
        let scan = on.case.scans.last();
        scan.is_some_and(|s| {
            s.modules.iter().any(|m| m.module == *module && m.asked && !m.answered)
        })
    };
    let step = |(module, _, all): (PartId, u16, Vec<AgreesWith>)| {
        let is_read = all.iter().all(|a| a.entry.is_some_and(|n| n > on.since));
        let each = all.iter().map(|a| match &a.holds {
            Some(is) if a.agrees => format!("{}: {is}, as it should", a.name),
            Some(is) => format!("{}: {is}, and should be {}", a.name, a.should),
            None => format!("{}: not known", a.name),
        });
        PlanStep {
            id: format!("agree {module}"),
            text: format!("Read what {module} holds of {}", names(&all)),
            why: match is_read {
                true => each.collect::<Vec<_>>().join("; "),
                false => format!(
                    "it has to hold the same as {}: where the two differ, they set codes",
                    on.decision.part
                ),
            },
            stands: match (is_read, silent(&module)) {
                (true, _) => StepStands::Done,
                (_, true) => StepStands::Blocked { by: format!("{module} is silent") },
                _ => StepStands::Open,
            },
            press: StepPress::Keep { module },
            needs: vec!["ignition on".into()],
        }
    };
    by_module(on).into_iter().map(step).collect()
}

/// Steps in which other modules are set to what has to agree: those that hold or held something else.
pub(super) fn set(on: &On<'_>, ready: &StepStands) -> Vec<PlanStep> {
    let step = |(module, did, all): (PartId, u16, Vec<AgreesWith>)| {
        let wrong = all.iter().any(|a| a.holds.is_some() && !a.agrees);
        let was_set = on
            .case
            .writes
            .iter()
            .any(|w| w.number > on.since && w.write.module == module && w.write.did == did);
        let own = on.vehicle().parts.iter().find(|p| p.id == module)?.module.as_ref()?;
        let name = own.configuration.get(&format!("{did:04X}")).map_or("", |r| r.name.as_str());
        (wrong || was_set).then(|| PlanStep {
            id: format!("write {module} {did:04X}"),
            text: format!("Write {} of {module}: {}", name.to_lowercase(), names(&all)),
            why: format!("it has to hold the same as {}", on.decision.part),
            stands: match all.iter().all(|a| a.agrees) {
                true => StepStands::Done,
                false => ready.clone(),
            },
            press: StepPress::Write { module, did, name: name.to_owned() },
            needs: vec!["ignition on".into(), "supply held".into()],
        })
    };
    by_module(on).into_iter().filter_map(step).collect()
}
