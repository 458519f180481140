//! What the modules' software makes of the voltages: signals, requests, monitors.
//!
//! Names are resolved once, when a circuit is compiled.

mod awaited;
mod condition;
pub mod procedure;

use crate::compile::{BODY, Circuit, NodeId};
use crate::solve::Solution;
pub(crate) use awaited::{Arrival, Awaited, Pulses};
use condition::Condition;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use vehicle::{
    Formula, MonitorIx, OperatingState, OutputId, OutputIx, PartId, PartIx, SignalIx, SignalSource,
    TiSlice, TiVec, Vehicle,
};

vehicle::index! {
    /// Something that a module waits for: a message, the pulses of a sensor.
    ArrivalIx,
}

/// Where a signal comes from.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Source {
    /// Volts between two nodes.
    Volts(NodeId, NodeId),
    /// Amperes through a resistance between two nodes, ohms.
    Amps(NodeId, NodeId, f64),
    /// Whether an output is switched on.
    Output(OutputIx),
    /// How much of the time an output is on, percent, and how much usually when it is.
    Duty(OutputIx, f64),
    /// Whether a message arrives.
    Arrives(ArrivalIx),
    /// A signal that a message brings, by number, what is taken when it does not arrive, and what is
    /// taken for real.
    Received(ArrivalIx, SignalIx, f64, [f64; 2]),
    /// How often a ring's teeth pass, as the voltage of its node; nothing where the pulses do not arrive.
    Rate(ArrivalIx, NodeId),
    /// Worked out of other signals, by its number among the formulas.
    Formula(usize),
    /// Names that do not resolve; a validated file has none.
    Nothing,
}

#[derive(Debug)]
struct Function {
    /// Modules that must work for the request to be seen.
    modules: Vec<PartIx>,
    request: Condition,
    output: Option<OutputIx>,
    /// What it waits for.
    awaits: Vec<ArrivalIx>,
}

#[derive(Debug)]
struct Monitor {
    module: Option<PartIx>,
    enable: Option<Condition>,
    fails: Condition,
}

/// The modules' software, names resolved.
#[derive(Debug)]
pub struct Software {
    signals: TiVec<SignalIx, Source>,
    arrivals: TiVec<ArrivalIx, Awaited>,
    /// What is worked out of other signals.
    formulas: Vec<Formula<SignalIx>>,
    /// Monitors that look at what arrives.
    listening: Vec<MonitorIx>,
    functions: Vec<Function>,
    /// What has to arrive for requests, in rising order.
    requested: Vec<ArrivalIx>,
    monitors: TiVec<MonitorIx, Monitor>,
    /// Number of each output.
    outputs: HashMap<OutputId, OutputIx>,
    /// Whether a driver's request depends on the voltage of each node.
    pub is_read: TiVec<NodeId, bool>,
    /// The same as a list.
    pub read: Vec<NodeId>,
    /// Parts on each bus, in the order of the vehicle file.
    pub members: Vec<Vec<PartIx>>,
    /// Masters of each LIN bus.
    masters: Vec<Vec<PartIx>>,
}

/// What a monitor looks at.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Looks {
    /// Voltages by which it fails, as pairs of nodes: those of its own module, and those behind values it
    /// gets from others.
    pub fails: Vec<(NodeId, NodeId)>,
    /// Voltages that let it run, in the same way.
    pub enables: Vec<(NodeId, NodeId)>,
    /// Parts that must talk with each other for the messages it waits for.
    pub talking: Vec<PartIx>,
}

/// What a monitor finds at an operating point.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Verdict {
    /// Its module is silent or its enabling condition does not hold.
    NotRun,
    /// It ran and found nothing.
    Passed,
    /// It ran and failed.
    Failed,
}

/// What the software looks at: node voltages, module life, outputs asked for.
#[derive(Debug, Clone, Copy)]
pub struct View<'a> {
    /// Node voltages, volts.
    pub volts: &'a TiSlice<NodeId, f64>,
    /// Whether each part works.
    pub alive: &'a TiSlice<PartIx, bool>,
    /// Outputs asked for.
    pub asked: &'a BTreeSet<OutputIx>,
    /// How much of the time outputs are on that a tester set so, percent.
    pub percent: &'a BTreeMap<OutputIx, f64>,
    /// Messages that do not get through although their senders work, in rising order (see
    /// [`crate::hearing`]).
    pub lost: &'a [ArrivalIx],
}

impl Software {
    pub(crate) fn new(
        vehicle: &Vehicle,
        part: &HashMap<PartId, PartIx>,
        pins: &BTreeMap<(PartIx, String), NodeId>,
        (rings, held): (&HashMap<PartIx, NodeId>, &HashMap<String, NodeId>),
        nodes: usize,
    ) -> Self {
        let outputs: HashMap<OutputId, OutputIx> =
            vehicle.outputs.iter_enumerated().map(|(k, o)| (o.id.clone(), k)).collect();
        let gateway = crate::hearing::gateway(vehicle);
        let number: HashMap<&str, SignalIx> =
            vehicle.signals.iter_enumerated().map(|(k, s)| (s.id.as_str(), k)).collect();
        let mut arrivals: TiVec<ArrivalIx, Awaited> = TiVec::new();
        let mut awaited = |of: Awaited| {
            let known = arrivals.position(|a| *a == of);
            known.unwrap_or_else(|| arrivals.push_and_get_key(of))
        };
        let mut formulas = Vec::new();
        let message_at = |message: &str, at: &str| {
            let of = Arrival::of(vehicle, part, gateway, message, *part.get(at)?)?;
            Some(Awaited::Message(of))
        };
        let node = |module: &PartId, pin: &String| -> Option<NodeId> {
            pins.get(&(*part.get(module)?, pin.clone())).copied()
        };
        let signals: TiVec<SignalIx, Source> = vehicle
            .signals
            .iter()
            .map(|s| match &s.from {
                SignalSource::PinVolts { pin, against } => {
                    match (node(&s.module, pin), node(&s.module, against)) {
                        (Some(a), Some(b)) => Source::Volts(a, b),
                        _ => Source::Nothing,
                    }
                }
                SignalSource::Amps { from, to, ohms } => {
                    match (node(&s.module, from), node(&s.module, to)) {
                        (Some(a), Some(b)) => Source::Amps(a, b, *ohms),
                        _ => Source::Nothing,
                    }
                }
                SignalSource::Rate { pin, against, over, ring } => {
                    let at = part.get(&s.module);
                    let ring = part.get(ring).and_then(|p| rings.get(p));
                    match (at, node(&s.module, pin), node(&s.module, against), ring) {
                        (Some(at), Some(a), Some(b), Some(ring)) => {
                            let pulses = Pulses { at: *at, pins: (a, b), over: *over };
                            Source::Rate(awaited(Awaited::Pulses(pulses)), *ring)
                        }
                        _ => Source::Nothing,
                    }
                }
                SignalSource::Formula(formula) => {
                    match formula.over(&|id: &vehicle::SignalId| number.get(id.as_str()).copied()) {
                        Some(formula) => {
                            formulas.push(formula);
                            Source::Formula(formulas.len() - 1)
                        }
                        None => Source::Nothing,
                    }
                }
                SignalSource::Setting(id) => {
                    held.get(id).map_or(Source::Nothing, |n| Source::Volts(*n, BODY))
                }
                SignalSource::Duty(output) => outputs.get(output).map_or(Source::Nothing, |o| {
                    Source::Duty(*o, 100.0 * vehicle.outputs[*o].duty.unwrap_or(1.0))
                }),
                SignalSource::Output(output) => {
                    outputs.get(output).map_or(Source::Nothing, |o| Source::Output(*o))
                }
                SignalSource::Arrives(message) => message_at(message, &s.module)
                    .map_or(Source::Nothing, |m| Source::Arrives(awaited(m))),
                SignalSource::Received { message, signal, substitute, valid } => {
                    let valid = valid.unwrap_or([f64::NEG_INFINITY, f64::INFINITY]);
                    match (message_at(message, &s.module), number.get(signal.as_str())) {
                        (Some(m), Some(of)) => {
                            Source::Received(awaited(m), *of, *substitute, valid)
                        }
                        _ => Source::Nothing,
                    }
                }
            })
            .collect();
        let module_of = |signal: &str| {
            number.get(signal).and_then(|k| part.get(&vehicle.signals[*k].module)).copied()
        };
        let mut requested: Vec<ArrivalIx> = Vec::new();
        let functions = vehicle
            .functions
            .iter()
            .map(|f| {
                let request = Condition::compile(&f.condition(), &number);
                let mut awaits: Vec<ArrivalIx> = Vec::new();
                request.each(&mut |signal, _| {
                    let awaited = &mut |a| awaits.push(a);
                    each_leaf(&signals, &formulas, signal, &mut |leaf, _| leaf.awaits(awaited));
                });
                requested.extend(&awaits);
                Function {
                    modules: f.condition().signals().into_iter().filter_map(module_of).collect(),
                    request,
                    output: outputs.get(&f.output).copied(),
                    awaits,
                }
            })
            .collect();
        requested.sort_unstable();
        requested.dedup();
        let mut is_read: TiVec<NodeId, bool> = vec![false; nodes].into();
        let conditions: Vec<vehicle::Condition> =
            vehicle.functions.iter().map(vehicle::Function::condition).collect();
        for id in conditions.iter().flat_map(vehicle::Condition::signals) {
            let Some(at) = number.get(id) else { continue };
            each_leaf(&signals, &formulas, *at, &mut |leaf, _| {
                leaf.nodes().for_each(|n| is_read[n] = true);
            });
        }
        let monitors: TiVec<MonitorIx, Monitor> = vehicle
            .monitors
            .iter()
            .map(|m| Monitor {
                module: part.get(&m.module).copied(),
                enable: m.enable.as_ref().map(|c| Condition::compile(c, &number)),
                fails: Condition::compile(&m.fails, &number),
            })
            .collect();
        let with = |holds: &dyn Fn(&vehicle::Element) -> bool| -> Vec<PartIx> {
            let of = |p: &&vehicle::Part| p.elements.iter().any(holds);
            vehicle.parts.iter().filter(of).filter_map(|p| part.get(&p.id)).copied().collect()
        };
        let members =
            vehicle.buses.iter().map(|b| with(&|e| e.bus() == Some(b.id.as_str()))).collect();
        let masters = vehicle.buses.iter().map(|b| with(&|e| e.is_master_of(&b.id))).collect();
        let read = is_read.keys().filter(|n| is_read[*n]).collect();
        let listens = |c: &Condition| {
            let mut found = false;
            c.each(&mut |signal, _| {
                each_leaf(&signals, &formulas, signal, &mut |leaf, _| {
                    leaf.awaits(&mut |_| found = true);
                });
            });
            found
        };
        let listening = monitors
            .keys()
            .filter(|k| {
                listens(&monitors[*k].fails) || monitors[*k].enable.as_ref().is_some_and(listens)
            })
            .collect();
        Self {
            signals,
            arrivals,
            formulas,
            listening,
            functions,
            requested,
            monitors,
            outputs,
            is_read,
            read,
            members,
            masters,
        }
    }

    /// Every message somebody waits for.
    pub(crate) fn arrivals(&self) -> impl Iterator<Item = (ArrivalIx, &Arrival)> {
        self.arrivals.iter_enumerated().filter_map(|(k, a)| Some((k, a.message()?)))
    }

    /// All pulses that somebody counts.
    pub(crate) fn pulses(&self) -> impl Iterator<Item = (ArrivalIx, &Pulses)> {
        self.arrivals.iter_enumerated().filter_map(|(k, a)| Some((k, a.pulses()?)))
    }

    fn arrives(&self, view: View<'_>, arrival: ArrivalIx) -> bool {
        self.arrivals[arrival].is_sent(view) && view.lost.binary_search(&arrival).is_err()
    }

    /// Whether a request waits for a message.
    pub(crate) fn is_requested(&self, message: ArrivalIx) -> bool {
        self.requested.binary_search(&message).is_ok()
    }

    /// Whether what is asked for may hang on whether messages arrive that are sent.
    pub(crate) fn hangs(&self, view: View<'_>) -> bool {
        self.hanging(view).next().is_some()
    }

    /// What is waited for by functions of which the request could turn out either way, for all that is sent.
    pub(crate) fn awaited<'a>(&'a self, view: View<'a>) -> impl Iterator<Item = ArrivalIx> + 'a {
        self.hanging(view).flat_map(|f| f.awaits.iter().copied())
    }

    /// Functions of which the request could turn out either way.
    fn hanging<'a>(&'a self, view: View<'a>) -> impl Iterator<Item = &'a Function> {
        let either = move |signal: SignalIx| match self.signals.get(signal) {
            Some(Source::Arrives(a)) if self.arrivals[*a].is_sent(view) => [0.0, 1.0],
            Some(Source::Received(a, of, substitute, valid)) if self.arrivals[*a].is_sent(view) => {
                match self.is_counted(view, *of) {
                    true => ANYTHING,
                    false => [taken(self.sent(view, *of), *substitute, *valid), *substitute],
                }
            }
            _ if self.is_counted(view, signal) => ANYTHING,
            _ => [self.signal(view, signal); 2],
        };
        self.functions.iter().filter(move |f| {
            !f.awaits.is_empty()
                && f.modules.iter().all(|m| view.alive[*m])
                && f.request.can(&either) == (true, true)
        })
    }

    /// Whether a value hangs on pulses that something turning would make.
    fn is_counted(&self, view: View<'_>, signal: SignalIx) -> bool {
        let mut found = false;
        each_leaf(&self.signals, &self.formulas, signal, &mut |leaf, _| {
            if let Source::Rate(a, ring) = leaf {
                found |= view.volts[ring] > STANDING_HERTZ && self.arrivals[a].is_sent(view);
            }
        });
        found
    }

    /// The node of the ring whose teeth a signal counts; none of one that counts nothing.
    pub fn ring(&self, signal: SignalIx) -> Option<NodeId> {
        match self.signals.get(signal) {
            Some(Source::Rate(_, ring)) => Some(*ring),
            _ => None,
        }
    }

    /// Whether the pulses that a signal counts arrive, given the voltages with a gap and with a tooth before
    /// the sensor.
    pub fn counts(
        &self,
        signal: SignalIx,
        gap: impl Fn(NodeId, NodeId) -> f64,
        tooth: impl Fn(NodeId, NodeId) -> f64,
    ) -> bool {
        let Some(Source::Rate(a, _)) = self.signals.get(signal) else { return false };
        self.arrivals[*a].pulses().is_some_and(|p| p.arrive(gap, tooth))
    }

    /// Number of an output.
    pub fn output(&self, id: &str) -> Option<OutputIx> {
        self.outputs.get(id).copied()
    }

    /// How much of the time outputs are on that a tester set so in a state, percent.
    pub(crate) fn percent(&self, state: &OperatingState) -> BTreeMap<OutputIx, f64> {
        let set = state.percent.iter();
        set.filter_map(|(id, percent)| Some((self.output(id)?, percent.0))).collect()
    }

    /// Value of a signal, by number, in its unit.
    pub fn signal(&self, view: View<'_>, signal: SignalIx) -> f64 {
        match self.signals.get(signal) {
            Some(Source::Volts(a, b)) => view.volts[*a] - view.volts[*b],
            Some(Source::Amps(a, b, ohms)) => (view.volts[*a] - view.volts[*b]) / ohms,
            Some(Source::Duty(o, usual)) if view.asked.contains(o) => {
                view.percent.get(o).copied().unwrap_or(*usual)
            }
            Some(Source::Output(o)) => f64::from(u8::from(view.asked.contains(o))),
            Some(Source::Arrives(a)) => f64::from(u8::from(self.arrives(view, *a))),
            Some(Source::Received(a, _, substitute, _)) if !self.arrives(view, *a) => *substitute,
            Some(Source::Received(_, of, substitute, valid)) => {
                taken(self.sent(view, *of), *substitute, *valid)
            }
            Some(Source::Rate(a, ring)) if self.arrives(view, *a) => view.volts[*ring],
            Some(Source::Formula(k)) => self.formulas[*k].value(&|s| self.signal(view, *s)),
            Some(Source::Duty(..) | Source::Rate(..) | Source::Nothing) | None => 0.0,
        }
    }

    /// What a sender says of a signal: it comes from its pins or outputs, there is no chain of messages.
    fn sent(&self, view: View<'_>, signal: SignalIx) -> f64 {
        match self.signals.get(signal) {
            Some(Source::Received(..) | Source::Arrives(_)) => 0.0,
            _ => self.signal(view, signal),
        }
    }

    /// The nodes between which a signal, by number, is a voltage; none for one that is not.
    pub fn pins(&self, signal: SignalIx) -> Option<(NodeId, NodeId)> {
        match self.signals.get(signal) {
            Some(Source::Volts(a, b)) => Some((*a, *b)),
            _ => None,
        }
    }

    /// The nodes whose voltage a signal, by number, is in proportion to, and what that is divided by: 1 for a
    /// voltage, the ohms of the shunt for a current. None for any other.
    pub fn follows(&self, signal: SignalIx) -> Option<(NodeId, NodeId, f64)> {
        match self.signals.get(signal) {
            Some(Source::Volts(a, b)) => Some((*a, *b, 1.0)),
            Some(Source::Amps(a, b, ohms)) => Some((*a, *b, *ohms)),
            _ => None,
        }
    }

    /// The nodes between which a source is looked at.
    fn between(&self, source: Source) -> Option<(NodeId, NodeId)> {
        match source {
            Source::Volts(a, b) | Source::Amps(a, b, _) => Some((a, b)),
            Source::Rate(a, _) => self.arrivals[a].pulses().map(|p| p.pins),
            _ => None,
        }
    }

    /// What a monitor looks at; nothing of one that does not exist.
    pub fn looks_at(&self, monitor: MonitorIx) -> Looks {
        let mut looks = Looks::default();
        let Some(m) = self.monitors.get(monitor) else { return looks };
        m.fails.each(&mut |signal, _| {
            each_leaf(&self.signals, &self.formulas, signal, &mut |leaf, _| {
                leaf.awaits(&mut |a| {
                    looks
                        .talking
                        .extend(self.arrivals[a].message().iter().flat_map(|m| m.talking()));
                });
                looks.fails.extend(self.between(leaf));
                if let Source::Rate(_, ring) = leaf {
                    looks.fails.push((ring, BODY));
                }
            });
        });
        if let Some(enable) = &m.enable {
            enable.each(&mut |signal, _| {
                let own = |s| !matches!(s, Source::Received(..));
                if self.signals.get(signal).copied().is_some_and(own) {
                    each_leaf(&self.signals, &self.formulas, signal, &mut |leaf, _| {
                        looks.enables.extend(self.between(leaf));
                    });
                }
            });
        }
        looks.talking.sort_unstable();
        looks.talking.dedup();
        looks
    }

    /// Outputs asked for: by a tester, or by a function whose request holds in working modules.
    pub fn asked(&self, state: &OperatingState, view: View<'_>) -> BTreeSet<OutputIx> {
        let value = |signal: SignalIx| self.signal(view, signal);
        let by_tester = state.outputs.iter().filter_map(|id| self.output(id));
        let by_function = self
            .functions
            .iter()
            .filter(|f| f.modules.iter().all(|m| view.alive[*m]) && f.request.holds(&value))
            .filter_map(|f| f.output);
        by_tester.chain(by_function).collect()
    }

    /// How far the voltage between the nodes of each signal that a request looks at may move
    /// before the request could change, volts, for each of these nodes.
    pub fn margins(&self, view: View<'_>) -> Vec<(NodeId, f64)> {
        let mut out = Vec::new();
        for f in &self.functions {
            f.request.each(&mut |signal, limit| {
                let valid = match self.signals.get(signal) {
                    Some(Source::Received(.., valid)) => Some(valid),
                    _ => None,
                };
                each_leaf(&self.signals, &self.formulas, signal, &mut |leaf, whole| {
                    // What a volt more or less makes of the value.
                    let per = if let Source::Amps(.., ohms) = leaf { ohms } else { 1.0 };
                    let value = match leaf {
                        // What others are worked into as well may matter however little it moves.
                        _ if !whole => limit,
                        Source::Volts(a, b) => view.volts[a] - view.volts[b],
                        Source::Amps(a, b, ohms) => (view.volts[a] - view.volts[b]) / ohms,
                        Source::Rate(_, ring) => view.volts[ring],
                        _ => return,
                    };
                    let limits = valid.into_iter().flatten().copied().chain([limit]);
                    let margin =
                        limits.map(|l| (value - l).abs()).fold(f64::INFINITY, f64::min) * per;
                    out.extend(leaf.nodes().map(|n| (n, margin)));
                });
            });
        }
        out
    }

    /// Verdict of each monitor, in the order of the vehicle file.
    pub fn monitors(&self, view: View<'_>) -> TiVec<MonitorIx, Verdict> {
        self.monitors.iter().map(|m| self.verdict(view, m)).collect()
    }

    /// Verdict of each monitor that looks at what arrives over a bus, with its number.
    pub fn listening(&self, view: View<'_>) -> impl Iterator<Item = (MonitorIx, Verdict)> {
        self.listening.iter().map(move |k| (*k, self.verdict(view, &self.monitors[*k])))
    }

    fn verdict(&self, view: View<'_>, m: &Monitor) -> Verdict {
        let value = |signal: SignalIx| self.signal(view, signal);
        if !m.module.is_some_and(|p| view.alive[p])
            || m.enable.as_ref().is_some_and(|c| !c.holds(&value))
        {
            Verdict::NotRun
        } else if m.fails.holds(&value) {
            Verdict::Failed
        } else {
            Verdict::Passed
        }
    }

    /// Which parts sit on a bus that is kept awake: by a working LIN master, or by a working
    /// module that was not itself woken over a bus.
    pub fn bus_awake(
        &self,
        alive: &TiSlice<PartIx, bool>,
        woken_by_bus: &TiSlice<PartIx, bool>,
    ) -> TiVec<PartIx, bool> {
        let mut out: TiVec<PartIx, bool> = vec![false; alive.len()].into();
        for (members, masters) in self.members.iter().zip(&self.masters) {
            let keeps = |p: &PartIx| alive[*p] && (!woken_by_bus[*p] || masters.contains(p));
            if members.iter().any(keeps) {
                // A master must not keep itself awake over the bus it leads.
                for p in members.iter().filter(|p| !masters.contains(p)) {
                    out[*p] = true;
                }
            }
        }
        out
    }
}

impl Source {
    /// Tells what it waits for.
    fn awaits(self, tell: &mut dyn FnMut(ArrivalIx)) {
        if let Self::Arrives(a) | Self::Received(a, ..) | Self::Rate(a, _) = self {
            tell(a);
        }
    }

    /// Nodes whose voltage it is.
    fn nodes(self) -> impl Iterator<Item = NodeId> {
        let nodes = match self {
            Self::Volts(a, b) => [Some(a), Some(b)],
            Self::Rate(_, ring) => [Some(ring), None],
            _ => [None; 2],
        };
        nodes.into_iter().flatten()
    }
}

/// Tells every source that a signal's value comes from in the end: itself, what a message brings, what it is
/// worked out of; and whether it is all of the value.
fn each_leaf(
    signals: &TiSlice<SignalIx, Source>,
    formulas: &[Formula<SignalIx>],
    signal: SignalIx,
    tell: &mut dyn FnMut(Source, bool),
) {
    let Some(source) = signals.get(signal).copied() else { return };
    match source {
        Source::Received(_, of, ..) => {
            tell(source, true);
            each_leaf(signals, formulas, of, tell);
        }
        Source::Formula(k) => formulas[k].each(&mut |s| {
            each_leaf(signals, formulas, *s, &mut |leaf, _| tell(leaf, false));
        }),
        _ => tell(source, true),
    }
}

/// A condition on a value that could be anything may hold and may fail.
const ANYTHING: [f64; 2] = [f64::NEG_INFINITY, f64::INFINITY];
/// A ring that turns slower than this stands, hertz.
const STANDING_HERTZ: f64 = 0.01;

/// What is taken of a value that was sent.
fn taken(sent: f64, substitute: f64, [least, most]: [f64; 2]) -> f64 {
    if sent < least || sent > most { substitute } else { sent }
}

/// Value of a signal in its unit, by name; 0 for one that does not exist. `lost` as in [`View`].
pub fn signal(circuit: &Circuit, solution: &Solution, lost: &[ArrivalIx], id: &str) -> f64 {
    let number = circuit.vehicle.signals.position(|s| s.id == id);
    let alive = solution.alive_parts(circuit);
    number.map_or(0.0, |n| circuit.software.signal(solution.view(&alive, lost), n))
}

/// Verdict of each monitor, in the order of the vehicle file. `lost` as in [`View`].
pub fn monitors(
    circuit: &Circuit,
    solution: &Solution,
    lost: &[ArrivalIx],
) -> TiVec<MonitorIx, Verdict> {
    let alive = solution.alive_parts(circuit);
    circuit.software.monitors(solution.view(&alive, lost))
}
