//! What a sheet is about, and which conductors that takes.

use super::driven;
use super::walk::{Harness, Stop, owner};
use crate::model::Model;
use serde::Serialize;
use std::collections::BTreeMap;
use utoipa::ToSchema;
use vehicle::{PartIx, PartKind, Point, SignalSource, WireIx};

/// Conductors of everything that hangs on a point, at most.
const TREE: usize = 40;
/// Conductors at a connector or ground, up to which all of them are drawn.
const MANY: usize = 14;

/// Something a sheet can be drawn of.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Subject {
    /// What to ask for: `output:…`, `part:…`, `code:…`, `function:…`, `connector:…`, `ground:…`,
    /// `splice:…` or `wire:…`.
    pub id: String,
    /// In words.
    pub name: String,
}

/// Everything a sheet can be drawn of.
pub fn subjects(model: &Model) -> Vec<Subject> {
    let v = &model.circuit.vehicle;
    let mut out = Vec::new();
    let mut add = |kind: &str, id: &str, name: String| {
        out.push(Subject { id: format!("{kind}:{id}"), name });
    };
    for o in &v.outputs {
        add("output", &o.id, o.name.clone());
    }
    for f in &v.functions {
        add("function", &f.id, format!("{} with its request", f.name));
    }
    for p in &v.parts {
        add("part", &p.id, format!("{} {}", p.id, p.name));
    }
    for k in &v.connectors {
        add("connector", &k.id, format!("{} {}", k.id, k.name));
    }
    for g in &v.grounds {
        add("ground", &g.id, format!("{} ground, {}", g.id, g.name));
    }
    for s in &v.splices {
        add("splice", &s.id, format!("{} {}", s.id, s.name));
    }
    for m in &v.monitors {
        let code = format!("{}-{}", m.code, m.failure_type);
        add("code", &format!("{}/{code}", m.module), format!("{code} in {}: {}", m.module, m.text));
    }
    for w in &v.wires {
        let name = format!("conductor {} {}, {} to {}", w.id, w.colour, w.from, w.to);
        add("wire", &w.id, name);
    }
    out
}

/// Conductors of a sheet, and whether each belongs to a circuit that only shares something.
pub(super) type Wires = BTreeMap<WireIx, bool>;

/// Name and conductors of what is asked for; none when there is no such thing.
pub(super) fn choose(model: &Model, h: &Harness<'_>, about: &str) -> Option<(String, Wires)> {
    let c = &model.circuit;
    let v = &c.vehicle;
    let (kind, id) = about.split_once(':')?;
    let mut wires = Wires::new();
    let title = match kind {
        "output" => {
            let name = v.outputs.iter().find(|o| o.id == id)?.name.clone();
            wires = driven::wires(model, h, id);
            name
        }
        "function" => {
            let f = v.functions.iter().find(|f| f.id == id)?;
            wires = driven::own(model, h, &f.output);
            signals(model, h, &f.request.signals(), &mut wires);
            // Conditions at the module's own pins. What others send has sheets of its own: dozens of circuits
            // of other modules would bury the way from wish to effect.
            let own = |id: &&str| {
                let signal = v.signals.iter().find(|s| s.id == *id);
                signal.is_some_and(|s| matches!(s.from, SignalSource::PinVolts { .. }))
            };
            let conditions = f.permits.iter().flat_map(|p| p.holds.signals());
            let own: Vec<&str> = conditions.filter(own).collect();
            signals(model, h, &own, &mut wires);
            f.name.clone()
        }
        "code" => {
            let (module, code) = id.split_once('/')?;
            let m = v
                .monitors
                .iter()
                .find(|m| m.module == module && code == format!("{}-{}", m.code, m.failure_type))?;
            signals(model, h, &m.fails.signals(), &mut wires);
            format!("{code} in {module}")
        }
        "part" => {
            let p = c.part(id)?;
            part(model, h, p, &mut wires);
            for felt in v.parts[p].elements.iter().filter_map(|e| e.turns()).map(|t| t.feeds) {
                sensors(model, h, felt, &mut wires);
            }
            for setting in v.parts[p].elements.iter().filter_map(|e| e.setting()) {
                part(model, h, c.part(&setting.module)?, &mut wires);
            }
            format!("{} {}", id, v.parts[p].name)
        }
        "connector" => {
            let k = &v.connectors[c.names.connector(id)?];
            if let Some(p) = k.part.as_ref().and_then(|p| c.part(p)) {
                part(model, h, p, &mut wires);
            } else {
                let all = v.wires.keys().filter(|w| {
                    [&v.wires[*w].from, &v.wires[*w].to].iter().any(|e| owner(e) == id)
                });
                for w in all.take(2 * MANY) {
                    add(&mut wires, &[w]);
                }
            }
            format!("{id} {}", k.name)
        }
        "ground" | "splice" => {
            let name = match kind {
                "ground" => &v.grounds[c.names.ground(id)?].name,
                _ => &v.splices[c.names.splice(id)?].name,
            };
            for w in c.names.ending_at(id) {
                add(&mut wires, &[*w]);
                let wire = &v.wires[*w];
                let other = if wire.from == id { &wire.to } else { &wire.from };
                if h.stop(other).is_none()
                    && let Some(way) = h.way_on(other, *w, |s| s != Stop::Ground)
                {
                    add(&mut wires, &way);
                }
            }
            format!("{id} {name}")
        }
        // What a suspect is: the conductors that end there.
        "terminal" => {
            let at = |end: &str| Point::of(end).cavity() == id;
            for (w, wire) in v.wires.iter_enumerated() {
                if at(&wire.from) || at(&wire.to) {
                    wires.extend(choose(model, h, &format!("wire:{}", wire.id))?.1);
                    add(&mut wires, &[w]);
                }
            }
            // An empty cavity is drawn with its neighbours.
            if wires.is_empty() {
                wires = choose(model, h, &format!("connector:{}", owner(id)))?.1;
            }
            format!("Terminal {id}")
        }
        "pair" => {
            let (a, b) = id.split_once('+')?;
            for one in [a, b] {
                wires.extend(choose(model, h, &format!("wire:{one}"))?.1);
            }
            format!("Conductors {a} and {b}")
        }
        "wire" => {
            let w = c.wire(id)?;
            add(&mut wires, &[w]);
            for end in [&v.wires[w].from, &v.wires[w].to] {
                if h.stop(end).is_none()
                    && let Some(way) = h.way_on(end, w, |_| true)
                {
                    add(&mut wires, &way);
                }
            }
            format!("Conductor {id} end to end")
        }
        _ => return None,
    };
    Some((title, wires))
}

/// Everything at a thing that is on the sheet already.
pub(super) fn neighbours(model: &Model, h: &Harness<'_>, id: &str, wires: &mut Wires) {
    let c = &model.circuit;
    let all = c.vehicle.wires.iter_enumerated();
    let here: Vec<WireIx> = all
        .filter(|(_, w)| owner(&w.from) == id || owner(&w.to) == id)
        .map(|(w, _)| w)
        .take(2 * MANY)
        .collect();
    for w in here {
        add(wires, &[w]);
        let wire = &c.vehicle.wires[w];
        let other = if owner(&wire.from) == id { &wire.to } else { &wire.from };
        if h.stop(other).is_none()
            && let Some(way) = h.way_on(other, w, |_| true)
        {
            add(wires, &way);
        }
    }
}

fn add(wires: &mut Wires, more: &[WireIx]) {
    for w in more {
        wires.insert(*w, false);
    }
}

/// The circuits of the pins that signals come from.
fn signals(model: &Model, h: &Harness<'_>, signals: &[&str], wires: &mut Wires) {
    let c = &model.circuit;
    for id in signals {
        let Some(signal) = c.vehicle.signals.iter().find(|s| s.id == *id) else {
            continue;
        };
        match &signal.from {
            SignalSource::Output(output) | SignalSource::Duty(output) => {
                wires.extend(driven::own(model, h, output));
            }
            // What a message brings comes from the sender's own pins.
            SignalSource::Received { signal: of, .. } if of != id => {
                self::signals(model, h, &[of], wires);
            }
            SignalSource::Received { .. } => {}
            // No wire shows it: its module, as far as it must work to tell it.
            SignalSource::Setting(_) => {
                if let Some(module) = c.part(&signal.module) {
                    part(model, h, module, wires);
                }
            }
            SignalSource::Arrives(message) => sender(model, h, message, wires),
            SignalSource::Formula(_) => {
                let inputs: Vec<&str> = signal.from.inputs().iter().map(|i| i.as_str()).collect();
                self::signals(model, h, &inputs, wires);
            }
            SignalSource::PinVolts { pin, against }
            | SignalSource::Amps { from: pin, to: against, .. }
            | SignalSource::Rate { pin, against, .. } => {
                let Some(module) = c.part(&signal.module) else {
                    continue;
                };
                let mut pins = vec![pin.as_str(), against];
                // A low or missing supply takes its ground with it, and the other way round.
                let feed = c.vehicle.parts[module].elements.iter().find_map(|e| e.feed());
                pins.extend(feed.iter().flat_map(|f| [f.plus, f.minus]));
                for pin in pins {
                    for end in h.ends_at(module, pin) {
                        pin_circuit(model, h, module, end, wires);
                    }
                }
            }
        }
    }
}

/// The circuits of what feels something that a part without a conductor of its own does.
fn sensors(model: &Model, h: &Harness<'_>, felt: &str, wires: &mut Wires) {
    for (p, of) in model.circuit.vehicle.parts.iter_enumerated() {
        if of.elements.iter().any(|e| e.turns().is_none() && e.stimuli().contains(&felt)) {
            part(model, h, p, wires);
        }
    }
}

/// What the sender of a message needs: its supply and ground, its lines on the message's bus.
fn sender(model: &Model, h: &Harness<'_>, message: &str, wires: &mut Wires) {
    let c = &model.circuit;
    let Some(message) = c.vehicle.messages.iter().find(|m| m.id == message) else { return };
    let Some(part) = c.part(&message.sender) else { return };
    for element in &c.vehicle.parts[part].elements {
        let feed = element.feed().map(|f| vec![f.plus, f.minus]);
        let lines = element.bus_end().filter(|end| end.bus == message.bus).map(|end| end.lines());
        for pin in feed.into_iter().chain(lines).flatten() {
            for end in h.ends_at(part, pin) {
                pin_circuit(model, h, part, end, wires);
            }
        }
    }
}

/// From a pin to where its current comes from or goes to; through a load or sensor to its other
/// pins.
pub(super) fn pin_circuit(
    model: &Model,
    h: &Harness<'_>,
    home: PartIx,
    end: &str,
    wires: &mut Wires,
) {
    let fed = |s: Stop| matches!(s, Stop::Source | Stop::Ground);
    if let Some((way, _)) = h.way(end, home, fed) {
        add(wires, &way);
        return;
    }
    if let Some((way, at)) = h.way(end, home, |_| true) {
        add(wires, &way);
        if h.stop(at) == Some(Stop::Load)
            && let Some(load) = h.part_at(at)
        {
            part(model, h, load, wires);
        }
    }
}

/// A part with its supply and ground, or the modules it hangs on.
pub(super) fn part(model: &Model, h: &Harness<'_>, p: PartIx, wires: &mut Wires) {
    let v = &model.circuit.vehicle;
    let part = &v.parts[p];
    match part.kind {
        PartKind::Module if h.ends_of(p).count() > MANY => {
            // Of a large module what it lives on; its other pins have circuits of their own.
            let feeds = part.elements.iter().filter_map(|e| e.feed()).flat_map(|f| f.pins());
            let lines = part.elements.iter().filter_map(|e| e.bus_end()).flat_map(|e| e.lines());
            for pin in feeds.chain(lines) {
                for end in h.ends_at(p, pin) {
                    way_home(h, p, end, wires);
                }
            }
        }
        PartKind::Fuse | PartKind::Switch => {
            for end in h.ends_of(p) {
                match h.way(end, p, |s| matches!(s, Stop::Source)) {
                    Some((way, _)) => add(wires, &way),
                    None => {
                        let tree: Vec<WireIx> = h.tree(end, Some(p), TREE).into_iter().collect();
                        add(wires, &tree);
                    }
                }
            }
        }
        _ => {
            let reached: Vec<Stop> =
                h.ends_of(p).filter_map(|end| way_home(h, p, end, wires)).collect();
            // A changeover contact leads to ground and to a supply: both belong to the sheet.
            for missing in [Stop::Source, Stop::Ground] {
                if !reached.contains(&missing) {
                    let ways = h.ends_of(p).filter_map(|end| h.way(end, p, |s| s == missing));
                    if let Some((way, _)) = ways.min_by_key(|(way, _)| way.len()) {
                        add(wires, &way);
                    }
                }
            }
        }
    }
}

fn way_home(h: &Harness<'_>, home: PartIx, end: &str, wires: &mut Wires) -> Option<Stop> {
    let fed = |s: Stop| matches!(s, Stop::Source | Stop::Ground);
    let (way, at) = h.way(end, home, fed).or_else(|| h.way(end, home, |_| true))?;
    add(wires, &way);
    h.stop(at)
}
