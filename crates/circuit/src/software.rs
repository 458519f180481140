//! What the modules' software makes of the voltages: signals, requests, monitors.
//!
//! Names are resolved once, when a circuit is compiled.

use crate::compile::{Circuit, NodeId};
use crate::solve::Solution;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use vehicle::{
    MonitorIx, OperatingState, OutputId, OutputIx, PartId, PartIx, SignalId, SignalIx,
    SignalSource, TiSlice, TiVec, Vehicle,
};

vehicle::index! {
    /// What a message needs to arrive somewhere.
    ArrivalIx,
}

/// Where a signal comes from.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Source {
    /// Volts between two nodes.
    Volts(NodeId, NodeId),
    /// Whether an output is switched on.
    Output(OutputIx),
    /// Whether a message arrives.
    Arrives(ArrivalIx),
    /// A signal that a message brings, by number, what is taken when it does not arrive, and what is
    /// taken for real.
    Received(ArrivalIx, SignalIx, f64, [f64; 2]),
    /// Names that do not resolve; a validated file has none.
    Nothing,
}

/// A condition over signals by number.
#[derive(Debug, Clone, PartialEq)]
enum Condition {
    Above(SignalIx, f64),
    Below(SignalIx, f64),
    All(Vec<Condition>),
    Any(Vec<Condition>),
    Not(Box<Condition>),
}

impl Condition {
    fn compile(c: &vehicle::Condition, number: &HashMap<&str, SignalIx>) -> Self {
        let signal = |id: &SignalId| number.get(id.as_str()).copied();
        let all = |of: &[vehicle::Condition]| of.iter().map(|c| Self::compile(c, number)).collect();
        // Of a signal that nobody has nothing holds.
        let never = || Self::Any(Vec::new());
        match c {
            vehicle::Condition::Above(id, limit) => {
                signal(id).map_or_else(never, |s| Self::Above(s, *limit))
            }
            vehicle::Condition::Below(id, limit) => {
                signal(id).map_or_else(never, |s| Self::Below(s, *limit))
            }
            vehicle::Condition::All(of) => Self::All(all(of)),
            vehicle::Condition::Any(of) => Self::Any(all(of)),
            vehicle::Condition::Not(of) => Self::Not(Box::new(Self::compile(of, number))),
        }
    }

    /// Every signal it looks at, with its limit.
    fn each(&self, tell: &mut dyn FnMut(SignalIx, f64)) {
        match self {
            Self::Above(signal, limit) | Self::Below(signal, limit) => tell(*signal, *limit),
            Self::All(of) | Self::Any(of) => of.iter().for_each(|c| c.each(tell)),
            Self::Not(c) => c.each(tell),
        }
    }

    /// Whether it can hold and whether it can fail, where each signal has one of two values.
    fn can(&self, either: &dyn Fn(SignalIx) -> [f64; 2]) -> (bool, bool) {
        let of = |signal: SignalIx, holds: &dyn Fn(f64) -> bool| {
            let [a, b] = either(signal).map(holds);
            (a || b, !a || !b)
        };
        match self {
            Self::Above(signal, limit) => of(*signal, &|v| v > *limit),
            Self::Below(signal, limit) => of(*signal, &|v| v < *limit),
            Self::All(all) => all.iter().fold((true, false), |(holds, fails), c| {
                let (h, f) = c.can(either);
                (holds && h, fails || f)
            }),
            Self::Any(any) => any.iter().fold((false, true), |(holds, fails), c| {
                let (h, f) = c.can(either);
                (holds || h, fails && f)
            }),
            Self::Not(c) => {
                let (holds, fails) = c.can(either);
                (fails, holds)
            }
        }
    }

    fn holds(&self, value: &dyn Fn(SignalIx) -> f64) -> bool {
        match self {
            Self::Above(signal, limit) => value(*signal) > *limit,
            Self::Below(signal, limit) => value(*signal) < *limit,
            Self::All(of) => of.iter().all(|c| c.holds(value)),
            Self::Any(of) => of.iter().any(|c| c.holds(value)),
            Self::Not(c) => !c.holds(value),
        }
    }
}

/// A message somebody waits for: what it needs to arrive there.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Arrival {
    /// Who sends it.
    pub sender: PartIx,
    /// Who waits for it.
    pub at: PartIx,
    /// Number of the bus it is sent on.
    pub bus: usize,
    /// The gateway, where it has to pass it on.
    over: Option<PartIx>,
}

impl Arrival {
    /// Of a message at a part.
    fn of(
        vehicle: &Vehicle,
        part: &HashMap<PartId, PartIx>,
        gateway: Option<PartIx>,
        message: &str,
        at: PartIx,
    ) -> Option<Self> {
        let message = vehicle.messages.iter().find(|m| m.id == message)?;
        let sender = *part.get(&message.sender)?;
        let bus = vehicle.buses.iter().position(|b| b.id == message.bus)?;
        let elements = vehicle.parts.get(at).into_iter().flat_map(|p| &p.elements);
        let is_on = elements.into_iter().any(|e| e.bus() == Some(message.bus.as_str()));
        let is_lin = vehicle.buses[bus].kind == vehicle::BusKind::Lin;
        Some(Self { sender, at, bus, over: gateway.filter(|_| !is_lin && !is_on) })
    }

    /// Who must work for it: who sends it, who waits for it, who passes it on.
    fn talking(&self) -> impl Iterator<Item = PartIx> {
        [self.sender, self.at].into_iter().chain(self.over)
    }

    /// Whether all it takes works; whether the bus lets it through is another question.
    fn is_sent(&self, view: View<'_>) -> bool {
        let works = |p: PartIx| view.alive.get(p).copied().unwrap_or(false);
        works(self.sender) && works(self.at) && self.over.is_none_or(works)
    }
}

#[derive(Debug)]
struct Function {
    /// Modules that must work for the request to be seen.
    modules: Vec<PartIx>,
    request: Condition,
    output: Option<OutputIx>,
    /// It looks at what arrives.
    listens: bool,
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
    arrivals: TiVec<ArrivalIx, Arrival>,
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
    /// Messages that do not get through although their senders work, in rising order (see
    /// [`crate::hearing`]).
    pub lost: &'a [ArrivalIx],
}

impl Software {
    pub(crate) fn new(
        vehicle: &Vehicle,
        part: &HashMap<PartId, PartIx>,
        pins: &BTreeMap<(PartIx, String), NodeId>,
        nodes: usize,
    ) -> Self {
        let outputs: HashMap<OutputId, OutputIx> =
            vehicle.outputs.iter_enumerated().map(|(k, o)| (o.id.clone(), k)).collect();
        let gateway = crate::hearing::gateway(vehicle);
        let number: HashMap<&str, SignalIx> =
            vehicle.signals.iter_enumerated().map(|(k, s)| (s.id.as_str(), k)).collect();
        let mut arrivals: TiVec<ArrivalIx, Arrival> = TiVec::new();
        let mut arrival = |message: &str, at: &str| {
            let at = *part.get(at)?;
            let of = Arrival::of(vehicle, part, gateway, message, at)?;
            let known = arrivals.position(|a| *a == of);
            Some(known.unwrap_or_else(|| arrivals.push_and_get_key(of)))
        };
        let signals: TiVec<SignalIx, Source> = vehicle
            .signals
            .iter()
            .map(|s| match &s.from {
                SignalSource::PinVolts { pin, against } => {
                    let node = |pin: &String| {
                        part.get(&s.module).and_then(|p| pins.get(&(*p, pin.clone()))).copied()
                    };
                    match (node(pin), node(against)) {
                        (Some(a), Some(b)) => Source::Volts(a, b),
                        _ => Source::Nothing,
                    }
                }
                SignalSource::Output(output) => {
                    outputs.get(output).map_or(Source::Nothing, |o| Source::Output(*o))
                }
                SignalSource::Arrives(message) => {
                    arrival(message, &s.module).map_or(Source::Nothing, Source::Arrives)
                }
                SignalSource::Received { message, signal, substitute, valid } => {
                    let valid = valid.unwrap_or([f64::NEG_INFINITY, f64::INFINITY]);
                    match (arrival(message, &s.module), number.get(signal.as_str())) {
                        (Some(a), Some(of)) => Source::Received(a, *of, *substitute, valid),
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
                let mut listens = false;
                request.each(&mut |signal, _| {
                    if let Source::Arrives(a) | Source::Received(a, ..) = signals[signal] {
                        requested.push(a);
                        listens = true;
                    }
                });
                Function {
                    modules: f.condition().signals().into_iter().filter_map(module_of).collect(),
                    request,
                    output: outputs.get(&f.output).copied(),
                    listens,
                }
            })
            .collect();
        requested.sort_unstable();
        requested.dedup();
        let mut is_read: TiVec<NodeId, bool> = vec![false; nodes].into();
        let conditions: Vec<vehicle::Condition> =
            vehicle.functions.iter().map(vehicle::Function::condition).collect();
        for id in conditions.iter().flat_map(vehicle::Condition::signals) {
            let at = number.get(id).map(|k| match signals[*k] {
                Source::Received(_, of, ..) => of,
                _ => *k,
            });
            if let Some(Source::Volts(a, b)) = at.map(|k| signals[k]) {
                is_read[a] = true;
                is_read[b] = true;
            }
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
                let source = signals.get(signal);
                found |= matches!(source, Some(Source::Arrives(_) | Source::Received(..)));
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
        self.arrivals.iter_enumerated()
    }

    fn arrives(&self, view: View<'_>, arrival: ArrivalIx) -> bool {
        self.arrivals[arrival].is_sent(view) && view.lost.binary_search(&arrival).is_err()
    }

    /// Whether a request waits for a message.
    pub(crate) fn is_requested(&self, message: ArrivalIx) -> bool {
        self.requested.binary_search(&message).is_ok()
    }

    /// Whether what is asked for may hang on whether messages arrive that are sent: so it may where a
    /// function's request could turn out either way.
    pub(crate) fn hangs(&self, view: View<'_>) -> bool {
        let either = |signal: SignalIx| match self.signals.get(signal) {
            Some(Source::Arrives(a)) if self.arrivals[*a].is_sent(view) => [0.0, 1.0],
            Some(Source::Received(a, of, substitute, valid)) if self.arrivals[*a].is_sent(view) => {
                [taken(self.sent(view, *of), *substitute, *valid), *substitute]
            }
            _ => [self.signal(view, signal); 2],
        };
        self.functions.iter().any(|f| {
            f.listens
                && f.modules.iter().all(|m| view.alive[*m])
                && f.request.can(&either) == (true, true)
        })
    }

    /// Number of an output.
    pub fn output(&self, id: &str) -> Option<OutputIx> {
        self.outputs.get(id).copied()
    }

    /// Value of a signal, by number, in its unit.
    pub fn signal(&self, view: View<'_>, signal: SignalIx) -> f64 {
        match self.signals.get(signal) {
            Some(Source::Volts(a, b)) => view.volts[*a] - view.volts[*b],
            Some(Source::Output(o)) => f64::from(u8::from(view.asked.contains(o))),
            Some(Source::Arrives(a)) => f64::from(u8::from(self.arrives(view, *a))),
            Some(Source::Received(a, _, substitute, _)) if !self.arrives(view, *a) => *substitute,
            Some(Source::Received(_, of, substitute, valid)) => {
                taken(self.sent(view, *of), *substitute, *valid)
            }
            Some(Source::Nothing) | None => 0.0,
        }
    }

    /// What a sender says of a signal: it comes from its pins or outputs, there is no chain of messages.
    fn sent(&self, view: View<'_>, signal: SignalIx) -> f64 {
        match self.signals.get(signal) {
            Some(Source::Volts(..) | Source::Output(_)) => self.signal(view, signal),
            _ => 0.0,
        }
    }

    /// The nodes between which a signal, by number, is a voltage; none for one that is not.
    pub fn pins(&self, signal: SignalIx) -> Option<(NodeId, NodeId)> {
        match self.signals.get(signal) {
            Some(Source::Volts(a, b)) => Some((*a, *b)),
            _ => None,
        }
    }

    /// What a monitor looks at; nothing of one that does not exist.
    pub fn looks_at(&self, monitor: MonitorIx) -> Looks {
        let mut looks = Looks::default();
        let Some(m) = self.monitors.get(monitor) else { return looks };
        m.fails.each(&mut |signal, _| match self.signals.get(signal) {
            Some(Source::Arrives(a)) => looks.talking.extend(self.arrivals[*a].talking()),
            Some(Source::Received(a, of, ..)) => {
                looks.talking.extend(self.arrivals[*a].talking());
                looks.fails.extend(self.pins(*of));
            }
            _ => looks.fails.extend(self.pins(signal)),
        });
        if let Some(enable) = &m.enable {
            enable.each(&mut |signal, _| looks.enables.extend(self.pins(signal)));
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
                let (at, valid) = match self.signals.get(signal) {
                    Some(Source::Received(_, of, _, valid)) => (*of, Some(valid)),
                    _ => (signal, None),
                };
                if let Some(Source::Volts(a, b)) = self.signals.get(at) {
                    let volts = view.volts[*a] - view.volts[*b];
                    let limits = valid.into_iter().flatten().copied().chain([limit]);
                    let margin = limits.map(|l| (volts - l).abs()).fold(f64::INFINITY, f64::min);
                    out.extend([(*a, margin), (*b, margin)]);
                }
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
