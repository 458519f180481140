//! What the modules of the simulated vehicle hold: as the hidden fault left it, until it is written or taught.

use crate::world::World;
use circuit::software::procedure::{self, Run, Sample, Stands};
use circuit::{Change, Circuit, fault};
use std::time::Duration;
use vehicle::element::{Held, Setting, setting};
use vehicle::{Item, Origin, PartIx, SignalId};

/// How long a module takes to learn something.
const LEARNS: Duration = Duration::from_secs(2);

/// A routine that teaches.
#[derive(Debug, Clone)]
pub(crate) struct Lesson {
    /// What is learned.
    setting: String,
    passed: Duration,
    stopped: bool,
    /// Where it is learned while the vehicle is used: how far that is, as the module sees it at its pins.
    run: Option<Run>,
}

impl Lesson {
    /// Whether it goes on.
    pub(crate) fn is_running(&self) -> bool {
        !self.stopped
            && match &self.run {
                Some(run) => *run.stands() == Stands::Running,
                None => self.passed < LEARNS,
            }
    }

    /// Whether all of it was learned.
    fn is_learned(&self) -> bool {
        match &self.run {
            Some(run) => *run.stands() == Stands::Passed,
            None => self.passed >= LEARNS,
        }
    }

    /// How far it is, percent.
    pub(crate) fn percent(&self) -> u8 {
        match &self.run {
            Some(run) => {
                let stages = run.of().stages.len().max(1);
                (100 * run.stage().map_or(stages, |(k, _)| k) / stages) as u8
            }
            None => (100.0 * self.passed.as_secs_f64() / LEARNS.as_secs_f64()).min(100.0) as u8,
        }
    }

    /// Ends it; what was not learned to the end is not learned.
    pub(crate) fn stop(&mut self) {
        self.stopped = true;
    }
}

impl World {
    /// Settings of a module.
    pub(crate) fn settings_of(&self, part: PartIx) -> Vec<Setting> {
        let module = &self.circuit.vehicle.parts[part].id;
        self.circuit.vehicle.settings().filter(|s| s.module == *module).cloned().collect()
    }

    /// What a module holds of a setting now.
    pub(crate) fn holds(&self, setting: &Setting) -> f64 {
        if let Some(set) = self.held.get(&setting.id) {
            return *set;
        }
        let branch = self.circuit.settings().find(|(s, _)| s.id == setting.id).map(|(_, b)| b);
        let wrong = setting.wrong.iter().map(|w| w.value).find(|value| {
            let change = branch.map(|b| Circuit::holds(b, *value));
            self.hidden.iter().any(|f| f.changes.iter().any(|c| Some(*c) == change))
        });
        wrong.unwrap_or(setting.sound)
    }

    /// Changes of the hidden faults, with what was written and taught in their place.
    pub(crate) fn as_set(&self, hidden: Vec<Change>) -> Vec<Change> {
        let set: Vec<(circuit::BranchId, f64)> = self
            .circuit
            .settings()
            .filter_map(|(s, branch)| Some((branch, *self.held.get(&s.id)?)))
            .collect();
        let is_set =
            |c: &Change| matches!(c, Change::Branch(b, _) if set.iter().any(|s| s.0 == *b));
        let left = hidden.into_iter().filter(|c| !is_set(c));
        left.chain(set.iter().map(|(b, value)| Circuit::holds(*b, *value))).collect()
    }

    /// Sets what a module holds from now on.
    pub(crate) fn set_to(&mut self, setting: &Setting, value: f64) {
        self.held.insert(setting.id.clone(), value);
        self.forget_solved();
    }

    /// A configuration record as it is now, with the fields that settings are.
    pub(crate) fn record_now(&self, part: PartIx, did: u16) -> Option<Vec<u8>> {
        let mut record = self.setting(part, did)?;
        for s in self.settings_of(part) {
            if let Held::Record { did: own, bit, bits } = s.held
                && own == did
            {
                setting::put(&mut record, bit, bits, self.holds(&s) as u32);
            }
        }
        Some(record)
    }

    /// Takes a record that was written: its fields are what the module is set to.
    pub(crate) fn write_record(&mut self, part: PartIx, did: u16, data: &[u8]) {
        self.configured.insert((part, did), data.to_vec());
        for s in self.settings_of(part) {
            if let Held::Record { did: own, bit, bits } = s.held
                && own == did
                && let Some(value) = setting::field(data, bit, bits)
            {
                self.set_to(&s, f64::from(value));
            }
        }
    }

    /// The vehicle's identity as a module holds it.
    pub(crate) fn identity(&self, part: PartIx) -> String {
        if let Some(written) = self.written.get(&part) {
            return written.clone();
        }
        let is_foreign = |s: &Setting| matches!(s.held, Held::Identity) && self.holds(s) != s.sound;
        match self.settings_of(part).iter().any(is_foreign) {
            // Of another vehicle: the same type, another number.
            true => self
                .vin
                .chars()
                .rev()
                .skip(6)
                .collect::<Vec<_>>()
                .into_iter()
                .rev()
                .chain("908172".chars())
                .collect(),
            false => self.vin.clone(),
        }
    }

    /// Takes an identity that was written.
    pub(crate) fn write_identity(&mut self, part: PartIx, identity: String) {
        let own = identity == self.vin;
        self.written.insert(part, identity);
        for s in self.settings_of(part) {
            if matches!(s.held, Held::Identity) {
                let foreign = s.wrong.first().map_or(s.sound, |w| w.value);
                self.set_to(&s, if own { s.sound } else { foreign });
            }
        }
    }

    /// What is at the pin of a signal, where its module believes it.
    fn believed(&mut self, id: &SignalId) -> Option<f64> {
        let of = self.circuit.vehicle.signals.iter().find(|s| s.id == *id)?;
        let (module, physical) = (self.circuit.part(&of.module)?, of.physical.clone());
        let works = self.alive(module);
        let value = self.signal(id);
        (works && physical.is_none_or(|p| p.believes(value))).then_some(value)
    }

    /// Ends what a module is being taught; what was not learned to the end is not learned.
    pub(crate) fn end_lessons(&mut self, part: PartIx) {
        let own = self.lessons.iter_mut().filter(|((of, _), l)| *of == part && l.is_running());
        own.for_each(|(_, lesson)| lesson.stop());
    }

    /// Another unit is in the place of a part: it holds what such one comes with, and what was learned with the old
    /// one is worth nothing.
    pub(crate) fn replaced(&mut self, item: &Item, origin: Origin, differs: &[String]) {
        let Some(part) = item.as_part().map(str::to_owned) else { return };
        let all: Vec<Setting> = self.circuit.vehicle.settings().cloned().collect();
        for s in all.iter().filter(|s| s.module == *part || s.after.iter().any(|a| *a == *part)) {
            let comes = match (origin, &s.held) {
                (Origin::Used, Held::Record { .. }) => s.wrong.last(),
                _ => s.wrong.first(),
            };
            if let Some(value) = comes.map(|w| w.value) {
                self.set_to(s, value);
            }
        }
        if let Some(module) = self.circuit.part(&part) {
            self.configured.retain(|(of, _), _| *of != module);
            self.written.remove(&module);
            self.end_lessons(module);
        }
        let found = differs.iter().filter_map(|id| fault::by_id(&self.circuit, id).ok());
        let found: Vec<_> = found.collect();
        self.hidden.extend(found);
        self.forget_solved();
    }

    /// Begins to teach a setting.
    pub(crate) fn teach(&mut self, part: PartIx, routine: u16, setting: &Setting) {
        let of = self.circuit.vehicle.procedures.iter().find(|p| p.teaches == setting.id);
        let run = of.map(|of| Run::new(procedure::at_pins(&self.circuit, of)));
        let setting = setting.id.clone();
        let lesson = Lesson { setting, passed: Duration::ZERO, stopped: false, run };
        self.lessons.insert((part, routine), lesson);
    }

    /// Lets what is being taught go on.
    pub(crate) fn learn_on(&mut self, by: Duration) {
        let mut learned = Vec::new();
        let mut lessons = std::mem::take(&mut self.lessons);
        for lesson in lessons.values_mut().filter(|l| l.is_running()) {
            lesson.passed += by;
            let at_s = lesson.passed.as_secs_f64();
            if let Some(run) = &mut lesson.run {
                let values = run.of().signals().into_iter();
                let seen = values.filter_map(|s| Some((s.clone(), self.believed(&s)?)));
                run.take(&Sample { at_s, values: seen.collect() });
            }
            if lesson.is_learned() {
                learned.push(lesson.setting.clone());
            }
        }
        self.lessons = lessons;
        for id in learned {
            let setting = self.circuit.vehicle.settings().find(|s| s.id == id).cloned();
            if let Some(s) = setting {
                self.set_to(&s, s.sound);
            }
        }
    }
}
