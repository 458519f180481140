//! What stands in a ledger: one kind of entry for everything that is found and done.

use crate::evidence::{Evidence, Present, Strength};
use crate::identity::Identity;
use crate::next::CannotDo;
use crate::plan::{Decision, KeptRecord};
use crate::prior::{Adjusted, Occurs, Recent};
use crate::roll_call::RollCall;
use crate::self_test::SelfTested;
use crate::setup::RecordWrite;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use utoipa::ToSchema;
use vehicle::{FailureType, Item, OperatingState, PartId, TroubleCode};

/// Identity and complaint.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(default)]
pub struct Intake {
    /// Vehicle identification number.
    pub vin: String,
    /// Odometer, kilometres.
    pub odometer_km: u32,
    /// What the customer says.
    pub complaint: String,
    /// When it happens.
    pub conditions: String,
    /// Lamps and messages.
    pub lamps: String,
    /// The output the complaint is about; empty when unclear.
    pub output: String,
    /// How that output's effect shows, as the customer tells it.
    pub effect: Option<Strength>,
    /// Named state in which it shows, as the driver asks for it; empty: driven by a tester.
    pub shows_in: String,
    /// Order or customer reference.
    pub reference: String,
    /// How often it shows.
    pub occurs: Occurs,
    /// What was worked on, got wet or was hit lately.
    pub recent: Vec<Recent>,
    /// Equipment of the vehicle file that this vehicle does not have.
    pub not_fitted: BTreeSet<String>,
}

/// A code as a module reported it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct ReadCode {
    /// Code, for example `B1A11`.
    pub code: TroubleCode,
    /// Failure type, two hexadecimal digits; empty where nobody said.
    pub failure_type: FailureType,
    /// Status byte (ISO 14229-1 D.2).
    pub status: u8,
    /// Snapshot values by name, in words.
    #[serde(default)]
    pub snapshot: Vec<(String, String)>,
    /// Supply when it was set, millivolts, where the snapshot holds it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub supply_mv: Option<u32>,
    /// Why its snapshot could not be read; empty where it was, or where there was none to read.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub unread: String,
}

impl ReadCode {
    /// Bit 0, testFailed: failing now.
    pub fn failing(&self) -> bool {
        self.status & 0x01 != 0
    }
    /// Bit 3, confirmedDTC: stored.
    pub fn stored(&self) -> bool {
        self.status & 0x08 != 0
    }
    /// Bit 6 clear: the test has completed in this operation cycle.
    pub fn tested_now(&self) -> bool {
        self.status & 0x40 == 0
    }
    /// Bit 4 clear: the test has completed since codes were cleared.
    pub fn tested_since_clear(&self) -> bool {
        self.status & 0x10 == 0
    }
    /// Status in plain words.
    pub fn words(&self) -> &'static str {
        match (self.failing(), self.stored(), self.tested_now()) {
            (true, ..) => "failing now",
            (false, true, true) => "failed earlier, passed now",
            (false, true, false) => "failed earlier, not tested since key on",
            (false, false, true) => "tested, passed",
            (false, false, false) => "not yet tested since clearing",
        }
    }
}

fn yes() -> bool {
    true
}

/// What one module said in a scan.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct ScannedModule {
    /// Module part.
    pub module: PartId,
    /// It answered.
    pub answered: bool,
    /// It could be asked; where the link was gone before, its silence says nothing.
    #[serde(default = "yes")]
    pub asked: bool,
    /// Why not, in words.
    #[serde(default)]
    pub trouble: String,
    /// It answers although the vehicle should not have it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub unexpected: bool,
    /// Every code it supports with its status; only failing or stored ones are trouble.
    pub codes: Vec<ReadCode>,
}

/// What a capture is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum CaptureOf {
    /// CAN or CAN FD.
    Can,
    /// LIN.
    Lin,
}

/// A capture that was taken in; its data lie beside the ledger.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct Capture {
    /// Its number in the job, from 1.
    pub number: u64,
    /// Name of the file it came in.
    pub name: String,
    /// What it is of.
    pub bus: CaptureOf,
    /// Length of the file, bytes.
    pub bytes: u64,
    /// Time between two samples, seconds, where the file does not say.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub step_s: Option<f64>,
    /// Where it was tapped, if that is known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tapped: Option<TappedAt>,
}

/// Live values that were kept as they were read; their data lie beside the ledger.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct Recording {
    /// Its number among the files of the job, from 1.
    pub number: u64,
    /// What it is called.
    pub name: String,
    /// How many values it holds side by side.
    pub values: usize,
    /// How long it is, seconds.
    pub seconds: f64,
}

/// A picture that was kept; it lies beside the ledger.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct Picture {
    /// Its number among the files of the job, from 1.
    pub number: u64,
    /// The entry it shows something of; none: of the job.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub of: Option<u64>,
    /// What it shows; empty where nobody said.
    #[serde(default)]
    pub text: String,
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
}

/// Where a capture was tapped.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct TappedAt {
    /// Id of the bus.
    pub bus: String,
    /// The spot, as the bus has it.
    pub spot: String,
}

/// What was seen of a module that was told to start anew.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SeenRestart {
    /// It fell silent, and answered again so many seconds after it was told.
    Answers(f64),
    /// It fell silent and did not answer again while it was watched.
    StaysSilent,
    /// It answered all the time: nothing shows that it did.
    NeverSilent,
}

/// A ledger entry.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "entry", rename_all = "snake_case")]
pub enum Entry {
    /// Identity and complaint, taken or corrected.
    Intake {
        /// All of it.
        intake: Intake,
    },
    /// Whether the symptom shows now.
    Symptom {
        /// Yes, no, unknown.
        present: Present,
    },
    /// The operating state the technician set.
    State {
        /// The state.
        state: OperatingState,
    },
    /// A scan, kept.
    Scan {
        /// State it was made in.
        state: OperatingState,
        /// Modules.
        modules: Vec<ScannedModule>,
    },
    /// A roll call, kept.
    RollCall {
        /// State it was made in.
        state: OperatingState,
        /// What it showed.
        #[serde(flatten)]
        call: RollCall,
    },
    /// Who the modules say they are.
    Identified {
        /// Modules.
        modules: Vec<Identity>,
    },
    /// What modules found when they tested themselves.
    SelfTested {
        /// State they did it in.
        state: OperatingState,
        /// Modules.
        modules: Vec<SelfTested>,
    },
    /// Something is about to be written to a module: kept before it is, with the way back.
    Writing {
        /// What.
        #[serde(flatten)]
        write: RecordWrite,
    },
    /// It was written and read back.
    Written {
        /// Number of the entry it is about; beside its own, so not under that name.
        #[serde(rename = "of")]
        number: u64,
        /// What was read back is what was written.
        holds: bool,
        /// It was refused, and what was there before is there still.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        as_before: bool,
    },
    /// A module was taught something, or refused.
    Taught {
        /// Id of the setting.
        setting: String,
        /// Why it was not; empty when it was.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        trouble: String,
        /// What the module said of it before and after, in words; empty where it says nothing.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        proof: Option<[String; 2]>,
    },
    /// What goes in the place of a part was decided.
    Decided {
        /// What, at what cost, and who agreed.
        decision: Decision,
    },
    /// What a unit holds was kept before it is unplugged.
    Kept {
        /// Records, and the identity.
        records: Vec<KeptRecord>,
    },
    /// A procedure was followed.
    Followed {
        /// Its id.
        procedure: String,
        /// Why it was not passed; empty when it was.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        trouble: String,
        /// Everything that was read meanwhile.
        recording: Recording,
    },
    /// A module was told to start anew.
    Restarted {
        /// The module.
        module: PartId,
        /// What was seen of it.
        seen: SeenRestart,
    },
    /// Codes cleared.
    Cleared {
        /// Modules cleared.
        modules: Vec<PartId>,
    },
    /// Something found.
    Found {
        /// The evidence.
        evidence: Evidence,
        /// `typed`, `meter` or `seen`.
        #[serde(default)]
        by: String,
    },
    /// A check that cannot be done here.
    Refused {
        /// The check, the tool or the part.
        #[schemars(with = "String")]
        check: CannotDo,
    },
    /// A piece of evidence doubted or believed again.
    Doubted {
        /// Number of the entry it is about; beside its own, so not under that name.
        #[serde(rename = "of", alias = "number")]
        number: u64,
        /// Doubted; else believed again.
        doubted: bool,
    },
    /// A capture of a bus, kept.
    Captured {
        /// Which.
        capture: Capture,
    },
    /// Live values, kept.
    LiveKept {
        /// Which.
        recording: Recording,
    },
    /// A picture, kept.
    Pictured {
        /// Which.
        picture: Picture,
    },
    /// The repair.
    Repaired {
        /// Repair item.
        item: Item,
        /// What was done.
        text: String,
        /// The probability it had.
        probability: f64,
        /// It had been proven: any one finding could have been wrong.
        proven: bool,
        /// What else was suspected then, the likeliest first.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        beside: Vec<Suspected>,
    },
    /// The technician's own weight for a repair item; 1 takes it back.
    Adjusted {
        /// Item, factor and reason.
        #[serde(flatten)]
        adjusted: Adjusted,
    },
    /// A module is condemned although something is still open, with the reason.
    Overridden {
        /// The module part.
        module: PartId,
        /// Why.
        reason: String,
    },
    /// A remark.
    Note {
        /// Text.
        text: String,
    },
    /// Closed by the technician.
    SignedOff {
        /// What was not proven then, a line each.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        open: Vec<String>,
        /// Why it was closed all the same; empty where nothing was open.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        reason: String,
    },
    /// Opened again after it was signed off.
    Reopened {
        /// Why.
        reason: String,
    },
    /// An entry that this version cannot read; it is kept as it is and bears on nothing.
    #[serde(skip)]
    Unreadable {
        /// What is wrong with it.
        why: String,
    },
}

impl Entry {
    /// Number of the file beside the ledger that it tells of, if it tells of one.
    pub fn file(&self) -> Option<u64> {
        match self {
            Self::Captured { capture } => Some(capture.number),
            Self::LiveKept { recording } | Self::Followed { recording, .. } => {
                Some(recording.number)
            }
            Self::Pictured { picture } => Some(picture.number),
            _ => None,
        }
    }

    /// Whether it is something found, which weighs and can be doubted.
    pub fn is_evidence(&self) -> bool {
        matches!(self, Self::Found { .. } | Self::Scan { .. } | Self::RollCall { .. })
    }
}

/// An entry with its number and time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Numbered {
    /// Number in the job, from 1.
    pub number: u64,
    /// RFC 3339 time.
    pub at: String,
    /// The entry.
    #[serde(flatten)]
    pub entry: Entry,
}

/// Something that was suspected beside what was repaired.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct Suspected {
    /// Repair item.
    pub item: Item,
    /// In words.
    pub text: String,
    /// The probability it had.
    pub probability: f64,
}
