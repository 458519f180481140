//! The request chain: from what a driver wishes to the effect, link by link, with what is known of each.
//!
//! Everything follows from the vehicle file and from what the modules say; nothing is listed.

use crate::evidence::{Evidence, Finding, Strength};
use crate::live;
use crate::model::Model;
use serde::Serialize;
use std::collections::BTreeMap;
use utoipa::ToSchema;
use vehicle::{
    Condition, Function, OperatingState, OutputIx, PartId, SignalId, SignalIx, SignalSource, WireId,
};

/// What is known of something.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Known {
    /// It is not as it must be.
    Fails,
    /// Nobody has said.
    Unknown,
    /// It is as it must be.
    Holds,
}

impl Known {
    fn of(yes: bool) -> Self {
        if yes { Self::Holds } else { Self::Fails }
    }
    fn not(self) -> Self {
        match self {
            Self::Fails => Self::Holds,
            Self::Unknown => Self::Unknown,
            Self::Holds => Self::Fails,
        }
    }
}

/// What of a condition is known from values that are known in part (Kleene's strong logic): all hold as the
/// worst of them, any as the best.
pub fn known(c: &Condition, value: &dyn Fn(&str) -> Option<f64>) -> Known {
    match c {
        Condition::Above(s, limit) => value(s).map_or(Known::Unknown, |v| Known::of(v > *limit)),
        Condition::Below(s, limit) => value(s).map_or(Known::Unknown, |v| Known::of(v < *limit)),
        Condition::All(of) => of.iter().map(|c| known(c, value)).min().unwrap_or(Known::Holds),
        Condition::Any(of) => of.iter().map(|c| known(c, value)).max().unwrap_or(Known::Fails),
        Condition::Not(c) => known(c, value).not(),
    }
}

/// A value that a link hangs on, and the way back to where it comes from.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ChainValue {
    /// Signal.
    pub signal: SignalId,
    /// Its name.
    pub name: String,
    /// Module that computes it.
    pub module: PartId,
    /// What the module says of it, in words; empty when it was not read.
    pub says: String,
    /// The voltage at the pin, where there is one, volts.
    pub volts: Option<f64>,
    /// What a sound vehicle would say in this state.
    pub expected: String,
    /// Whether it is so.
    pub as_expected: bool,
    /// Pin it comes from.
    pub pin: String,
    /// Conductor at that pin.
    pub wire: Option<WireId>,
    /// Message that brings it, with its sender.
    pub message: String,
}

/// A condition without which nothing is done.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Permitted {
    /// Name.
    pub name: String,
    /// Whether it permits now.
    pub known: Known,
    /// What it hangs on.
    pub looks: Vec<ChainValue>,
}

/// Which link of the chain.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ChainStep {
    /// The wish is seen by a module.
    Seen,
    /// It arrives where it is decided, over a bus.
    Received,
    /// Every condition permits it.
    Permitted,
    /// The module switches its output on.
    Commanded,
    /// The output's pin follows.
    AtPin,
    /// The load does something.
    Effect,
}

/// A link of the chain.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ChainLink {
    /// Which.
    pub step: ChainStep,
    /// What is known of it.
    pub known: Known,
    /// It was not seen itself: a later link proves it.
    pub by_later: bool,
    /// What it hangs on.
    pub looks: Vec<ChainValue>,
    /// Conditions, those that block first, then those nobody knows of.
    pub permits: Vec<Permitted>,
    /// What would show it where it is not known.
    pub shown_by: String,
    /// Minutes that takes.
    pub minutes: f64,
}

/// The chain of a function.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Chain {
    /// Function.
    pub id: String,
    /// Name.
    pub name: String,
    /// Module that decides.
    pub module: PartId,
    /// Part whose effect is wished for.
    pub load: PartId,
    /// From wish to effect.
    pub links: Vec<ChainLink>,
    /// Number of the first link that fails.
    pub fails_at: Option<usize>,
}

/// Minutes to read a value from the seat, and to look at an effect.
const READ_MINUTES: f64 = 0.3;
const LOOK_MINUTES: f64 = 0.5;

/// Signals that a chain looks at: all of them are read at once.
pub fn signals(model: &Model, f: &Function) -> Vec<SignalIx> {
    let v = &model.circuit.vehicle;
    let mut all: Vec<SignalIx> = f
        .condition()
        .signals()
        .into_iter()
        .filter_map(|id| v.signals.position(|s| s.id == id))
        .collect();
    let output = model.circuit.software.output(&f.output);
    all.extend(commanded(model, f));
    all.extend(output.and_then(|o| at_pin(model, o)));
    for k in all.clone() {
        all.extend(arrives(model, k));
        all.extend(behind(model, k));
    }
    all.sort_unstable();
    all.dedup();
    all
}

/// The signal that says whether the output is switched on.
fn commanded(model: &Model, f: &Function) -> Option<SignalIx> {
    let says = |s: &vehicle::Signal| matches!(&s.from, SignalSource::Output(o) if *o == f.output);
    model.circuit.vehicle.signals.position(says)
}

/// The signal that reads the voltage at an output's own pin.
pub fn at_pin(model: &Model, output: OutputIx) -> Option<SignalIx> {
    let c = &model.circuit;
    let module = &c.vehicle.outputs[output].module;
    let drivers = c.drivers[output].iter().flat_map(|d| &c.devices[*d].branches);
    let nodes: Vec<_> = drivers.flat_map(|k| [c.branches[*k].from, c.branches[*k].to]).collect();
    let own = |k: &SignalIx| {
        let s = &c.vehicle.signals[*k];
        let supply = s.did == Some(c.vehicle.identifiers.supply.did);
        let pins = c.software.pins(*k);
        s.module == *module && !supply && pins.is_some_and(|(a, _)| nodes.contains(&a))
    };
    c.vehicle.signals.keys().find(own)
}

/// The signal of the sender that a message brings.
fn sent(model: &Model, signal: SignalIx) -> Option<SignalIx> {
    let signals = &model.circuit.vehicle.signals;
    let SignalSource::Received { signal: of, .. } = &signals[signal].from else { return None };
    signals.position(|s| s.id == *of)
}

/// What lies behind a value: what the sender of a message says, and what that is worked out of.
fn behind(model: &Model, signal: SignalIx) -> Vec<SignalIx> {
    let signals = &model.circuit.vehicle.signals;
    let mut out = Vec::new();
    let mut open = vec![signal];
    while let Some(k) = open.pop() {
        let inputs = signals[k].from.inputs().into_iter();
        let inputs = inputs.filter_map(|id| signals.position(|s| s.id == *id));
        for next in sent(model, k).into_iter().chain(inputs) {
            if next != signal && !out.contains(&next) {
                out.push(next);
                open.push(next);
            }
        }
    }
    out
}

/// The signal that says whether the message arrives that brings another.
fn arrives(model: &Model, signal: SignalIx) -> Option<SignalIx> {
    let v = &model.circuit.vehicle;
    let SignalSource::Received { message, .. } = &v.signals[signal].from else { return None };
    let at = &v.signals[signal].module;
    let says = |s: &vehicle::Signal| {
        s.module == *at && matches!(&s.from, SignalSource::Arrives(m) if m == message)
    };
    v.signals.position(says)
}

/// Works the chain of a function out, from what modules say and what was found; none where there is no
/// such function.
pub fn chain(
    model: &Model,
    function: &str,
    state: &OperatingState,
    said: &BTreeMap<SignalIx, f64>,
    evidence: &[Evidence],
) -> Option<Chain> {
    let v = &model.circuit.vehicle;
    let f = v.functions.iter().find(|f| f.id == function)?;
    let output = model.circuit.software.output(&f.output)?;
    let expected = live::expected(model, state);
    let all = Teller { model, said, expected: &expected };
    let value = |id: &str| v.signals.position(|s| s.id == id).and_then(|k| said.get(&k)).copied();
    let of = |step, known, looks: Vec<ChainValue>, shown_by: &str, minutes| ChainLink {
        step,
        known,
        by_later: false,
        looks,
        permits: Vec::new(),
        shown_by: shown_by.to_owned(),
        minutes,
    };
    let wished: Vec<SignalIx> = all.numbers(&f.request);
    let mut links = vec![of(
        ChainStep::Seen,
        known(&f.request, &value),
        wished.iter().flat_map(|k| all.way(*k)).collect(),
        "ask for it and read what the module sees",
        READ_MINUTES,
    )];
    let everything = all.numbers(&f.condition());
    let mut by_message: Vec<SignalIx> =
        everything.iter().filter_map(|k| arrives(model, *k)).collect();
    by_message.sort_unstable();
    by_message.dedup();
    if !by_message.is_empty() {
        let arrived =
            by_message.iter().map(|k| said.get(k).map_or(Known::Unknown, |v| Known::of(*v > 0.5)));
        links.push(of(
            ChainStep::Received,
            arrived.min().unwrap_or(Known::Unknown),
            by_message.iter().map(|k| all.look(*k)).collect(),
            "read whether its messages arrive",
            READ_MINUTES,
        ));
    }
    if !f.permits.is_empty() {
        let mut permits: Vec<Permitted> = f
            .permits
            .iter()
            .map(|p| Permitted {
                name: p.name.clone(),
                known: known(&p.holds, &value),
                looks: all.numbers(&p.holds).iter().flat_map(|k| all.way(*k)).collect(),
            })
            .collect();
        permits.sort_by_key(|p| p.known);
        let worst = permits.first().map_or(Known::Holds, |p| p.known);
        let mut link =
            of(ChainStep::Permitted, worst, Vec::new(), "read every condition", READ_MINUTES);
        link.permits = permits;
        links.push(link);
    }
    let on = commanded(model, f);
    let commands = on.and_then(|k| said.get(&k)).map_or(Known::Unknown, |v| Known::of(*v > 0.5));
    links.push(of(
        ChainStep::Commanded,
        commands,
        on.iter().map(|k| all.look(*k)).collect(),
        "read what the module commands while it is asked for",
        READ_MINUTES,
    ));
    let pin = at_pin(model, output);
    if let Some(k) = pin {
        let follows = said.get(&k).map_or(Known::Unknown, |v| follows(model, f, state, k, *v));
        let look = all.look(k);
        links.push(of(
            ChainStep::AtPin,
            follows,
            vec![look],
            "read the volts at the driver's pin",
            READ_MINUTES,
        ));
    }
    let load = &v.outputs[output].load;
    links.push(of(
        ChainStep::Effect,
        seen(evidence, load, state),
        Vec::new(),
        "ask for it and look",
        LOOK_MINUTES,
    ));
    prove_back(&mut links);
    let fails_at = links.iter().position(|l| l.known == Known::Fails);
    Some(Chain {
        id: f.id.clone(),
        name: f.name.clone(),
        module: v.outputs[output].module.clone(),
        load: load.clone(),
        links,
        fails_at,
    })
}

/// What is not known itself is proven by a later link that holds: nothing comes out that did not go in.
fn prove_back(links: &mut [ChainLink]) {
    let Some(last) = links.iter().rposition(|l| l.known == Known::Holds) else { return };
    for link in links[..last].iter_mut().filter(|l| l.known == Known::Unknown) {
        link.known = Known::Holds;
        link.by_later = true;
    }
}

/// Whether the volts at a driver's pin are nearer to those with the output on than to those with it off;
/// nothing is known where on and off read the same.
fn follows(
    model: &Model,
    f: &Function,
    state: &OperatingState,
    pin: SignalIx,
    volts: f64,
) -> Known {
    /// Volts that on and off lie apart at least.
    const APART: f64 = 1.0;
    let c = &model.circuit;
    let Some((a, b)) = c.software.pins(pin) else { return Known::Unknown };
    let mut with = state.clone();
    with.outputs.insert(f.output.clone());
    let mut without = state.plugged();
    without.give_back();
    without.switches.clear();
    let at = |s: &OperatingState| model.predict(s).healthy.between(a, b);
    let (on, off) = (at(&with), at(&without));
    if (on - off).abs() < APART {
        return Known::Unknown;
    }
    Known::of((volts - on).abs() < (volts - off).abs())
}

/// What was seen of an effect in a state, the latest.
fn seen(evidence: &[Evidence], load: &str, state: &OperatingState) -> Known {
    let of = |e: &Evidence| match &e.finding {
        Finding::Effect { part, strength } if part == load && e.state.alike_plugged(state) => {
            Some(Known::of(*strength == Strength::Normal))
        }
        _ => None,
    };
    evidence.iter().rev().find_map(of).unwrap_or(Known::Unknown)
}

/// What modules say, put into words.
struct Teller<'a> {
    model: &'a Model,
    said: &'a BTreeMap<SignalIx, f64>,
    expected: &'a vehicle::TiVec<SignalIx, live::Expected>,
}

impl Teller<'_> {
    fn numbers(&self, c: &Condition) -> Vec<SignalIx> {
        let signals = &self.model.circuit.vehicle.signals;
        let mut all: Vec<SignalIx> =
            c.signals().into_iter().filter_map(|id| signals.position(|s| s.id == id)).collect();
        all.sort_unstable();
        all.dedup();
        all
    }

    /// A value and what lies behind it, where it comes from elsewhere.
    fn way(&self, k: SignalIx) -> impl Iterator<Item = ChainValue> {
        let behind = behind(self.model, k);
        [k].into_iter().chain(behind).map(|of| self.look(of))
    }

    fn look(&self, k: SignalIx) -> ChainValue {
        let c = &self.model.circuit;
        let s = &c.vehicle.signals[k];
        let words = |raw: f64| self.words(k, raw);
        let raw = self.said.get(&k).copied();
        let expected = self.expected[k];
        let stands = raw.map(|raw| live::stands(self.model, k, expected, raw));
        let message = match &s.from {
            SignalSource::Received { message, .. } | SignalSource::Arrives(message) => {
                let m = c.vehicle.messages.iter().find(|m| m.id == *message);
                m.map(|m| format!("“{}” of {}", m.name, m.sender))
            }
            _ => None,
        };
        let pin = match &s.from {
            SignalSource::PinVolts { pin, .. } | SignalSource::Rate { pin, .. } => Some(pin),
            _ => None,
        };
        ChainValue {
            signal: s.id.clone(),
            name: s.name.clone(),
            module: s.module.clone(),
            says: raw.map(words).unwrap_or_default(),
            volts: raw.filter(|_| c.software.pins(k).is_some()),
            expected: if expected.depends { String::new() } else { words(expected.value) },
            as_expected: !matches!(stands, Some(live::Stands::Differs | live::Stands::NotBelieved)),
            pin: pin.map(|p| format!("{}.{p}", s.module)).unwrap_or_default(),
            wire: pin.and_then(|p| self.conductor(&s.module, p)),
            message: message.unwrap_or_default(),
        }
    }

    fn words(&self, k: SignalIx, raw: f64) -> String {
        let unit = &self.model.circuit.vehicle.signals[k].unit;
        let meaning = self.model.charts().meaning(self.model, k, raw);
        meaning.words().unwrap_or_else(|| format!("{raw:.2} {unit}"))
    }

    /// The conductor that ends at a pin of a part.
    fn conductor(&self, part: &str, pin: &str) -> Option<WireId> {
        let c = &self.model.circuit;
        let v = &c.vehicle;
        let own = v.connectors.iter().filter(|k| k.part.as_deref() == Some(part));
        let of_connectors = own.flat_map(|k| {
            let at = k
                .cavities
                .iter()
                .filter(|cavity| cavity.pin.as_deref().unwrap_or(&cavity.no) == pin);
            at.map(move |cavity| format!("{}.{}", k.id, cavity.no))
        });
        of_connectors
            .chain([format!("{part}.{pin}")])
            .find_map(|end| c.names.ending_at(&end).first().map(|w| v.wires[*w].id.clone()))
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn conditions() -> impl Strategy<Value = Condition> {
        let leaf =
            ("[abc]", -2.0..2.0f64, any::<bool>()).prop_map(|(s, limit, above)| match above {
                true => Condition::Above(s.as_str().into(), limit),
                false => Condition::Below(s.as_str().into(), limit),
            });
        leaf.prop_recursive(3, 12, 3, |inner| {
            let many = proptest::collection::vec(inner.clone(), 0..3);
            prop_oneof![
                many.clone().prop_map(Condition::All),
                many.prop_map(Condition::Any),
                inner.prop_map(|c| Condition::Not(Box::new(c))),
            ]
        })
    }

    proptest! {
        #[test]
        fn what_is_known_in_part_is_never_contradicted_by_more(
            c in conditions(),
            values in proptest::collection::vec(-3.0..3.0f64, 3),
            read in proptest::collection::vec(any::<bool>(), 3),
        ) {
            let number = |id: &str| usize::from(id.as_bytes()[0] - b'a');
            let whole = c.holds(&|id| values[number(id)]);
            let some = known(&c, &|id| read[number(id)].then(|| values[number(id)]));
            prop_assert!(some == Known::Unknown || some == Known::of(whole));
            let all = known(&c, &|id| Some(values[number(id)]));
            prop_assert_eq!(all, Known::of(whole));
        }
    }

    #[test]
    fn a_later_link_proves_the_ones_before_it() {
        let link = |known| ChainLink {
            step: ChainStep::Seen,
            known,
            by_later: false,
            looks: Vec::new(),
            permits: Vec::new(),
            shown_by: String::new(),
            minutes: 0.0,
        };
        let mut links =
            [Known::Unknown, Known::Holds, Known::Unknown, Known::Holds, Known::Unknown].map(link);
        prove_back(&mut links);
        let now: Vec<(Known, bool)> = links.iter().map(|l| (l.known, l.by_later)).collect();
        assert_eq!(
            now,
            [
                (Known::Holds, true),
                (Known::Holds, false),
                (Known::Holds, true),
                (Known::Holds, false),
                (Known::Unknown, false),
            ]
        );
    }
}
