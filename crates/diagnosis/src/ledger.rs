//! The job's ledger: everything found and done, in order, and what follows from it.
//!
//! Entries are never changed: doubting or withdrawing is an entry of its own.
//! [`Case`] is what the entries add up to and can be rebuilt from them at any time.

use crate::evidence::{Evidence, Finding, Present, Strength};
use crate::identity::Identity;
use crate::model::Model;
use crate::next::CannotDo;
use crate::own::{self, Doing};
use crate::plan::{Decision, KeptRecord};
use crate::prior::{self, Adjusted, Occurs, Recent};
use crate::roll_call::RollCall;
use crate::self_test::{self, SelfTested};
use crate::setup::{self, RecordWrite};
use crate::workshop::Workshop;
use circuit::Probe;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use utoipa::ToSchema;
use vehicle::{
    FailureType, Item, KeyPosition, MonitorIx, OperatingState, PartId, PartIx, TroubleCode,
};

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

/// The repair, once made.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Repair {
    /// Number of its entry.
    pub number: u64,
    /// Repair item.
    pub item: Item,
    /// What was done.
    pub text: String,
    /// The probability it had.
    pub probability: f64,
    /// Proven before.
    pub proven: bool,
    /// What else was suspected then, the likeliest first.
    pub beside: Vec<Suspected>,
}

/// A scan that was kept.
#[derive(Debug, Clone, PartialEq)]
pub struct Scan {
    /// Number of its entry.
    pub number: u64,
    /// Time, RFC 3339.
    pub at: String,
    /// State it was made in.
    pub state: OperatingState,
    /// What the modules said.
    pub modules: Vec<ScannedModule>,
    /// What had been done before that they may complain about.
    pub doings: Vec<Doing>,
}

/// What the ledger adds up to.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Case {
    /// Identity and complaint.
    pub intake: Intake,
    /// Entry the complaint came from.
    pub told: Option<u64>,
    /// Symptom now.
    pub present: Present,
    /// State now.
    pub state: OperatingState,
    /// Believed evidence before the repair, with the entry each piece came from.
    pub evidence: Vec<(u64, Evidence)>,
    /// Evidence after the repair.
    pub after: Vec<(u64, Evidence)>,
    /// Doubted entries.
    pub doubted: BTreeSet<u64>,
    /// Checks refused.
    pub refused: Vec<CannotDo>,
    /// Captures of buses, in the order they were taken in.
    pub captures: Vec<Capture>,
    /// Live values that were kept, in the order they were.
    pub recordings: Vec<Recording>,
    /// Pictures with the numbers of their entries, in the order they were taken in.
    pub pictures: Vec<(u64, Picture)>,
    /// Writes, in the order they were begun.
    pub writes: Vec<setup::Write>,
    /// What was decided last to put in the place of a part, with its entry.
    pub decision: Option<(u64, Decision)>,
    /// What units held, with the entries it was kept in.
    pub kept: Vec<(u64, KeptRecord)>,
    /// Settings that were taught, with the entries that say so.
    pub taught: Vec<(u64, String)>,
    /// Last entry with the ignition off.
    pub key_off: Option<u64>,
    /// Self-tests, in the order they were made.
    pub self_tests: Vec<self_test::Kept>,
    /// The technician's own weights, the latest for each item.
    pub adjusted: Vec<Adjusted>,
    /// Modules condemned with points open: entry, module, reason.
    pub overridden: Vec<(u64, PartId, String)>,
    /// The repair.
    pub repair: Option<Repair>,
    /// Scans, the oldest first.
    pub scans: Vec<Scan>,
    /// Identifications: entry and modules, the oldest first.
    pub identities: Vec<(u64, Vec<Identity>)>,
    /// What was done since codes were cleared last that modules may complain about.
    pub doings: Vec<Doing>,
    /// Clearings: entry and modules, the oldest first.
    pub clears: Vec<(u64, Vec<PartId>)>,
    /// Signed off.
    pub signed_off: bool,
}

impl Case {
    /// Adds up a ledger.
    pub fn of<'e>(
        model: &Model,
        entries: impl IntoIterator<Item = &'e Numbered, IntoIter: Clone>,
    ) -> Self {
        let entries = entries.into_iter();
        let mut doubted = BTreeMap::new();
        for e in entries.clone() {
            if let Entry::Doubted { number, doubted: on } = e.entry {
                doubted.insert(number, on);
            }
        }
        let mut case = Self {
            doubted: doubted.into_iter().filter(|(_, on)| *on).map(|(n, _)| n).collect(),
            ..Self::default()
        };
        for e in entries {
            case.add(model, e);
        }
        case
    }

    fn add(&mut self, model: &Model, e: &Numbered) {
        match &e.entry {
            Entry::Intake { intake } => {
                // A corrected complaint takes the place of the first one.
                let told = self.told.replace(e.number);
                self.evidence.retain(|(n, _)| Some(*n) != told);
                self.intake = intake.clone();
                if let Some(evidence) = complaint(model, intake) {
                    self.evidence_of(e.number, evidence);
                }
            }
            Entry::Symptom { present } => self.present = *present,
            // What speaks of equipment that is not fitted after all bears on nothing.
            Entry::State { state } if model.circuit.check_state(state).is_err() => {}
            Entry::Scan { state, .. } | Entry::RollCall { state, .. }
                if model.circuit.check_state(state).is_err() => {}
            Entry::Found { evidence, .. } if !evidence.fits(model) => {}
            Entry::State { state } => {
                self.state = state.clone();
                self.key_off =
                    Some(e.number).filter(|_| state.key == KeyPosition::Off).or(self.key_off);
                self.unplugged(model, state);
            }
            Entry::Scan { state, modules } => {
                self.unplugged(model, state);
                let own = own::made(model, &self.doings);
                let feeds = |e: &Evidence| match code_of(model, &e.finding) {
                    Feeds::Not => false,
                    Feeds::Failing(m) => !own.iter().any(|o| o.makes(model, state, m)),
                    Feeds::Silent(module) => !own.iter().any(|o| o.silences(state, module)),
                    Feeds::Yes => true,
                };
                for mut found in scan_evidence(state, modules).into_iter().filter(feeds) {
                    found.present = self.present;
                    found.moment = e.number;
                    self.evidence_of(e.number, found);
                }
                self.scans.push(Scan {
                    number: e.number,
                    at: e.at.clone(),
                    state: state.clone(),
                    modules: modules.clone(),
                    doings: self.doings.clone(),
                });
            }
            Entry::RollCall { state, call } => {
                let known = |e: &Evidence| !matches!(code_of(model, &e.finding), Feeds::Not);
                let all = call.evidence(state, self.present, e.number);
                for found in all.into_iter().filter(known) {
                    self.evidence_of(e.number, found);
                }
            }
            Entry::Identified { modules } => self.identities.push((e.number, modules.clone())),
            Entry::Cleared { modules } => {
                self.clears.push((e.number, modules.clone()));
                // What is still unplugged goes on making codes, and who was not cleared keeps them.
                let state = self.state.clone();
                let left = |d: &Doing| {
                    let made = own::made(model, std::slice::from_ref(d));
                    made.iter().any(|o| o.monitor.is_some() && !modules.contains(&o.module))
                };
                self.doings.retain(|d| d.tool.is_none() && d.state == state || left(d));
            }
            Entry::Found { evidence, .. } => {
                self.unplugged(model, &evidence.state);
                if let Finding::Reading { instrument, red, black, .. } = &evidence.finding
                    && instrument.loads()
                {
                    let probe =
                        Probe { instrument: *instrument, red: red.clone(), black: black.clone() };
                    self.done(model, &evidence.state, Some(probe));
                }
                self.evidence_of(e.number, evidence.clone());
            }
            Entry::Captured { capture } => self.captures.push(capture.clone()),
            Entry::Writing { write } => {
                let (number, write) = (e.number, write.clone());
                self.writes.push(setup::Write { number, write, outcome: None, as_before: false });
            }
            Entry::Written { number, holds, as_before } => {
                for w in self.writes.iter_mut().filter(|w| w.number == *number) {
                    (w.outcome, w.as_before) = (Some(*holds), *as_before);
                }
            }
            Entry::SelfTested { state, modules } => {
                let kept = modules.iter().cloned().map(|found| self_test::Kept {
                    number: e.number,
                    state: state.clone(),
                    found,
                });
                self.self_tests.extend(kept);
            }
            Entry::LiveKept { recording } => self.recordings.push(recording.clone()),
            Entry::Followed { procedure, trouble, recording } => {
                self.recordings.push(recording.clone());
                let of = model.circuit.vehicle.procedures.iter().find(|p| p.id == *procedure);
                let learned = of.filter(|_| trouble.is_empty()).map(|p| p.teaches.clone());
                self.taught.extend(learned.map(|setting| (e.number, setting)));
            }
            Entry::Taught { setting, trouble, .. } => {
                self.taught.extend(trouble.is_empty().then(|| (e.number, setting.clone())));
            }
            Entry::Decided { decision } => self.decision = Some((e.number, decision.clone())),
            Entry::Kept { records } => {
                self.kept.extend(records.iter().map(|r| (e.number, r.clone())));
            }
            Entry::Pictured { picture } => self.pictures.push((e.number, picture.clone())),
            Entry::Refused { check } => self.refused.push(check.clone()),
            Entry::Adjusted { adjusted } => {
                self.adjusted.retain(|a| a.item != adjusted.item);
                if adjusted.factor != 1.0 {
                    self.adjusted.push(adjusted.clone());
                }
            }
            Entry::Overridden { module, reason } => {
                self.overridden.push((e.number, module.clone(), reason.clone()));
            }
            Entry::Repaired { item, text, probability, proven, beside } => {
                self.repair = Some(Repair {
                    number: e.number,
                    item: item.clone(),
                    text: text.clone(),
                    probability: *probability,
                    proven: *proven,
                    beside: beside.clone(),
                });
            }
            Entry::SignedOff { .. } => self.signed_off = true,
            Entry::Reopened { .. } => self.signed_off = false,
            Entry::Doubted { .. } | Entry::Note { .. } | Entry::Unreadable { .. } => {}
        }
    }

    /// Takes down that something is unplugged.
    fn unplugged(&mut self, model: &Model, state: &OperatingState) {
        if !state.is_plugged() {
            self.done(model, state, None);
        }
    }

    fn done(&mut self, model: &Model, state: &OperatingState, tool: Option<Probe>) {
        if self.doings.iter().any(|d| d.state == *state && d.tool == tool) {
            return;
        }
        let failed = |m: &ScannedModule, c: &ReadCode| {
            model.monitor_of(&m.module, c.code, c.failure_type).filter(|_| c.failing())
        };
        let before = self.scans.last().map_or_else(BTreeSet::new, |scan| {
            let all = scan.modules.iter().flat_map(|m| m.codes.iter().map(move |c| (m, c)));
            all.filter_map(|(m, c)| failed(m, c)).collect()
        });
        // What was made before and is still there was not there before one began.
        let made: BTreeSet<MonitorIx> =
            own::made(model, &self.doings).into_iter().filter_map(|o| o.monitor).collect();
        let before = before.difference(&made).copied().collect();
        self.doings.push(Doing { state: state.clone(), tool, before });
    }

    fn evidence_of(&mut self, number: u64, evidence: Evidence) {
        if !self.doubted.contains(&number) {
            let list = if self.repair.is_none() { &mut self.evidence } else { &mut self.after };
            list.push((number, evidence));
        }
    }

    /// Entry of the last clearing; none before.
    pub fn cleared(&self) -> Option<u64> {
        self.clears.last().map(|(number, _)| *number)
    }

    /// What weighs before evidence; `confirmed` is what this shop has found before, `workshop` what it has
    /// settled.
    pub fn known(&self, confirmed: BTreeMap<Item, u32>, workshop: Workshop) -> prior::Known {
        prior::Known {
            recent: self.intake.recent.clone(),
            occurs: self.intake.occurs,
            confirmed,
            adjusted: self.adjusted.clone(),
            complaint: prior::told_of(&self.believed()),
            workshop,
        }
    }

    /// Evidence before the repair, without entry numbers.
    pub fn believed(&self) -> Vec<Evidence> {
        self.evidence.iter().map(|(_, e)| e.clone()).collect()
    }

    /// What speaks about what is still wrong, with entry numbers: after a repair only what was found
    /// since.
    fn speaking(&self) -> &[(u64, Evidence)] {
        if self.repair.is_none() { &self.evidence } else { &self.after }
    }

    /// Evidence about what is still wrong.
    pub fn still(&self) -> Vec<Evidence> {
        self.speaking().iter().map(|(_, e)| e.clone()).collect()
    }

    /// Entry that a piece of [`Self::still`] came from; 0 where there is no such piece.
    pub fn entry_of(&self, piece: usize) -> u64 {
        self.speaking().get(piece).map_or(0, |(n, _)| *n)
    }
}

/// Every complaint about an output that no named state of the vehicle drives, as evidence: its state is
/// not among those that are solved ahead. Whether it can be weighed is not looked at: that takes a
/// solution of its state.
pub fn complaints(model: &Model) -> Vec<Evidence> {
    let v = &model.circuit.vehicle;
    let of = |output: &vehicle::Output| {
        [Strength::None, Strength::Weak].map(|effect| {
            let output = output.id.to_string();
            complaint(model, &Intake { output, effect: Some(effect), ..Intake::default() })
        })
    };
    let all = v.outputs.iter().flat_map(of).flatten();
    all.filter(|e| v.states.iter().all(|named| named.state != e.state)).collect()
}

/// Parts that work in a named state without any output of a module, with that state: what a customer can
/// miss though no module drives it.
pub fn by_hand(model: &Model) -> Vec<(PartIx, OperatingState)> {
    let v = &model.circuit.vehicle;
    let mut out: Vec<(PartIx, OperatingState)> = Vec::new();
    for named in &v.states {
        for part in model.working(&named.state) {
            let driven = v.outputs.iter().any(|o| o.load == v.parts[part].id);
            if !driven && out.iter().all(|(known, _)| *known != part) {
                out.push((part, named.state.clone()));
            }
        }
    }
    out
}

/// What the customer misses: the part, and the state it should work in.
fn missed(model: &Model, intake: &Intake) -> Option<(PartId, OperatingState)> {
    let v = &model.circuit.vehicle;
    let asked = v.states.iter().find(|s| s.id == intake.shows_in).map(|s| s.state.clone());
    let Some(output) = v.outputs.iter().find(|o| o.id == intake.output) else {
        let part = model.circuit.part(&intake.output)?;
        let state = || by_hand(model).into_iter().find(|(p, _)| *p == part).map(|(_, s)| s);
        return Some((PartId::from(&intake.output), asked.or_else(state)?));
    };
    let driven = || {
        let named = v.states.iter().find(|s| s.state.outputs.contains(&output.id));
        let mut state = named.map(|s| s.state.clone()).unwrap_or_default();
        state.key = KeyPosition::On;
        state.outputs.insert(output.id.clone());
        state
    };
    Some((output.load.clone(), asked.unwrap_or_else(driven)))
}

/// The complaint as evidence: the effect of an output driven with the key on, or of a part that is switched
/// on by hand.
fn complaint(model: &Model, intake: &Intake) -> Option<Evidence> {
    let strength = intake.effect?;
    let (part, state) = missed(model, intake)?;
    // What the customer tells of is how it is when it shows.
    let finding = Finding::Effect { part, strength };
    Some(Evidence { present: Present::Yes, complaint: true, ..Evidence::new(state, finding) })
}

/// What the vehicle file knows of what a scan speaks of; what it does not have bears on nothing in it.
enum Feeds<'f> {
    Not,
    Yes,
    /// A code that fails, by its monitor.
    Failing(MonitorIx),
    /// A module that is silent.
    Silent(&'f str),
}

fn code_of<'f>(model: &Model, finding: &'f Finding) -> Feeds<'f> {
    match finding {
        Finding::Code { module, code, failure_type, failing } => {
            match model.monitor_of(module, *code, *failure_type) {
                Some(m) if *failing => Feeds::Failing(m),
                Some(_) => Feeds::Yes,
                None => Feeds::Not,
            }
        }
        Finding::Answer { module, .. } if model.circuit.part(module).is_none() => Feeds::Not,
        Finding::Answer { module, answers: false } => Feeds::Silent(module),
        _ => Feeds::Yes,
    }
}

/// What a scan says: who answers, which monitors fail now, which have run and passed.
/// A code that failed earlier and has not been tested since says nothing about now.
pub fn scan_evidence(state: &OperatingState, modules: &[ScannedModule]) -> Vec<Evidence> {
    let mut out = Vec::new();
    let mut add = |finding| out.push(Evidence::new(state.clone(), finding));
    for m in modules.iter().filter(|m| m.asked) {
        add(Finding::Answer { module: m.module.clone(), answers: m.answered });
        for c in m.codes.iter().filter(|c| c.failing() || c.tested_now()) {
            add(Finding::Code {
                module: m.module.clone(),
                code: c.code,
                failure_type: c.failure_type,
                failing: c.failing(),
            });
        }
    }
    out
}
