//! Numbers, points and findings in words.

use crate::evidence::{Evidence, Finding, Moment, Sight, Strength};
use crate::model::Model;
use circuit::Instrument;
use vehicle::{ConnectorId, Point};

/// A value with its unit: `11.82 V`, `0.12 Ω`, `3.3 kΩ`, `OL`.
pub fn value(instrument: Instrument, v: f64) -> String {
    if !v.is_finite() {
        return match instrument {
            Instrument::Shunt | Instrument::Jumper => "fuse of the tool blown".to_owned(),
            _ => "OL".to_owned(),
        };
    }
    match instrument {
        Instrument::Lamp5 | Instrument::Lamp21 | Instrument::Led => {
            let seen = match v {
                v if v < 2.0 => "dark",
                v if v < 60.0 => "dim",
                _ => "bright",
            };
            format!("{v:.0} % {seen}")
        }
        Instrument::Ohms if v.abs() >= 1e6 => format!("{:.2} MΩ", v / 1e6),
        Instrument::Ohms if v.abs() >= 1e3 => format!("{:.2} kΩ", v / 1e3),
        Instrument::Ohms if v.abs() >= 100.0 => format!("{v:.0} Ω"),
        _ => format!("{:.2} {}", if v.abs() < 0.005 { 0.0 } else { v }, instrument.unit()),
    }
}

/// A tool that loads what it is put on, or a meter that does not.
pub fn tool(instrument: Instrument) -> &'static str {
    match instrument {
        Instrument::Lamp5 => "5 W test lamp",
        Instrument::Lamp21 => "21 W test lamp",
        Instrument::Led => "LED tester",
        Instrument::Jumper => "fused jumper",
        Instrument::Shunt => "ammeter",
        _ => "meter",
    }
}

/// A range: `11.80 to 12.20 V`.
pub fn range(instrument: Instrument, low: f64, high: f64) -> String {
    if !low.is_finite() {
        return value(instrument, low);
    }
    let text = value(instrument, low);
    let number = text.split(' ').next().unwrap_or_default().to_owned();
    format!("{number} to {}", value(instrument, high))
}

/// A conductor in words: `62 brown, C4.7:engine to M7.1`.
pub fn conductor(model: &Model, id: &str) -> String {
    let c = &model.circuit;
    c.wire(id).map(|w| &c.vehicle.wires[w]).map_or_else(
        || format!("conductor {id}"),
        |w| format!("conductor {id} {}, {} to {}", w.colour, w.from, w.to),
    )
}

/// A place or thing in words: `bulkhead connector, left C4`, `tailgate hinge boot`.
pub fn thing(model: &Model, id: &str) -> String {
    let c = &model.circuit;
    let (v, n) = (&c.vehicle, &c.names);
    if let Some(k) = n.place(id) {
        return v.places[k].name.clone();
    }
    if n.wire(id).is_some() {
        return conductor(model, id);
    }
    if let Some((owner, cavity)) = Point::of(id).key()
        && circuit::place::is_cavity(c, id)
    {
        return format!("terminal in cavity {cavity} of {}", thing(model, owner));
    }
    let name = (n.connector(id).map(|k| v.connectors[k].name.clone()))
        .or_else(|| n.part(id).map(|k| v.parts[k].name.clone()))
        .or_else(|| n.ground(id).map(|k| format!("ground point, {}", v.grounds[k].name)))
        .or_else(|| n.splice(id).map(|k| v.splices[k].name.clone()));
    name.map_or_else(|| id.to_owned(), |name| format!("{name} {id}"))
}

/// What was seen, in a word or two.
pub fn sight(s: Sight) -> &'static str {
    match s {
        Sight::Damage => "damage",
        Sight::Corrosion => "corrosion",
        Sight::Water => "water",
        Sight::PushedBack => "pushed back",
        Sight::Loose => "no grip on a test pin",
        Sight::Nothing => "looked, nothing to see",
    }
}

/// The part's own end of a contact: a battery's post, a fuse's blade, else a pin.
pub fn bare(model: &Model, cavity: &str) -> &'static str {
    let owner = Point::of(cavity).owner;
    let part = model.circuit.part(owner).map(|k| &model.circuit.vehicle.parts[k]);
    part.and_then(|p| p.elements.iter().find_map(|e| e.bare_end())).unwrap_or("part pin")
}

/// A point, short: `F14.2` or, for the part's own end of its contact, `F14.2 blade`.
pub fn short_point(model: &Model, id: &str) -> String {
    match id.strip_suffix(":part") {
        Some(cavity) => {
            let bare = bare(model, cavity).split(',').next().unwrap_or_default();
            format!("{cavity} {bare}")
        }
        None => id.to_owned(),
    }
}

/// A point in words: cavity, wire colour and connector name.
pub fn point(model: &Model, id: &str) -> String {
    let v = &model.circuit.vehicle;
    let colour = v
        .wires
        .iter()
        .find(|w| w.from == id || w.to == id)
        .map(|w| format!(" {}", w.colour))
        .unwrap_or_default();
    let at = Point::of(id);
    let (cavity, owner) = (at.cavity(), at.owner);
    let side = match at.side {
        None => String::new(),
        Some("part") => format!(" {}", bare(model, cavity)),
        Some(side) => format!(" {side} side"),
    };
    let name = (v.connectors.iter().find(|c| c.id == owner).map(|c| c.name.clone()))
        .or_else(|| v.parts.iter().find(|p| p.id == owner).map(|p| p.name.clone()))
        .or_else(|| v.grounds.iter().find(|g| g.id == owner).map(|g| format!("ground, {}", g.name)))
        .or_else(|| v.splices.iter().find(|s| s.id == owner).map(|s| s.name.clone()))
        .unwrap_or_default();
    format!("{cavity}{side}{colour} · {name}")
}

/// Where two leads or a clamp sit, short: `M7.1 to BAT.-`.
pub fn leads(finding_red: &str, black: &str, instrument: Instrument) -> String {
    if instrument == Instrument::Amps {
        format!("conductor {finding_red}")
    } else {
        let plain = |id: &str| id.replace(":part", " part side");
        format!("{} to {}", plain(finding_red), plain(black))
    }
}

/// The effect of a part in words.
pub fn effect(model: &Model, part: &str) -> String {
    model
        .circuit
        .vehicle
        .parts
        .iter()
        .find(|p| p.id == part)
        .and_then(|p| p.elements.iter().find_map(|e| e.effect().map(str::to_owned)))
        .unwrap_or_else(|| format!("effect of {part}"))
}

/// Strength in a word.
pub fn strength(s: Strength) -> &'static str {
    match s {
        Strength::Normal => "normal",
        Strength::Weak => "weak",
        Strength::None => "nothing",
    }
}

/// A state in a few words: its name in the file when it has one.
pub fn state(model: &Model, state: &vehicle::OperatingState) -> String {
    let mut plugged = state.clone();
    plugged.unplugged.clear();
    plugged.rerouted.clear();
    plugged.battery_off = false;
    let v = &model.circuit.vehicle;
    let mut text = match v.states.iter().find(|s| s.state == plugged) {
        Some(named) => named.name.clone(),
        None => {
            let mut words = vec![format!("Key {}", plugged.key.position())];
            if plugged.engine == vehicle::Engine::Running {
                words.push("engine running".into());
            }
            words.extend(plugged.outputs.iter().map(|id| {
                let name = v.outputs.iter().find(|o| o.id == *id).map(|o| o.name.as_str());
                match plugged.percent.get(id) {
                    Some(percent) => format!("{} at {} %", name.unwrap_or(id), percent.0),
                    None => format!("{} on", name.unwrap_or(id)),
                }
            }));
            words.extend(plugged.switches.iter().map(|(id, at)| {
                let name = v.parts.iter().find(|p| p.id == *id).map(|p| p.name.as_str());
                format!("{} {at}", name.unwrap_or(id))
            }));
            words.extend(plugged.stimuli.iter().map(|(id, amount)| {
                match v.stimuli.iter().find(|s| s.id == *id) {
                    Some(s) => format!("{} {} {}", s.name, amount.0, s.unit).trim_end().to_owned(),
                    None => format!("{id} {}", amount.0),
                }
            }));
            if plugged.charger {
                words.push("charger on".into());
            }
            words.join(", ")
        }
    };
    if !state.unplugged.is_empty() {
        let list: Vec<&str> = state.unplugged.iter().map(ConnectorId::as_str).collect();
        text = format!("{text}, {} unplugged", list.join(" and "));
    }
    for r in state.rerouted.iter().filter_map(|id| model.circuit.reroute(id)) {
        text = format!("{text}, {}", model.circuit.reroute_text(r));
    }
    if state.battery_off {
        text.push_str(", battery off");
    }
    text
}

/// Findings that were made at once: one in its own words, those of a scan together.
pub(crate) fn at_once(model: &Model, all: &[Evidence], moment: &Moment) -> String {
    match moment.pieces[..] {
        [piece] => evidence(model, &all[piece]),
        _ => "what the scan found".to_owned(),
    }
}

/// A piece of evidence in a line.
pub fn evidence(model: &Model, e: &Evidence) -> String {
    match &e.finding {
        Finding::Reading { instrument, red, black, value: v } => format!(
            "{} at {}, {}",
            value(*instrument, v.unwrap_or(f64::INFINITY)),
            leads(red, black, *instrument),
            state(model, &e.state)
        ),
        Finding::Recorded { instrument, red, black, low, high } => format!(
            "{} to {} recorded at {}, {}",
            value(*instrument, *low),
            value(*instrument, *high),
            leads(red, black, *instrument),
            state(model, &e.state)
        ),
        Finding::Effect { part, strength: s } => {
            format!("{}: {}", effect(model, part), strength(*s))
        }
        Finding::Code { module, code, failure_type, failing } => format!(
            "{code}-{failure_type} in {module}: {}",
            if *failing { "failing now" } else { "ran and passed" }
        ),
        Finding::Answer { module, answers } => {
            format!("{module} {}", if *answers { "answers" } else { "is silent" })
        }
        Finding::Signal { signal, value } => live_value(model, signal, *value),
        Finding::Together { values, .. } => {
            let each = values.iter().map(|v| live_value(model, &v.signal, v.value));
            format!("read together: {}", each.collect::<Vec<_>>().join(", "))
        }
        Finding::Level { bus, red, black, dominant, sender, value } => format!(
            "{value:.2} V {} on {bus}, {red} to {black}",
            match (dominant, sender) {
                (false, _) => "recessive".to_owned(),
                (true, None) => "dominant".to_owned(),
                (true, Some(part)) => format!("dominant while {part} sends"),
            }
        ),
        Finding::Heard { bus, from, at, heard } => {
            format!("{} of {from} on {bus} at {at}", if *heard { "frames" } else { "no frames" })
        }
        Finding::Moved { at, changed } => format!(
            "moved at {}: {}",
            thing(model, at),
            if *changed { "it changed" } else { "no change" }
        ),
        Finding::Seen { at, sight: s } => format!("{}: {}", thing(model, at), sight(*s)),
        Finding::Substituted { jumper: Some([a, b]), part, strength: s, .. } => {
            format!("jumper {a} to {b}: {} {}", effect(model, part), strength(*s))
        }
        Finding::Substituted { swapped, part, strength: s, .. } => format!(
            "{} swapped: {} {}",
            swapped.as_deref().unwrap_or("part"),
            effect(model, part),
            strength(*s)
        ),
    }
}

/// A live value: what the module says, and what that stands for where its sensor feels something.
fn live_value(model: &Model, signal: &str, value: f64) -> String {
    let signals = &model.circuit.vehicle.signals;
    let Some(number) = signals.position(|s| s.id == signal) else {
        return format!("{signal} = {value:.2}");
    };
    let s = &signals[number];
    let meaning = model.charts().meaning(model, number, value);
    // What has no physical side stands for itself.
    let is_itself = meaning.real && meaning.name.is_none() && meaning.unit == s.unit;
    let words = meaning.words().filter(|_| !is_itself);
    let stands_for = words.map(|w| format!(", {w}")).unwrap_or_default();
    format!("{} in {}: {value:.2} {}{stands_for}", s.name, s.module, s.unit)
}
