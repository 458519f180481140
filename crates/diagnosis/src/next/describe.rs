//! A check as the technician reads it: what to do, where, what a sound vehicle shows, what each
//! outcome would mean.

use super::candidates::{Candidate, What};
use super::{Ask, Ranked};
use crate::model::{Model, ModelError};
use crate::{verdict, words};
use circuit::{Instrument, Probe};
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::{ConnectorId, OperatingState, OutputId, PartId, Point, SignalId, SignalSource};

/// A line of the setup: `red`, `C4.7 cabin side …`.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SetupLine {
    /// What it is about.
    pub label: String,
    /// What to do.
    pub text: String,
}

/// What one outcome would mean.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Outcome {
    /// The outcome: a range or a judgement.
    pub when: String,
    /// Its probability.
    pub probability: f64,
    /// What would be suspected most.
    pub means: String,
}

/// A proposed check.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Check {
    /// Stable id; refusing names it.
    pub id: String,
    /// What to do, in a line.
    pub text: String,
    /// `volts`, `ohms`, `amps` …, or `effect`, `scan`, `answers`, `values`, `moved`, `seen`, `jumper`, `swap`.
    pub quantity: String,
    /// Unit of the value asked for; empty where none is.
    pub unit: String,
    /// Red lead, conductor, the part whose effect is looked at, or the place.
    pub red: String,
    /// Black lead.
    pub black: String,
    /// Signals whose values are read; else empty.
    pub signals: Vec<SignalId>,
    /// How far apart what they feel may lie, one standard deviation, where they have to agree: more than 0
    /// for what only a night makes alike.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub apart: Option<f64>,
    /// The part whose effect is watched during a substitution, else empty.
    pub watched: PartId,
    /// Output to drive, when the state needs one.
    pub outputs: Vec<OutputId>,
    /// State it is taken in.
    pub state: OperatingState,
    /// State in words.
    pub state_text: String,
    /// Minutes of work.
    pub minutes: f64,
    /// Expected information, bits.
    pub information_bits: f64,
    /// Healthy value in words.
    pub expected: String,
    /// Setup.
    pub setup: Vec<SetupLine>,
    /// Outcomes; those of a proof as if one piece of evidence were wrong.
    pub outcomes: Vec<Outcome>,
    /// Proposed to refute a suspect that is nearly certain, not to tell suspects apart.
    pub proof: bool,
    /// Why this check.
    pub why: String,
    /// Expected money to a proven repair with this check first.
    pub cost: f64,
}

/// Fields of a check that differ from kind to kind.
struct Kind {
    text: String,
    quantity: String,
    unit: String,
    red: String,
    black: String,
    signals: Vec<SignalId>,
    apart: Option<f64>,
    watched: PartId,
    expected: String,
    setup: Vec<(&'static str, String)>,
}

/// What is known of a check that was chosen.
pub(super) struct Told<'d> {
    /// The piece of evidence that a proof puts in doubt.
    pub(super) doubt: Option<&'d str>,
    /// What it sets apart.
    pub(super) sets_apart: Option<String>,
    /// What it may show.
    pub(super) outcomes: Vec<Outcome>,
    /// Expected money to a proven repair.
    pub(super) cost: f64,
}

pub(super) fn describe(
    ask: &Ask<'_>,
    ranked: &Ranked,
    told: Told<'_>,
) -> Result<Check, ModelError> {
    let Told { doubt, sets_apart, outcomes, cost } = told;
    let (Ask { model, now, .. }, c, value) = (*ask, &ranked.candidate, ranked.bits);
    let state_text = words::state(model, &c.state);
    let kind = kind(model, c)?;
    let mut kind = kind;
    let more: Vec<&str> =
        c.state.unplugged.difference(&now.unplugged).map(ConnectorId::as_str).collect();
    if !more.is_empty() {
        kind.text = format!("Unplug {}. {}", more.join(" and "), kind.text);
        kind.setup.insert(
            0,
            ("unplug", more.iter().map(|m| words::thing(model, m)).collect::<Vec<_>>().join(", ")),
        );
    }
    for r in c.state.rerouted.difference(&now.rerouted) {
        let Some(r) = model.circuit.reroute(r) else { continue };
        kind.text = format!("{}. {}", model.circuit.reroute_task(r), kind.text);
    }
    let mut setup: Vec<SetupLine> = kind
        .setup
        .into_iter()
        .map(|(label, text)| SetupLine { label: label.to_owned(), text })
        .collect();
    setup.push(SetupLine { label: "state".to_owned(), text: state_text.clone() });
    // Of values it stands beside each.
    if kind.signals.is_empty() {
        setup.push(SetupLine { label: "expected".to_owned(), text: kind.expected.clone() });
    }
    let minutes = c.minutes(model, &ask.here());
    let why = match doubt {
        Some(doubt) => format!("{doubt}. This would show it: {value:.1} bit in {minutes:.1} min."),
        None => format!(
            "{} {value:.1} bit in {minutes:.1} min.",
            sets_apart.as_deref().unwrap_or("Of all checks in reach this tells most per minute.")
        ),
    };
    Ok(Check {
        id: c.id().to_string(),
        cost,
        why,
        text: kind.text,
        quantity: kind.quantity,
        unit: kind.unit,
        red: kind.red,
        black: kind.black,
        signals: kind.signals,
        apart: kind.apart,
        watched: kind.watched,
        outputs: c.state.outputs.iter().cloned().collect(),
        state: (*c.state).clone(),
        state_text,
        minutes,
        information_bits: value,
        expected: kind.expected,
        setup,
        outcomes,
        proof: doubt.is_some(),
    })
}

fn kind(model: &Model, c: &Candidate) -> Result<Kind, ModelError> {
    let plain = |text: String, quantity: &str, red: &str, expected: &str| Kind {
        text,
        quantity: quantity.to_owned(),
        unit: String::new(),
        red: red.to_owned(),
        black: String::new(),
        signals: Vec::new(),
        apart: None,
        watched: PartId::default(),
        expected: expected.to_owned(),
        setup: Vec::new(),
    };
    let thing = |at: &str| words::thing(model, at);
    Ok(match &c.what {
        What::Reading(p) => reading_kind(model, c, p)?,
        What::Record(p) => {
            let mut kind = reading_kind(model, c, p)?;
            let (first, rest) = kind.text.split_at(1);
            kind.text = format!("Record the {}{rest}", first.to_lowercase());
            kind.quantity = "recorded".to_owned();
            let meanwhile = "lowest and highest, while you move, warm, load or drive it";
            kind.setup.push(("hold", meanwhile.to_owned()));
            kind
        }
        What::Effect { part } => plain(
            format!(
                "{} and look: {}",
                if c.state.outputs.is_empty() { "Switch it on" } else { "Drive it" },
                words::effect(model, part)
            ),
            "effect",
            part,
            "normal",
        ),
        What::Scan => {
            let mut kind = plain(
                "Clear the codes, let them run, scan again".to_owned(),
                "scan",
                "",
                "every module answers, no code returns",
            );
            kind.setup.push(("keep", "the scan before clearing is kept".to_owned()));
            kind
        }
        What::RollCall => plain(
            "Ask every module whether it answers".to_owned(),
            "answers",
            "",
            &who_answers(model, &c.state),
        ),
        What::Values { signals } => {
            let setup = values_setup(model, &c.state, signals);
            let each: Vec<&str> = setup.iter().map(|(_, text)| text.as_str()).collect();
            let expected = each.join("; ");
            let text = match &signals[..] {
                [_] => format!("Read the live value: {}", named(model, signals)),
                _ => format!("Read live values: {}", named(model, signals)),
            };
            Kind { signals: signals.clone(), setup, ..plain(text, "values", "", &expected) }
        }
        What::Agree { signals, apart } => agree_kind(model, signals, *apart, plain),
        What::Move { at } => {
            let mut kind = plain(
                format!("Move the harness, {}, and watch the symptom", thing(at)),
                "moved",
                at,
                "no change",
            );
            kind.setup.push(("place", thing(at)));
            kind
        }
        What::Look { at } => {
            let mut kind = plain(format!("Look: {}", thing(at)), "seen", at, "nothing to see");
            kind.setup.push(("place", thing(at)));
            if circuit::place::is_cavity(&model.circuit, at) {
                kind.setup.push(("also", "try its grip with a test pin of its size".to_owned()));
                kind.expected = "clean, at home, grips the pin".to_owned();
            }
            kind
        }
        What::Jumper { red, black, part } => Kind {
            black: black.clone(),
            watched: part.clone(),
            setup: vec![
                ("from", words::point(model, red)),
                ("to", words::point(model, black)),
                ("watch", words::effect(model, part)),
            ],
            ..plain(format!("Fused jumper from {red} to {black}"), "jumper", red, "normal")
        },
        What::Swap { swapped, part } => Kind {
            watched: part.clone(),
            setup: vec![("swap", thing(swapped)), ("watch", words::effect(model, part))],
            ..plain(
                format!("Swap {} with a known-good one", thing(swapped)),
                "swap",
                swapped,
                "normal",
            )
        },
    })
}

/// Signals by their names, the first two of them.
fn named(model: &Model, signals: &[SignalId]) -> String {
    let name = |id: &SignalId| {
        let of = model.circuit.vehicle.signals.iter().find(|s| s.id == *id);
        of.map_or_else(|| id.to_string(), |s| s.name.clone())
    };
    match signals {
        [one, two, rest @ ..] if !rest.is_empty() => {
            format!("{}, {}, {} more", name(one), name(two), rest.len())
        }
        few => few.iter().map(name).collect::<Vec<_>>().join(", "),
    }
}

/// Each value that is read, with what a sound vehicle would show.
fn values_setup(
    model: &Model,
    state: &OperatingState,
    signals: &[SignalId],
) -> Vec<(&'static str, String)> {
    let v = &model.circuit.vehicle;
    let sound = crate::live::expected(model, state);
    let of = |id: &SignalId| {
        let number = v.signals.position(|s| s.id == *id)?;
        let (signal, sound) = (&v.signals[number], sound[number]);
        let physical = crate::live::physical(&v.signals.raw, signal);
        let valid = physical.and_then(|p| p.valid);
        // What is set or learned is no voltage, and has a word.
        let held = matches!(signal.from, SignalSource::Setting(_));
        let word = physical.filter(|_| held).and_then(|p| p.transfer.name(sound.value));
        let counts = model.circuit.software.ring(number).is_some();
        let range = match valid.filter(|_| sound.depends) {
            _ if counts => {
                let meaning = model.charts().meaning(model, number, sound.value);
                format!("like the others, about {}", meaning.words().unwrap_or_default())
            }
            _ if held => word.map_or_else(|| sound.value.to_string(), str::to_owned),
            Some([low, high]) => words::range(Instrument::Volts, low, high),
            None => verdict::healthy_range(Instrument::Volts, sound.value, sound.sigma),
        };
        Some(("values", format!("{}, {}: {range}", signal.name, signal.module)))
    };
    signals.iter().filter_map(of).collect()
}

/// Sensors compared: what has to be so before they are.
fn agree_kind(
    model: &Model,
    signals: &[SignalId],
    apart: f64,
    plain: impl Fn(String, &str, &str, &str) -> Kind,
) -> Kind {
    let v = &model.circuit.vehicle;
    let of = |id: &SignalId| v.signals.iter().find(|s| s.id == *id);
    let each = signals.iter().filter_map(of);
    let mut setup: Vec<(&str, String)> =
        each.map(|s| ("values", format!("{}, {}", s.name, s.module))).collect();
    let night = apart > 0.0;
    if night {
        let before = "after a night, before the first start: all at one temperature";
        setup.push(("when", before.to_owned()));
    }
    let expected = if night { "all say the same temperature" } else { "all say the same" };
    setup.push(("expected", expected.to_owned()));
    let text =
        format!("Compare sensors{}: {}", if night { " cold" } else { "" }, named(model, signals));
    Kind {
        signals: signals.to_vec(),
        apart: Some(apart),
        setup,
        ..plain(text, "values", "", expected)
    }
}

/// Who is silent on a sound vehicle in a state, in words.
fn who_answers(model: &Model, state: &OperatingState) -> String {
    let silent = crate::isolation::silent(model, state);
    match &silent[..] {
        [] => "every module answers".to_owned(),
        list => format!("{} silent by themselves", list.join(" ")),
    }
}

fn reading_kind(model: &Model, c: &Candidate, p: &Probe) -> Result<Kind, ModelError> {
    let e = crate::evidence::reading::sound(model, &c.state, p)?;
    let setup = match p.instrument {
        Instrument::Amps => vec![("clamp", words::conductor(model, &p.red))],
        _ => vec![("red", words::point(model, &p.red)), ("black", words::point(model, &p.black))],
    };
    Ok(Kind {
        text: reading_text(model, p),
        quantity: p.instrument.name().to_owned(),
        unit: p.instrument.unit().to_owned(),
        red: p.red.clone(),
        black: p.black.clone(),
        signals: Vec::new(),
        apart: None,
        watched: PartId::default(),
        expected: verdict::healthy_range(p.instrument, e.healthy, e.sigma),
        setup,
    })
}

fn reading_text(model: &Model, p: &Probe) -> String {
    let v = &model.circuit.vehicle;
    let owner = |id: &str| Point::of(id).owner.to_owned();
    let connector = v.connectors.iter().find(|c| c.id == owner(&p.red));
    match p.instrument {
        Instrument::Amps => format!("Current in conductor {}, with a clamp", p.red),
        Instrument::Ohms if p.red.ends_with(":part") => {
            let own = |id: &str| id.trim_end_matches(":part").to_owned();
            format!("Resistance of the part itself, pins {} to {}", own(&p.red), own(&p.black))
        }
        Instrument::Ohms => format!("Resistance {} to {}", p.red, p.black),
        Instrument::Shunt => format!("Current from {} to {}, through the meter", p.red, p.black),
        Instrument::Lamp5 => format!("Test lamp 5 W from {} to {}", p.red, p.black),
        Instrument::Lamp21 => format!("Test lamp 21 W from {} to {}", p.red, p.black),
        Instrument::Led => format!("LED tester from {} to {}", p.red, p.black),
        Instrument::Jumper => format!("Fused jumper from {} to {}", p.red, p.black),
        Instrument::LowVolts => format!("Voltage at {} to {}, low impedance", p.red, p.black),
        Instrument::Volts if p.black == model.circuit.reference => {
            format!("Voltage at {} against battery minus", words::short_point(model, &p.red))
        }
        Instrument::Volts => match connector {
            _ if p.red.strip_suffix(":part") == Some(&p.black) => format!(
                "Voltage across the contact of {}, {} to terminal",
                p.black,
                words::bare(model, &p.black)
            ),
            Some(c) if owner(&p.red) == owner(&p.black) && c.sides.is_some() => {
                let cavity = Point::of(&p.red).cavity();
                format!("Voltage across terminal {cavity}, {}", c.name)
            }
            _ if owner(&p.red) == owner(&p.black) => {
                format!("Voltage across {}, {} to {}", owner(&p.red), p.red, p.black)
            }
            _ => format!("Voltage drop from {} to {}", p.red, p.black),
        },
    }
}
