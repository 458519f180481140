//! What modules are set to: what each holds, what it should hold, what a write changes, what is left half done.

use crate::ledger::Case;
use crate::model::Model;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use vehicle::element::{Held, Setting, setting};
use vehicle::vin::DID as VIN;
use vehicle::{PartId, SignalId, SignalIx, SignalSource, Transfer, Vehicle, hex};

/// Something written to a module, with what was there before: the way back.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct RecordWrite {
    /// The module.
    pub module: PartId,
    /// Identifier of the record, or of the identity.
    pub did: u16,
    /// What was there, two hexadecimal digits a byte.
    pub old: String,
    /// What is written, likewise.
    pub new: String,
}

/// A write that was begun.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Write {
    /// Number of its entry.
    pub number: u64,
    /// What was to be written.
    #[serde(flatten)]
    pub write: RecordWrite,
    /// Whether it was read back as it was written; none where nobody knows how it ended.
    pub outcome: Option<bool>,
    /// It was refused, and what was there before is there still.
    pub as_before: bool,
}

/// A field that a write changes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct FieldChange {
    /// What it is called.
    pub name: String,
    /// What it held, in words.
    pub from: String,
    /// What it is to hold.
    pub to: String,
}

/// The signal with which a module tells a setting.
pub fn told_by(vehicle: &Vehicle, id: &str) -> Option<SignalIx> {
    let tells = |s: &vehicle::Signal| matches!(&s.from, SignalSource::Setting(of) if of == id);
    vehicle.signals.position(tells)
}

/// A value of a setting in words.
pub fn in_word(vehicle: &Vehicle, setting: &Setting, value: f64) -> String {
    let told = told_by(vehicle, &setting.id);
    let physical = told.and_then(|k| vehicle.signals[k].physical.as_ref());
    let name = physical.and_then(|p| match &p.transfer {
        named @ Transfer::Named(_) => named.name(value),
        _ => None,
    });
    name.map_or_else(|| format!("{value}"), str::to_owned)
}

/// What a record should be: as it is, with every field that is a setting as on a sound vehicle.
pub fn as_it_should(vehicle: &Vehicle, module: &str, did: u16, now: &[u8]) -> Vec<u8> {
    let mut record = now.to_vec();
    for s in vehicle.settings().filter(|s| s.module == *module) {
        if let Held::Record { did: own, bit, bits } = s.held
            && own == did
        {
            setting::put(&mut record, bit, bits, s.sound as u32);
        }
    }
    record
}

/// A record built from the equipment: every field as on a sound vehicle, the rest as it left the factory; none of
/// what is no record.
pub fn built(vehicle: &Vehicle, module: &str, did: u16) -> Option<Vec<u8>> {
    let of = vehicle.parts.iter().find(|p| p.id == *module)?.module.as_ref()?;
    let factory = of.configuration.get(&format!("{did:04X}"))?.bytes()?;
    Some(as_it_should(vehicle, module, did, &factory))
}

/// What a write changes, field by field; bytes that no field names are told as such.
pub fn changes(vehicle: &Vehicle, write: &RecordWrite) -> Vec<FieldChange> {
    let (Some(old), Some(new)) = (hex::bytes(&write.old), hex::bytes(&write.new)) else {
        return Vec::new();
    };
    if write.did == VIN {
        let text = |b: &[u8]| String::from_utf8_lossy(b).into_owned();
        let change = FieldChange { name: "Identity".into(), from: text(&old), to: text(&new) };
        return (old != new).then_some(change).into_iter().collect();
    }
    let (mut out, mut left) = (Vec::new(), old.clone());
    for s in vehicle.settings().filter(|s| s.module == write.module) {
        let Held::Record { did, bit, bits } = s.held else { continue };
        let both = setting::field(&old, bit, bits).zip(setting::field(&new, bit, bits));
        let Some((a, b)) = both.filter(|(a, b)| a != b && did == write.did) else { continue };
        setting::put(&mut left, bit, bits, b);
        let word = |v: u32| in_word(vehicle, s, f64::from(v));
        out.push(FieldChange { name: s.name.clone(), from: word(a), to: word(b) });
    }
    if left != new {
        out.push(FieldChange {
            name: "Other bytes".into(),
            from: hex::digits(&left),
            to: hex::digits(&new),
        });
    }
    out
}

/// Changes in a line.
pub fn in_words(changes: &[FieldChange]) -> String {
    let each = changes.iter().map(|c| format!("{}: {} → {}", c.name, c.from, c.to));
    each.collect::<Vec<_>>().join("; ")
}

/// How a setting is set.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SetBy {
    /// A record is written.
    Record,
    /// The vehicle's identity is written.
    Identity,
    /// A routine teaches it.
    Routine,
}

/// A setting as the screen shows it.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SettingView {
    /// Id.
    pub id: String,
    /// What a technician calls it.
    pub name: String,
    /// What sets it.
    pub set_by: SetBy,
    /// Identifier of its record or identity; none for what is taught.
    pub did: Option<u16>,
    /// The signal that tells what the module holds.
    pub signal: Option<SignalId>,
    /// What it holds on a sound vehicle, in words.
    pub should: String,
    /// What must hold before it can be taught.
    pub needs: Vec<String>,
    /// The procedure that teaches it, where it is learned while the vehicle is used: its id.
    pub procedure: Option<String>,
    /// Something was worked on lately after which it has to be set anew.
    pub due: bool,
    /// Other modules that have to hold the same.
    pub same_in: Vec<PartId>,
}

/// What a module is set to.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SetupView {
    /// Repair item of it: the part of the kind `setup`.
    pub part: PartId,
    /// The module.
    pub module: PartId,
    /// Its name.
    pub module_name: String,
    /// What it holds.
    pub settings: Vec<SettingView>,
}

/// What must hold before a setting can be taught, in words.
pub fn needs_of(s: &Setting) -> Vec<String> {
    let Held::Learned { needs, codes_gone, .. } = &s.held else { return Vec::new() };
    let gone = codes_gone.iter().map(|c| format!("{c} gone"));
    needs.iter().map(|n| n.name.clone()).chain(gone).collect()
}

fn same_in(vehicle: &Vehicle, s: &Setting) -> Vec<PartId> {
    let of = vehicle.agreements.iter().filter(|a| a.settings.contains(&s.id));
    let others = of.flat_map(|a| &a.settings).filter(|id| **id != s.id);
    let module = |id: &String| vehicle.settings().find(|o| o.id == *id).map(|o| o.module.clone());
    others.filter_map(module).collect()
}

/// What every module is set to; those first of which something has to be set anew after recent work.
pub fn list(model: &Model, case: &Case) -> Vec<SetupView> {
    let v = &model.circuit.vehicle;
    let worked_on: Vec<&str> = case.intake.recent.iter().map(|r| r.at.as_str()).collect();
    let is_due = |s: &Setting| {
        let mut after = s.after.iter().chain([&s.module]);
        after.any(|p| worked_on.contains(&p.as_str()))
    };
    let one = |s: &Setting| {
        let (set_by, did, needs) = match &s.held {
            Held::Record { did, .. } => (SetBy::Record, Some(*did), Vec::new()),
            Held::Identity => (SetBy::Identity, Some(VIN), Vec::new()),
            Held::Learned { .. } => (SetBy::Routine, None, needs_of(s)),
        };
        SettingView {
            id: s.id.clone(),
            name: s.name.clone(),
            set_by,
            did,
            signal: told_by(v, &s.id).map(|k| v.signals[k].id.clone()),
            should: in_word(v, s, s.sound),
            needs,
            procedure: v.procedures.iter().find(|p| p.teaches == s.id).map(|p| p.id.clone()),
            due: is_due(s),
            same_in: same_in(v, s),
        }
    };
    let of = |p: &vehicle::Part| {
        let settings: Vec<&Setting> = p.elements.iter().filter_map(|e| e.setting()).collect();
        let module = settings.first()?.module.clone();
        let name = v.parts.iter().find(|m| m.id == module).map(|m| m.name.clone());
        Some(SetupView {
            part: p.id.clone(),
            module,
            module_name: name.unwrap_or_default(),
            settings: settings.into_iter().map(one).collect(),
        })
    };
    let mut all: Vec<SetupView> = v.parts.iter().filter_map(of).collect();
    all.sort_by_key(|s| !s.settings.iter().any(|s| s.due));
    all
}

/// Writes of which nobody knows how they ended, or that read otherwise: to be finished or put back. What was
/// written to the same place later settles it.
pub fn half_done(case: &Case) -> Vec<&Write> {
    let is_settled = |w: &Write| {
        let same = |o: &&Write| (&o.write.module, o.write.did) == (&w.write.module, w.write.did);
        case.writes.iter().filter(same).any(|o| o.number > w.number && o.outcome == Some(true))
    };
    let is_open = |w: &&Write| w.outcome != Some(true) && !w.as_before && !is_settled(w);
    case.writes.iter().filter(is_open).collect()
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    fn wren() -> Vehicle {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        Vehicle::from_json(&std::fs::read_to_string(path).unwrap()).unwrap()
    }

    fn write(module: &str, did: u16, old: &str, new: &str) -> RecordWrite {
        RecordWrite { module: module.into(), did, old: old.into(), new: new.into() }
    }

    #[test]
    fn a_write_is_told_field_by_field_and_what_no_field_names_is_not_passed_over() {
        let v = wren();
        // One-touch is the two highest bits: 01 is fitted.
        let told = changes(&v, &write("A20", 0x0601, "0000", "4000"));
        assert_eq!(in_words(&told), "One-touch window: not coded → fitted");
        let told = changes(&v, &write("A20", 0x0601, "0000", "4001"));
        assert_eq!(told.last().unwrap().name, "Other bytes");
        assert!(changes(&v, &write("A20", 0x0601, "4000", "4000")).is_empty());
        assert_eq!(as_it_should(&v, "A20", 0x0601, &[0x3F, 0x12]), [0x7F, 0x12]);
        assert_eq!(changes(&v, &write("A20", VIN, "41", "42"))[0].to, "B");
    }

    #[test]
    fn what_broke_off_is_open_until_the_same_place_was_written() {
        let at = |number, module: &str, outcome| Write {
            number,
            write: write(module, 0x0601, "00", "01"),
            outcome,
            as_before: false,
        };
        let open = |writes: Vec<Write>| -> Vec<u64> {
            let case = Case { writes, ..Case::default() };
            half_done(&case).iter().map(|w| w.number).collect()
        };
        assert_eq!(open(vec![at(3, "A20", None)]), [3]);
        assert_eq!(open(vec![at(3, "A20", Some(false))]), [3]);
        assert!(open(vec![at(3, "A20", None), at(5, "A20", Some(true))]).is_empty());
        // Another module's write settles nothing, nor does one before it.
        assert_eq!(open(vec![at(3, "A20", None), at(5, "A21", Some(true))]), [3]);
        assert_eq!(open(vec![at(3, "A20", Some(true)), at(5, "A20", None)]), [5]);
    }
}
