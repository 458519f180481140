//! The job's ledger: everything found and done, in order, and what follows from it.
//!
//! Entries are never changed: doubting or withdrawing is an entry of its own.
//! [`Case`] is what the entries add up to and can be rebuilt from them at any time.

mod entry;

pub use entry::{
    Capture, CaptureOf, Entry, Intake, Numbered, Picture, ReadCode, Recording, ScannedModule,
    SeenRestart, Suspected, TappedAt,
};

use crate::evidence::{Evidence, Finding, Present, Strength};
use crate::identity::Identity;
use crate::model::Model;
use crate::next::CannotDo;
use crate::own::{self, Doing};
use crate::plan::{Decision, KeptRecord};
use crate::prior::{self, Adjusted};
use crate::self_test;
use crate::setup;
use crate::workshop::Workshop;
use circuit::Probe;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use utoipa::ToSchema;
use vehicle::{Item, KeyPosition, MonitorIx, OperatingState, PartId, PartIx};

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
            Entry::Restarted { .. }
            | Entry::Doubted { .. }
            | Entry::Note { .. }
            | Entry::Unreadable { .. } => {}
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
