//! The stages of the work with their marks.

use super::View;
use serde::Serialize;
use utoipa::ToSchema;

/// A stage.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Stage {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Count or mark.
    pub mark: String,
    /// It works in this version.
    pub built: bool,
}

pub(super) fn stages(v: &View) -> Vec<Stage> {
    let count = |n: usize| if n == 0 { String::new() } else { n.to_string() };
    let of_kind = |kind: &str| v.ledger.iter().filter(|r| r.kind == kind).count();
    let codes = v.scan.as_ref().map(|s| s.modules.iter().map(|m| m.codes.len()).sum::<usize>());
    let done = v.proofs.iter().filter(|p| p.done).count();
    let supply = count(v.supply_read);
    let stage = |id: &str, name: &str, mark: String, built: bool| Stage {
        id: id.into(),
        name: name.into(),
        mark,
        built,
    };
    vec![
        stage(
            "intake",
            "Intake",
            if v.intake.complaint.is_empty() { "" } else { "done" }.into(),
            true,
        ),
        stage("supply", "Supply", supply, true),
        stage("codes", "Codes", codes.map(|c| c.to_string()).unwrap_or_default(), true),
        stage("network", "Network", count(of_kind("roll_call")), true),
        stage("circuit", "Circuit", count(of_kind("reading")), true),
        stage("live", "Live", count(of_kind("live")), true),
        stage("outputs", "Outputs", count(of_kind("effect")), true),
        stage("fit", "Fit", count(of_kind("written") + of_kind("taught")), true),
        stage(
            "prove",
            "Prove",
            if v.repair.is_some() { format!("{done}/{}", v.proofs.len()) } else { String::new() },
            true,
        ),
        stage("report", "Report", if v.signed_off { "done" } else { "" }.into(), true),
    ]
}
