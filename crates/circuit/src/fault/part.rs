//! Parts: what can fail inside each of their elements, as the elements themselves say.

use super::{Change, Fault, item_text, rates};
use crate::compile::{Circuit, DeviceIx};
use crate::elements::{Failure, Local};
use vehicle::element::setting::BLANK;
use vehicle::{FaultId, Item, PartIx, PartKind};

pub(super) fn generate(circuit: &Circuit, p: PartIx, out: &mut Vec<Fault>) {
    let mut seen = std::collections::BTreeSet::new();
    for &d in &circuit.part_devices[p] {
        let suffix = suffix(circuit, p, circuit.devices[d].element);
        for failure in circuit.devices[d].device.failures(None) {
            let mode = format!("{}{suffix}", failure.mode);
            if failure.weight > 0.0 && seen.insert((mode.clone(), failure.number.map(f64::to_bits)))
            {
                out.push(fault(circuit, d, &mode, failure));
            }
        }
    }
    out.extend(blank(circuit, p));
}

/// Tells apart the elements of one part: the second of a kind is `@<index>`.
fn suffix(circuit: &Circuit, p: PartIx, element: usize) -> String {
    let elements = &circuit.vehicle.parts[p].elements;
    let kind = std::mem::discriminant(&elements[element]);
    let first = elements.iter().position(|e| std::mem::discriminant(e) == kind);
    if first == Some(element) { String::new() } else { format!("@{element}") }
}

fn fault(circuit: &Circuit, d: DeviceIx, mode: &str, failure: Failure) -> Fault {
    let placed = &circuit.devices[d];
    let change = match failure.local {
        Local::Law(role, law) => Change::Branch(placed.branches[role], law),
        Local::Series(role, ohms) => Change::Series(placed.branches[role], ohms),
        Local::Times(role, n) => Change::Times(placed.branches[role], n),
        Local::Hold(mode) => Change::Hold(d, mode),
        Local::NoEffect => Change::NoEffect(placed.part),
    };
    let repair_item = Item::Part(circuit.vehicle.parts[placed.part].id.clone());
    let at = pins_text(circuit, d);
    Fault {
        id: FaultId::new(repair_item.clone(), mode, failure.number),
        text: format!("{}: {}{at}", item_text(circuit, &repair_item), failure.text),
        repair_item,
        prior: failure.weight * scale(circuit, d),
        changes: vec![change],
    }
}

/// What turns the weights of an element's ways to fail into failures a year. In a module all elements
/// share what the module has; elsewhere each has its own.
fn scale(circuit: &Circuit, d: DeviceIx) -> f64 {
    let placed = &circuit.devices[d];
    let weight = |d: DeviceIx| -> f64 {
        circuit.devices[d].device.failures(None).iter().map(|f| f.weight).sum()
    };
    let all: f64 = match circuit.vehicle.parts[placed.part].kind {
        PartKind::Module | PartKind::Setup => {
            circuit.part_devices[placed.part].iter().map(|d| weight(*d)).sum()
        }
        _ => weight(d),
    };
    if all > 0.0 { rates::element(circuit, placed.part, placed.element) / all } else { 0.0 }
}

/// In a part of many elements, the pin that tells which of them is meant.
fn pins_text(circuit: &Circuit, d: DeviceIx) -> String {
    let placed = &circuit.devices[d];
    let elements = &circuit.vehicle.parts[placed.part].elements;
    match elements[placed.element].pins().first() {
        Some((_, pin)) if elements.len() > 2 => format!(" (pin {pin})"),
        _ => String::new(),
    }
}

/// A unit from its box: all its settings as they come. None of a part with one setting or none: that one says it.
fn blank(circuit: &Circuit, p: PartIx) -> Option<Fault> {
    let devices = &circuit.part_devices[p];
    if circuit.vehicle.parts[p].kind != PartKind::Setup || devices.len() < 2 {
        return None;
    }
    let as_comes = |d: &DeviceIx| {
        let failure = circuit.devices[*d].device.failures(None).into_iter().next()?;
        Some(fault(circuit, *d, &failure.mode.clone(), failure))
    };
    let each: Vec<Fault> = devices.iter().filter_map(as_comes).collect();
    let repair_item = each.first()?.repair_item.clone();
    Some(Fault {
        id: FaultId::new(repair_item.clone(), BLANK, None),
        text: format!("{}: as it comes from its box", item_text(circuit, &repair_item)),
        repair_item,
        // As likely as any one of them by itself.
        prior: each.iter().map(|f| f.prior).sum::<f64>() / each.len() as f64,
        changes: each.into_iter().flat_map(|f| f.changes).collect(),
    })
}

pub(super) fn make(circuit: &Circuit, p: PartIx, mode: &str, number: Option<f64>) -> Option<Fault> {
    if mode == BLANK {
        return blank(circuit, p).filter(|_| number.is_none());
    }
    let (name, at) = match mode.split_once('@') {
        Some((name, at)) => (name, Some(at.parse::<usize>().ok()?)),
        None => (mode, None),
    };
    circuit.part_devices[p].iter().find_map(|&d| {
        let placed = &circuit.devices[d];
        if at.is_some_and(|at| at != placed.element) {
            return None;
        }
        placed
            .device
            .failures(number)
            .into_iter()
            .find(|f| f.mode == name && f.number == number)
            .map(|f| fault(circuit, d, mode, f))
    })
}
