//! What the screen shows of a job: projected from what its ledger adds up to and from the latest
//! assessment. Nothing is decided here.

mod identity;
pub mod lists;
mod proofs;
mod rows;
mod scan;
pub mod shown;
mod stages;
mod supply;

pub use identity::Identification;
pub use lists::Lists;
pub use proofs::Proof;
pub use rows::{Flag, Row};
pub use scan::{Compared, ScanRef, ScanView, Watched, compare, watched};
pub use stages::Stage;
pub use supply::{SupplyRow, supply};

use crate::shop::{Assessed, Standing};
use diagnosis::Assessment;
use diagnosis::evidence::Present;
use diagnosis::ledger::{Entry, Intake, Picture, Repair};
use diagnosis::words;
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::{OperatingState, vin};

/// A job on the screen. What does not change with the ledger stands in [`Lists`].
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct View {
    /// Job number.
    pub id: i64,
    /// Make and model.
    pub vehicle: String,
    /// Which lists belong to it: another name, other lists.
    pub lists: String,
    /// When it was opened.
    pub opened_at: String,
    /// Number of the last ledger entry.
    pub entries: u64,
    /// Number of the last entry that suspects, verdicts and checks were worked out from.
    pub assessed: u64,
    /// They are being worked out anew.
    pub assessing: bool,
    /// What is wrong with the ledger or the assessment; empty when nothing is.
    pub trouble: String,
    /// Identity and complaint.
    pub intake: Intake,
    /// What is wrong with the VIN; empty when nothing is.
    pub vin_trouble: String,
    /// Symptom now.
    pub present: Present,
    /// State now.
    pub state: OperatingState,
    /// State now, in words.
    pub state_text: String,
    /// What the ledger adds up to.
    #[serde(flatten)]
    pub assessment: Assessment,
    /// Ledger rows, oldest first.
    pub ledger: Vec<Row>,
    /// Readings as flags on the sheet.
    pub flags: Vec<Flag>,
    /// Latest scan.
    pub scan: Option<ScanView>,
    /// Who the modules say they are.
    pub identification: Option<Identification>,
    /// In how many states the supply was read.
    pub supply_read: usize,
    /// All scans kept, oldest first.
    pub scans: Vec<ScanRef>,
    /// Comparison of the first and the last scan.
    pub compared: Vec<Compared>,
    /// After clearing: what must run before a code's absence counts.
    pub watched: Vec<Watched>,
    /// Pictures, in the order they were taken in.
    pub pictures: Vec<Picture>,
    /// The repair.
    pub repair: Option<Repair>,
    /// What must be shown after the repair.
    pub proofs: Vec<Proof>,
    /// What is not proven, a line each: it is named where the job is signed off all the same.
    pub unproven: Vec<String>,
    /// Whether some of that was to be proven and was not: signing off takes a reason then.
    pub wants_reason: bool,
    /// Signed off.
    pub signed_off: bool,
    /// Stages with their marks.
    pub stages: Vec<Stage>,
}

/// Projects a job.
pub fn view(at: &Standing, latest: Option<&Assessed>, fresh: bool) -> View {
    let none = Assessment::default();
    let a = latest.map_or(&none, |l| &l.assessment);
    let (model, case) = (&at.model, &at.case);
    let v = &model.circuit.vehicle;
    let mut view = View {
        id: at.job.id,
        vehicle: format!("{} {}", v.make, v.model),
        lists: at.lists.clone(),
        opened_at: at.job.opened_at.clone(),
        entries: at.last(),
        assessed: latest.map_or(0, |l| l.upto),
        assessing: !fresh,
        trouble: trouble(at, latest),
        vin_trouble: vin::trouble(&case.intake.vin).unwrap_or_default(),
        present: case.present,
        state_text: words::state(model, &case.state),
        state: case.state.clone(),
        assessment: a.clone(),
        flags: rows::flags(at, a),
        scan: scan::scan(model, case, a),
        identification: identity::identification(model, case),
        supply_read: supply::read(model, case),
        scans: scan::scans(model, case),
        compared: scan::compared(case),
        watched: scan::watched(model, case),
        pictures: case.pictures.iter().map(|(_, p)| p.clone()).collect(),
        repair: case.repair.clone(),
        proofs: proofs::proofs(model, case, a),
        unproven: Vec::new(),
        wants_reason: false,
        signed_off: case.signed_off,
        stages: Vec::new(),
        ledger: at.entries.iter().map(|e| rows::row(model, case, a, e)).collect(),
        intake: case.intake.clone(),
    };
    (view.unproven, view.wants_reason) = proofs::unproven(model, case, &view);
    view.stages = stages::stages(&view);
    view
}

fn trouble(at: &Standing, latest: Option<&Assessed>) -> String {
    let unreadable = at.entries.iter().find_map(|e| match &e.entry {
        Entry::Unreadable { why } => Some(format!(
            "entry {} of this job cannot be read: {why}; it is kept as it is, and the rest is weighed without it",
            e.number
        )),
        _ => None,
    });
    unreadable.unwrap_or_else(|| match latest {
        Some(l) if !l.trouble.is_empty() => {
            format!("suspects could not be worked out: {}; everything entered is kept", l.trouble)
        }
        _ => String::new(),
    })
}
