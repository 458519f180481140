//! Parts: what can fail inside each kind of element.

use super::{Change, Fault, item_text, ohms_text};
use crate::compile::Circuit;
use crate::law::Law;
use vehicle::Element;

/// Name, number, weight, words, and the change on the element's device.
type Mode = (&'static str, Option<f64>, f64, String);

fn modes(element: &Element) -> Vec<Mode> {
    let m = |name, weight, text: &str| (name, None, weight, text.to_owned());
    match element {
        Element::Battery { .. } => [0.05, 0.2, 0.6]
            .map(|r| {
                let text = format!("weak, internal resistance {}", ohms_text(r));
                ("weak", Some(r), 0.8, text)
            })
            .into(),
        Element::Generator { .. } => vec![m("dead", 1.0, "does not charge")],
        Element::Fuse { .. } => vec![m("open", 2.0, "blown")],
        Element::Resistor { .. } => vec![m("open", 1.0, "open")],
        Element::Relay { .. } => vec![
            m("coil_open", 0.8, "coil open"),
            m("contact_open", 1.2, "contact does not close"),
            m("welded", 0.5, "contact welded"),
            ("contact_series", Some(0.47), 0.3, "contact burnt, 0.47 Ω".into()),
            ("contact_series", Some(2.2), 0.3, "contact burnt, 2.2 Ω".into()),
            ("contact_series", Some(10.0), 0.3, "contact burnt, 10 Ω".into()),
        ],
        Element::Contact { .. } => vec![
            m("stuck_open", 0.6, "a contact does not close"),
            m("stuck_closed", 0.3, "a contact does not open"),
        ],
        Element::Motor { .. } => vec![
            m("open", 1.2, "winding or brushes open"),
            m("shorted", 0.3, "winding shorted"),
            m("blocked", 0.8, "blocked"),
            ("brushes", Some(1.0), 0.4, "worn brushes, 1 Ω more".into()),
            ("brushes", Some(3.3), 0.4, "worn brushes, 3.3 Ω more".into()),
            ("brushes", Some(10.0), 0.4, "worn brushes, 10 Ω more".into()),
            m("no_effect", 1.0, "runs, but nothing comes of it (mechanical)"),
        ],
        Element::Supply { .. } => vec![m("dead", 0.3, "does not work though supplied")],
        Element::Input { .. } => vec![m("dead", 0.1, "input dead")],
        Element::LowSide { .. } => vec![
            m("driver_open", 0.15, "a driver does not switch on"),
            m("driver_shorted", 0.1, "a driver does not switch off"),
        ],
    }
}

pub(super) fn generate(circuit: &Circuit, p: usize, out: &mut Vec<Fault>) {
    let mut seen = std::collections::BTreeSet::new();
    for device in circuit.devices.iter().filter(|d| d.part == p) {
        let element = &circuit.vehicle.parts[p].elements[device.element];
        for (name, number, ..) in modes(element) {
            let mode = format!("{name}{}", suffix(circuit, p, device.element));
            if seen.insert((mode.clone(), number.map(f64::to_bits))) {
                out.extend(make(circuit, p, &mode, number));
            }
        }
    }
}

/// Tells apart the elements of one part: the second of a kind is `@<index>`.
fn suffix(circuit: &Circuit, p: usize, element: usize) -> String {
    let elements = &circuit.vehicle.parts[p].elements;
    let kind = std::mem::discriminant(&elements[element]);
    let first = elements.iter().position(|e| std::mem::discriminant(e) == kind);
    if first == Some(element) { String::new() } else { format!("@{element}") }
}

fn change(circuit: &Circuit, d: usize, name: &str, number: Option<f64>) -> Option<Change> {
    let placed = &circuit.devices[d];
    let branch = placed.branches[0];
    let mode_law = |role: usize, mode: u8| placed.device.law(role, mode);
    Some(match (name, number) {
        ("weak", Some(r)) => {
            let Law::Source { volts, .. } = mode_law(0, 0) else {
                return None;
            };
            Change::Branch(branch, Law::Source { volts, ohms: r })
        }
        ("open" | "coil_open", None) => Change::Branch(branch, Law::OPEN),
        ("dead", None) => match circuit.vehicle.parts[placed.part].elements[placed.element] {
            Element::Input { .. } => Change::Branch(branch, Law::OPEN),
            _ => Change::Hold(d, 0),
        },
        ("contact_open", None) => Change::Branch(placed.branches[1], Law::OPEN),
        ("welded", None) => Change::Branch(placed.branches[1], mode_law(1, 1)),
        ("contact_series", Some(r)) => Change::Series(placed.branches[1], r),
        ("brushes", Some(r)) => Change::Series(branch, r),
        ("stuck_open" | "driver_open", None) => Change::Hold(d, 0),
        ("stuck_closed" | "driver_shorted" | "blocked", None) => Change::Hold(d, 1),
        ("shorted", None) => Change::Branch(branch, Law::Ohms(0.1)),
        ("no_effect", None) => Change::NoEffect(placed.part),
        _ => return None,
    })
}

pub(super) fn make(circuit: &Circuit, p: usize, mode: &str, number: Option<f64>) -> Option<Fault> {
    let (name, at) = match mode.split_once('@') {
        Some((name, at)) => (name, Some(at.parse::<usize>().ok()?)),
        None => (mode, None),
    };
    let part = &circuit.vehicle.parts[p];
    for (d, placed) in circuit.devices.iter().enumerate() {
        if placed.part != p || at.is_some_and(|at| at != placed.element) {
            continue;
        }
        let found = modes(&part.elements[placed.element])
            .into_iter()
            .find(|m| m.0 == name && m.1.is_some() == number.is_some());
        if let Some((_, grid, weight, text)) = found {
            let text = match (grid, number) {
                (Some(g), Some(n)) if (g - n).abs() > 1e-9 => {
                    format!("{}, {}", text.split(',').next().unwrap_or(&text), ohms_text(n))
                }
                _ => text,
            };
            let repair_item = format!("part:{}", part.id);
            return Some(Fault {
                id: match number {
                    Some(n) => format!("{repair_item}:{mode}:{n}"),
                    None => format!("{repair_item}:{mode}"),
                },
                text: format!("{}: {text}", item_text(circuit, &repair_item)),
                repair_item,
                prior: weight,
                changes: vec![change(circuit, d, name, number)?],
            });
        }
    }
    None
}
