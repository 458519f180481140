//! What comes before anything is unplugged: the supply held, every module heard, what the old unit holds kept, what
//! has to agree with it read.

use super::{On, PlanStep, StepPress, StepStands};
use vehicle::vin::DID as VIN;

pub(super) fn steps(on: &On<'_>) -> Vec<PlanStep> {
    let mut out = vec![supply(on), answers(on)];
    // Of a unit that is gone nothing can be read.
    out.extend(keep(on).filter(|_| !on.decision.already));
    out.extend(super::agree::asked(on));
    out
}

fn supply(on: &On<'_>) -> PlanStep {
    let held = on.case.state.charger;
    PlanStep {
        id: "supply".into(),
        text: "Connect the charger".into(),
        why: "a write that breaks off for want of supply leaves the unit half set".into(),
        stands: if held { StepStands::Done } else { StepStands::Open },
        press: StepPress::Charger,
        needs: Vec::new(),
    }
}

/// Every fitted module answers, but for the one that is replaced.
fn answers(on: &On<'_>) -> PlanStep {
    let part = &on.decision.part;
    let scan = on.case.scans.last();
    let silent: Option<Vec<&str>> = scan.map(|s| {
        let all = s.modules.iter().filter(|m| m.asked && !m.answered && m.module != *part);
        all.map(|m| m.module.as_str()).collect()
    });
    let stands = match silent.as_deref() {
        None => StepStands::Open,
        Some([]) => StepStands::Done,
        Some(list) => {
            let is = if list.len() == 1 { "is" } else { "are" };
            StepStands::Blocked { by: format!("{} {is} silent", list.join(", ")) }
        }
    };
    PlanStep {
        id: "answers".into(),
        text: "Scan: every fitted module answers, all codes kept".into(),
        why: "what a new unit asks others for it must get, and old codes are gone once they are cleared"
            .into(),
        stands,
        press: StepPress::Scan,
        needs: vec!["ignition on".into()],
    }
}

/// What the old unit holds is kept, from itself, from a copy, or built.
fn keep(on: &On<'_>) -> Option<PlanStep> {
    let records = on.records();
    if !on.is_module() || records.is_empty() {
        return None;
    }
    let part = &on.decision.part;
    let kept = |did: u16| on.case.kept.iter().any(|(_, k)| k.module == *part && k.did == did);
    // The identity is the job's own: it is kept where it can be read.
    let wanted = records.iter().filter(|(did, _)| *did != VIN || records.len() == 1);
    let all = wanted.clone().count() > 0 && wanted.clone().all(|(did, _)| kept(*did));
    let from: Vec<String> = (on.case.kept.iter())
        .filter(|(_, k)| k.module == *part)
        .map(|(n, k)| format!("{:04X} is {}, entry {n}", k.did, k.from.words()))
        .collect();
    let stands = match (all, on.replaced()) {
        (true, _) => StepStands::Done,
        (false, Some(_)) => {
            StepStands::Blocked { by: "the old unit is out; it is built from the equipment".into() }
        }
        (false, None) => StepStands::Open,
    };
    let why = match all {
        true => from.join("; "),
        false => {
            "once it is unplugged it may never answer again; where it is silent already, another \
             module's copy is taken, or it is built from the equipment"
                .to_owned()
        }
    };
    Some(PlanStep {
        id: "keep".into(),
        text: format!("Read and keep what {part} holds"),
        why,
        stands,
        press: StepPress::Keep { module: part.clone() },
        needs: vec!["ignition on".into()],
    })
}
