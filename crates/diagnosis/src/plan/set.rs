//! The replacement itself, and what is set in the new unit: records, identity, lessons.

use super::{On, PlanStep, StepPress, StepStands, waits_for};
use vehicle::element::{Does as Routine, Held, Setting};
use vehicle::vin::DID as VIN;
use vehicle::{Origin, PartId};

pub(super) fn replace(on: &On<'_>, before: &[PlanStep]) -> PlanStep {
    let stands = match on.replaced() {
        Some(_) => StepStands::Done,
        // A dead module or a silent neighbour is a matter of writing, not of unplugging.
        None => match before.iter().find(|s| s.id == "keep" && s.stands == StepStands::Open) {
            Some(keep) => StepStands::Blocked { by: keep.text.clone() },
            None => StepStands::Open,
        },
    };
    let part = on.decision.part.clone();
    let with = match (&on.decision.number[..], on.decision.origin) {
        ("", Origin::New) => "a new one".to_owned(),
        ("", Origin::Used) => "a used one".to_owned(),
        (number, _) => number.to_owned(),
    };
    PlanStep {
        id: "replace".into(),
        text: format!("Ignition off, replace {} with {with}", crate::words::thing(on.model, &part)),
        why: "unplugged under supply, contacts burn and neighbours set codes".into(),
        stands,
        press: StepPress::Replace { part },
        needs: vec!["ignition off".into()],
    }
}

pub(super) fn steps(on: &On<'_>) -> Vec<PlanStep> {
    let part = &on.decision.part;
    let mut out: Vec<PlanStep> = Vec::new();
    if on.is_module() {
        out.extend(on.records().into_iter().map(|(did, name)| write(on, part, did, &name)));
        out.extend(super::agree::set(on, &ready(on)));
    }
    out.extend(super::codes::gone(on, &ready(on)));
    for s in on.lessons() {
        out.push(teach(on, s, &out));
    }
    out
}

/// What has to be so before anything is set in the unit.
fn ready(on: &On<'_>) -> StepStands {
    let answers = super::before::steps(on);
    let silent = answers.into_iter().find(|s| s.id == "answers").map(|s| s.stands);
    match (on.replaced(), on.case.state.charger, silent) {
        (None, ..) => StepStands::Blocked { by: "it is replaced first".into() },
        (_, false, _) => StepStands::Blocked { by: "the charger is connected first".into() },
        (_, _, Some(StepStands::Blocked { by })) => StepStands::Blocked { by },
        _ => StepStands::Open,
    }
}

fn write(on: &On<'_>, module: &PartId, did: u16, name: &str) -> PlanStep {
    let since = on.replaced().unwrap_or(u64::MAX);
    let is_done = on.case.writes.iter().any(|w| {
        let own = w.write.module == *module && w.write.did == did;
        own && w.number > since && w.outcome == Some(true)
    });
    let bound = did == VIN && is_bound(on);
    let stands = match (is_done, bound) {
        (true, _) => StepStands::Done,
        (_, true) => {
            StepStands::Blocked { by: "this unit stays bound to the vehicle it comes from".into() }
        }
        _ => match ready(on) {
            StepStands::Open => fellows(on, module, did),
            waits => waits,
        },
    };
    let why = match did {
        VIN => "other modules refuse a unit of another vehicle",
        _ => "the old unit's record, with every field as this vehicle's equipment wants it",
    };
    PlanStep {
        id: format!("write {did:04X}"),
        text: format!("Write {} of {module}", name.to_lowercase()),
        why: why.to_owned(),
        stands,
        press: StepPress::Write { module: module.clone(), did, name: name.to_owned() },
        needs: vec!["ignition on".into(), "supply held".into()],
    }
}

/// Waits for what has to hold the same as this record: it is read first.
fn fellows(on: &On<'_>, module: &PartId, did: u16) -> StepStands {
    let others = super::agree::others(on.vehicle(), on.case, module, Some(did));
    let asked = super::agree::asked(on);
    let is_of = |s: &PlanStep| others.iter().any(|o| s.id == format!("agree {}", o.module));
    waits_for(&asked.into_iter().filter(is_of).collect::<Vec<_>>())
}

/// Whether what was chosen cannot be given another vehicle's identity.
fn is_bound(on: &On<'_>) -> bool {
    let part = on.vehicle().parts.iter().find(|p| p.id == on.decision.part);
    let variants = part.into_iter().flat_map(|p| &p.variants);
    variants.filter(|v| v.number == on.decision.number).any(|v| v.bound)
}

fn teach(on: &On<'_>, s: &Setting, before: &[PlanStep]) -> PlanStep {
    let since = on.replaced().unwrap_or(u64::MAX);
    let is_done = on.case.taught.iter().any(|(n, id)| *n > since && *id == s.id);
    let procedure = on.vehicle().procedures.iter().find(|p| p.teaches == s.id);
    let does = match &s.held {
        Held::Learned { does, .. } => *does,
        _ => Routine::Teach,
    };
    let needs = crate::setup::needs_of(s);
    let verb = match does {
        Routine::Teach => "Teach",
        Routine::Zero => "Zero",
        Routine::Reset => "Reset",
    };
    let stands = match is_done {
        true => StepStands::Done,
        false => match ready(on) {
            StepStands::Open => waits_for(before),
            waits => waits,
        },
    };
    let (text, press) = match procedure {
        Some(p) => (p.name.clone(), StepPress::Follow { procedure: p.id.clone() }),
        None => (
            format!("{verb}: {}", s.name.to_lowercase()),
            StepPress::Teach { setting: s.id.clone() },
        ),
    };
    let why = match s.module == on.decision.part {
        true => "a unit from its box, or of another vehicle, has learned nothing of this one",
        false => "it was learned with the part that was replaced",
    };
    PlanStep { id: format!("teach {}", s.id), text, why: why.into(), stands, press, needs }
}
