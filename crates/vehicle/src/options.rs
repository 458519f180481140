//! Equipment: what a vehicle of this file may have been built without (N12).

use crate::element::{Element, Held, Setting, setting};
use crate::{ConnectorId, OutputId, PartId, PartKind, SignalId, SignalSource, Vehicle, WireId};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// Parts that are fitted together or not at all.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Equipment {
    /// Unique name.
    pub id: String,
    /// What a technician calls it.
    pub name: String,
    /// The parts it brings; conductors that end at them come and go with them.
    pub parts: Vec<PartId>,
    /// What other parts have inside only where it is missing: a terminator in the module that a bus ends at
    /// then.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub without: BTreeMap<PartId, Vec<Element>>,
}

impl Vehicle {
    /// The vehicle without some equipment: its parts, their connectors and conductors, and all
    /// software that speaks of them are gone.
    #[must_use]
    pub fn without_equipment(&self, missing: &BTreeSet<String>) -> Self {
        let mut v = self.clone();
        if missing.is_empty() {
            return v;
        }
        let gone: BTreeSet<&str> = (self.options.iter())
            .filter(|o| missing.contains(&o.id))
            .flat_map(|o| o.parts.iter().map(PartId::as_str))
            .collect();
        let inside =
            self.options.iter().filter(|o| missing.contains(&o.id)).flat_map(|o| &o.without);
        for (id, elements) in inside {
            if let Some(part) = v.parts.iter_mut().find(|p| p.id == *id) {
                part.elements.extend(elements.iter().cloned());
            }
        }
        v.options.retain(|o| !missing.contains(&o.id));
        v.parts.retain(|p| !gone.contains(p.id.as_str()));
        // What nobody holds any more is gone with who held it.
        for part in v.parts.iter_mut().filter(|p| p.kind == PartKind::Setup) {
            let stays = |s: &Setting| !gone.contains(s.module.as_str());
            part.elements.retain(|e| e.setting().is_none_or(stays));
            for element in &mut part.elements {
                if let Element::Setting(s) = element {
                    s.after.retain(|p| !gone.contains(p.as_str()));
                    let other = s.without.iter().find(|(o, _)| missing.contains(*o));
                    if let Some(value) = other.map(|(_, value)| *value) {
                        // What is right here was wrong with it, and what was right is wrong.
                        for w in s.wrong.iter_mut().filter(|w| w.value == value) {
                            (w.value, w.text) = (s.sound, "coded for more equipment".to_owned());
                        }
                        s.sound = value;
                    }
                    s.without.retain(|o, _| !missing.contains(o));
                }
            }
        }
        v.parts.retain(|p| p.kind != PartKind::Setup || !p.elements.is_empty());
        v.record_copies
            .retain(|c| !gone.contains(c.module.as_str()) && !gone.contains(c.kept_by.as_str()));
        let held: BTreeSet<String> = v.settings().map(|s| s.id.clone()).collect();
        for agreement in &mut v.agreements {
            agreement.settings.retain(|s| held.contains(s));
        }
        v.agreements.retain(|a| a.settings.len() > 1);
        v.set_records();
        v.connectors.retain(|c| c.part.as_ref().is_none_or(|p| !gone.contains(p.as_str())));
        let mut ends = v.cavity_ids();
        ends.extend(v.splices.iter().map(|s| s.id.to_string()));
        ends.extend(v.grounds.iter().map(|g| g.id.to_string()));
        v.wires.retain(|w| ends.contains(&w.from) && ends.contains(&w.to));
        let wires: BTreeSet<WireId> = v.wires.iter().map(|w| w.id.clone()).collect();
        for place in &mut v.places {
            place.beside.retain(|(a, b)| wires.contains(a) && wires.contains(b));
        }
        v.without_software(&gone);
        v
    }

    /// Lets the records of the modules hold what a sound vehicle with this equipment has.
    fn set_records(&mut self) {
        let fields: Vec<(PartId, String, usize, usize, f64)> = (self.settings())
            .filter_map(|s| match s.held {
                Held::Record { did, bit, bits } => {
                    Some((s.module.clone(), format!("{did:04X}"), bit, bits, s.sound))
                }
                _ => None,
            })
            .collect();
        for (module, did, bit, bits, sound) in fields {
            let own =
                self.parts.iter_mut().find(|p| p.id == module).and_then(|p| p.module.as_mut());
            if let Some(record) = own.and_then(|m| m.configuration.get_mut(&did))
                && let Some(mut bytes) = record.bytes()
            {
                setting::put(&mut bytes, bit, bits, sound as u32);
                record.value = crate::hex::digits(&bytes);
            }
        }
    }

    fn without_software(&mut self, gone: &BTreeSet<&str>) {
        let stays = |id: &PartId| !gone.contains(id.as_str());
        self.outputs.retain(|o| stays(&o.module));
        let outputs: BTreeSet<OutputId> = self.outputs.iter().map(|o| o.id.clone()).collect();
        self.messages.retain(|m| stays(&m.sender));
        let messages: BTreeSet<String> = self.messages.iter().map(|m| m.id.clone()).collect();
        self.signals.retain(|s| {
            stays(&s.module)
                && match &s.from {
                    SignalSource::Output(output) | SignalSource::Duty(output) => {
                        outputs.contains(output)
                    }
                    SignalSource::Arrives(message) | SignalSource::Received { message, .. } => {
                        messages.contains(message)
                    }
                    SignalSource::Rate { ring, .. } => stays(ring),
                    SignalSource::Formula(_)
                    | SignalSource::Setting(_)
                    | SignalSource::Amps { .. }
                    | SignalSource::PinVolts { .. } => true,
                }
        });
        // What is worked out of a value that is gone is gone, and what is worked out of that.
        loop {
            let known: BTreeSet<SignalId> = self.signals.iter().map(|s| s.id.clone()).collect();
            let before = self.signals.len();
            self.signals.retain(|s| s.from.inputs().into_iter().all(|i| known.contains(i)));
            if self.signals.len() == before {
                break;
            }
        }
        let signals: BTreeSet<SignalId> = self.signals.iter().map(|s| s.id.clone()).collect();
        // What cannot be taught any more, or not be seen, is no procedure.
        let lessons: BTreeSet<String> = self.settings().map(|s| s.id.clone()).collect();
        self.procedures.retain(|p| {
            lessons.contains(&p.teaches) && p.signals().iter().all(|s| signals.contains(s))
        });
        let known = |c: &crate::Condition| c.signals().into_iter().all(|s| signals.contains(s));
        self.functions.retain(|f| outputs.contains(&f.output) && known(&f.condition()));
        for output in &mut self.outputs {
            output.needs.retain(|n| known(&n.holds));
            output.other_way = output.other_way.take().filter(|o| outputs.contains(o));
        }
        self.monitors.retain(|m| {
            stays(&m.module) && known(&m.fails) && m.enable.as_ref().is_none_or(&known)
        });
        let connectors: BTreeSet<ConnectorId> =
            self.connectors.iter().map(|c| c.id.clone()).collect();
        let parts: BTreeSet<PartId> = self.parts.iter().map(|p| p.id.clone()).collect();
        let states = self.states.iter_mut().map(|named| &mut named.state);
        for state in states.chain(self.profiles.iter_mut().map(|p| &mut p.begins)) {
            state.outputs.retain(|o| outputs.contains(o));
            state.switches.retain(|s, _| parts.contains(s));
            state.unplugged.retain(|c| connectors.contains(c) || parts.contains(c.as_str()));
        }
    }
}
