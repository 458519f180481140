//! Who can be talked to: the gateway and the modules behind it, a LIN master and its slaves, over the
//! buses as they are (ISO 11898-2, ISO 17987-4). A request reaches a member when the dominant bits
//! from the middle of its bus are dominant there and the pauses recessive; the answer when the
//! member's are so in the middle. Two members that both talk with the middle talk with each other;
//! where one of them does not, as behind a pass-through that is open, the two are asked themselves.

use crate::bus_lines::{bit, bus_lines, touches};
use crate::compile::{Circuit, DeviceIx, NodeId};
use crate::fault::Change;
use crate::phase::{DOMINANT, Ear};
use crate::software::ArrivalIx;
use crate::solve::Solution;
use crate::sweep::{Point, Sweep};
use std::collections::BTreeSet;
use std::sync::Arc;
use vehicle::{OperatingState, PartIx, TiSlice, TiVec, Vehicle};

/// A level that moves by less than this leaves the way back as it was, volts: what 30 ohms in one line
/// of a stub make of the current into a receiver of 60 kilohms; the way back stands a good 100.
const SAME_VOLTS: f64 = 1e-3;
/// A resting CAN line that moves by more than this may matter, volts.
const RESTS_VOLTS: f64 = 0.02;
/// The same of a LIN line, which rests near the supply: a fifth of what its receivers leave.
const LIN_RESTS_VOLTS: f64 = 0.5;
/// A dominant level beyond doubt, volts.
const RESTING_DOMINANT_VOLTS: f64 = 2.0;
/// Mode of a transceiver that sends nothing.
const SILENT: u8 = 0;

/// Part of the module a tester talks through: as the file says, else the one with the most CAN buses.
pub fn gateway(v: &Vehicle) -> Option<PartIx> {
    let cans = |part: PartIx| {
        let elements = v.parts[part].elements.iter();
        elements.filter(|e| e.bus_end().is_some_and(|end| end.is_can())).count()
    };
    let named = v.gateway.as_ref().and_then(|id| v.parts.position(|p| p.id == *id));
    let modules = v.parts.keys().filter(|p| v.parts[*p].module.is_some() && cans(*p) > 0);
    named.or_else(|| modules.max_by_key(|p| (cans(*p), std::cmp::Reverse(*p))))
}

/// The buses modules talk over, resolved once for a circuit.
#[derive(Debug, Clone)]
pub struct Hearing {
    /// Part of the gateway.
    pub gateway: PartIx,
    buses: Vec<Line>,
    /// Nodes of the lines: a bit for each bus.
    on_line: TiVec<NodeId, u32>,
    /// Whether a part is reached over a bus, if at all.
    asked: TiVec<PartIx, bool>,
    /// Nodes of all ears.
    nodes: Vec<NodeId>,
    /// The buses that each message takes that somebody waits for, a bit each.
    ways: TiVec<ArrivalIx, u32>,
}

/// Every bus.
pub(crate) const EVERY: u32 = u32::MAX;

/// A bus as the module in its middle sees it: the gateway, or the master.
#[derive(Debug, Clone)]
struct Line {
    /// Number of the bus.
    bus: usize,
    /// The part in the middle, and its transceiver.
    middle: PartIx,
    device: DeviceIx,
    ear: Ear,
    members: Vec<Member>,
    nodes: Vec<NodeId>,
    /// Links that a supply keeps closed.
    kept: Vec<Kept>,
    /// Messages somebody waits for that are sent on it: who sends, who waits.
    messages: Vec<(ArrivalIx, End, End)>,
}

/// A link of a bus line that is closed only while its supply is there.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Kept {
    plus: NodeId,
    minus: NodeId,
    /// From here on it is closed, volts.
    volts: f64,
}

impl Kept {
    fn is_closed(self, between: impl Fn(NodeId, NodeId) -> f64) -> bool {
        between(self.plus, self.minus) >= self.volts
    }
}

/// Where a message begins or ends, as one bus sees it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum End {
    /// In its middle.
    Middle,
    /// At a member, by its number.
    Member(usize),
    /// On another bus, behind the gateway.
    Elsewhere(PartIx),
}

/// Who is not heard, and what does not arrive for it, as [`Hearing`] finds it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Unheard {
    /// Parts that work and do not answer in the middle of any of their buses, in rising order.
    pub parts: Vec<PartIx>,
    /// Messages that do not get through although their senders work, in rising order.
    pub lost: Vec<ArrivalIx>,
}

impl Unheard {
    /// Whether a part is among those that do not answer.
    pub fn has(&self, part: PartIx) -> bool {
        self.parts.binary_search(&part).is_ok()
    }
}

/// A sweep for each bus in which its middle sends a dominant bit; of some buses there may be none.
#[derive(Debug, Clone, Default)]
pub struct Dominant(pub(crate) Vec<Option<Sweep>>);

impl Dominant {
    /// Takes these messages for lost from now on.
    pub(crate) fn lack(&mut self, lost: &[ArrivalIx]) {
        self.0.iter_mut().flatten().for_each(|held| held.lack(lost));
    }
}

/// What is seen of the buses while nobody sends.
#[derive(Debug, Clone)]
pub(crate) struct Resting {
    alive: TiVec<PartIx, bool>,
    /// Voltages of the ears of each bus, the members' first, then the middle's.
    ears: Vec<Vec<[f64; 3]>>,
    /// Whether each link that a supply keeps closed is.
    closed: Vec<Vec<bool>>,
    /// Pulses that do not arrive, in rising order.
    still: Vec<ArrivalIx>,
}

#[derive(Debug, Clone, Copy)]
struct Member {
    device: DeviceIx,
    part: PartIx,
    ear: Ear,
}

/// What a sound vehicle does in a state, bus by bus.
#[derive(Debug, Clone, Default)]
pub struct Sound {
    /// How dominant it is at each member's ear while the middle sends a dominant bit, volts.
    levels: Vec<Vec<f64>>,
    /// Voltages of the ears at rest, the members' first, then the middle's.
    rest: Vec<Vec<[f64; 3]>>,
    /// Whether each link that a supply keeps closed is.
    closed: Vec<Vec<bool>>,
    /// Whether each member and the middle hear each other.
    hears: Vec<Vec<bool>>,
    /// Who is not heard there although nothing is wrong.
    pub unheard: Unheard,
}

impl Hearing {
    /// Of a circuit. None where no module has a CAN bus.
    pub fn of(c: &Circuit) -> Option<Self> {
        let found = Self::between(c, |_| true, |_| true)?;
        found.buses.iter().any(|b| !b.ear.is_lin()).then_some(found)
    }

    /// As much of it as requests by message need: who sends them and who waits for them. None where no
    /// request travels.
    pub(crate) fn of_requests(c: &Circuit) -> Option<Self> {
        let is_requested = |message: ArrivalIx| c.software.is_requested(message);
        let asked = c.software.arrivals().filter(|(k, _)| is_requested(*k));
        let ends: BTreeSet<PartIx> = asked.flat_map(|(_, a)| [a.sender, a.at]).collect();
        let mut found = Self::between(c, |part| ends.contains(&part), is_requested)?;
        found.buses.retain(|b| !(b.members.is_empty() && b.messages.is_empty()));
        found.nodes = nodes_of(&found.buses);
        let counts = c.software.pulses().any(|(k, _)| is_requested(k));
        (!found.buses.is_empty() || counts).then_some(found)
    }

    /// Between some parts, for some messages.
    fn between(
        c: &Circuit,
        is_member: impl Fn(PartIx) -> bool,
        is_wanted: impl Fn(ArrivalIx) -> bool,
    ) -> Option<Self> {
        let v = &c.vehicle;
        let gateway = gateway(v)?;
        let on_line = bus_lines(c);
        let mut buses = Vec::new();
        for (number, bus) in v.buses.iter().enumerate() {
            let all: Vec<Member> = c
                .transceivers(&bus.id)
                .filter_map(|device| {
                    Some(Member { device, part: c.devices[device].part, ear: c.ear(device)? })
                })
                .collect();
            let is_master = |m: &&Member| {
                let placed = &c.devices[m.device];
                let element = &v.parts[placed.part].elements[placed.element];
                element.bus_end().is_some_and(|end| end.is_master())
            };
            let is_middle = |m: &&Member| match m.ear.is_lin() {
                true => is_master(m),
                false => m.part == gateway,
            };
            let Some(own) = all.iter().find(is_middle) else { continue };
            let others = all.iter().filter(|m| m.part != own.part && is_member(m.part));
            let members: Vec<Member> = others.copied().collect();
            let ears = members.iter().chain([own]);
            let mut nodes: Vec<NodeId> = ears.flat_map(|m| m.ear.nodes).collect();
            let (middle, device, ear) = (own.part, own.device, own.ear);
            let end = |part: PartIx| match members.iter().position(|m| m.part == part) {
                _ if part == middle => End::Middle,
                Some(k) => End::Member(k),
                None => End::Elsewhere(part),
            };
            let arrivals = c.software.arrivals().filter(|(k, a)| a.bus == number && is_wanted(*k));
            let messages = arrivals.map(|(k, a)| (k, end(a.sender), end(a.at))).collect();
            let kept = kept(c, &on_line, number);
            nodes.extend(kept.iter().flat_map(|k| [k.plus, k.minus]));
            nodes.sort_unstable();
            nodes.dedup();
            buses.push(Line { bus: number, middle, device, ear, members, nodes, kept, messages });
        }
        let mut ways: TiVec<ArrivalIx, u32> = TiVec::new();
        for (b, (message, from, at)) in
            buses.iter().flat_map(|b| b.messages.iter().map(move |m| (b, m)))
        {
            if ways.len() <= usize::from(*message) {
                ways.resize(usize::from(*message) + 1, 0);
            }
            ways[*message] |= bit(b.bus);
            for part in [from, at].into_iter().filter_map(|end| end.elsewhere()) {
                let has = |b: &&Line| b.middle == part || b.members.iter().any(|m| m.part == part);
                ways[*message] |= buses.iter().filter(has).fold(0, |all, b| all | bit(b.bus));
            }
        }
        let mut asked: TiVec<PartIx, bool> = v.parts.iter().map(|p| p.module.is_some()).collect();
        buses.iter().flat_map(|b| &b.members).for_each(|m| asked[m.part] = true);
        Some(Self { nodes: nodes_of(&buses), gateway, on_line, buses, asked, ways })
    }

    /// Whether changes lie on a line or in a transceiver of these buses: what hangs on them then says
    /// nothing of itself while the line rests.
    pub fn touches(&self, c: &Circuit, changes: &[Change]) -> bool {
        self.touches_on(EVERY, c, changes)
    }

    /// The same for some of the buses.
    pub(crate) fn touches_on(&self, ways: u32, c: &Circuit, changes: &[Change]) -> bool {
        self.on(ways).any(|b| self.touches_bus(c, b.bus, changes))
    }

    fn on(&self, ways: u32) -> impl Iterator<Item = &Line> {
        self.buses.iter().filter(move |b| ways & bit(b.bus) != 0)
    }

    /// The buses that messages take.
    pub(crate) fn ways(&self, messages: impl Iterator<Item = ArrivalIx>) -> u32 {
        messages.fold(0, |all, m| all | self.ways.get(m).copied().unwrap_or(0))
    }

    fn touches_bus(&self, c: &Circuit, bus: usize, changes: &[Change]) -> bool {
        touches(c, &self.on_line, bus, changes)
    }

    /// Whether what lies between the lines at some ear has moved far enough to matter, or a link of a
    /// line has opened or closed; given the volts between two nodes as they are and as they were. That
    /// both lines move with a ground matters to no receiver.
    pub fn stirs(
        &self,
        now: impl Fn(NodeId, NodeId) -> f64,
        sound: impl Fn(NodeId, NodeId) -> f64,
    ) -> bool {
        self.stirs_on(EVERY, now, sound)
    }

    /// The same for some of the buses.
    pub(crate) fn stirs_on(
        &self,
        ways: u32,
        now: impl Fn(NodeId, NodeId) -> f64,
        sound: impl Fn(NodeId, NodeId) -> f64,
    ) -> bool {
        let moved = |e: Ear| {
            let [high, low, _] = e.nodes;
            stirs(e, now(high, low) - sound(high, low))
        };
        let opened = |k: &Kept| k.is_closed(&now) != k.is_closed(&sound);
        self.on(ways).any(|b| {
            moved(b.ear) || b.members.iter().any(|m| moved(m.ear)) || b.kept.iter().any(opened)
        })
    }

    /// The modules in the middle of the buses.
    pub fn middles(&self) -> impl Iterator<Item = PartIx> {
        self.middles_on(EVERY)
    }

    /// The same of some of the buses.
    pub(crate) fn middles_on(&self, ways: u32) -> impl Iterator<Item = PartIx> {
        self.on(ways).map(|b| b.middle)
    }

    /// Nodes of all ears and of the supplies that keep links closed.
    pub(crate) fn nodes(&self) -> &[NodeId] {
        &self.nodes
    }

    /// The same of some of the buses; of several there may be some twice.
    pub(crate) fn nodes_on(&self, ways: u32) -> impl Iterator<Item = NodeId> {
        self.on(ways).flat_map(|b| b.nodes.iter().copied())
    }

    /// What a sound vehicle in the sweep's state does.
    pub fn sound(&self, sweep: &mut Sweep) -> Sound {
        let heard = sweep.hold_lost(&[]);
        let sound = self.sound_held(sweep);
        sweep.hear_again(heard);
        sound
    }

    fn sound_held(&self, sweep: &mut Sweep) -> Sound {
        let mut sound = Sound::default();
        for bus in &self.buses {
            let (rest, closed) = {
                let p = sweep.solve_at(&[], &bus.nodes);
                (bus.ears(p.volts), bus.closed(p.volts))
            };
            let held = sweep.solve_at(&[Change::Hold(bus.device, DOMINANT)], &bus.nodes);
            let held = bus.ears(held.volts);
            let levels: Vec<f64> = held.iter().map(|v| bus.level(v)).collect();
            // Nothing is wrong with the wiring: where the weakest gets through, all do.
            let ever = vec![f64::INFINITY; levels.len()];
            sound.hears.push(bus.hears(sweep, &[], (&rest, &held), Some(&ever)));
            sound.levels.push(levels);
            sound.rest.push(rest);
            sound.closed.push(closed);
        }
        sound.unheard = self.unheard(sweep, None, &[], Some(&sound));
        sound
    }

    /// The state with the middle sending a dominant bit, for each bus: from there a fault is a small
    /// change. Slow.
    pub fn dominant(&self, circuit: &Arc<Circuit>, state: &OperatingState) -> Dominant {
        let held = |b: usize| Some(self.sending(b, circuit, state, &[]));
        Dominant((0..self.buses.len()).map(held).collect())
    }

    /// The same of one of the buses, by its place, where some messages do not arrive.
    pub(crate) fn sending(
        &self,
        b: usize,
        circuit: &Arc<Circuit>,
        state: &OperatingState,
        lost: &[ArrivalIx],
    ) -> Sweep {
        let hold = [Change::Hold(self.buses[b].device, DOMINANT)];
        Sweep::lacking(circuit, state, &hold, lost)
    }

    /// Places of the buses that are among some.
    pub(crate) fn places(&self, ways: u32) -> impl Iterator<Item = usize> {
        self.buses.iter().enumerate().filter(move |(_, b)| ways & bit(b.bus) != 0).map(|(b, _)| b)
    }

    /// How many buses there are.
    pub(crate) fn count(&self) -> usize {
        self.buses.len()
    }

    /// Who works and still does not answer in the middle of any bus, under changes, and which messages
    /// do not arrive for it. Given
    /// what a sound vehicle does, only ways that may have changed are looked at; given
    /// [`Hearing::dominant`], more quickly.
    pub fn unheard(
        &self,
        sweep: &mut Sweep,
        mut dominant: Option<&mut Dominant>,
        changes: &[Change],
        sound: Option<&Sound>,
    ) -> Unheard {
        // What is asked for stays as it is while bits are sent.
        let heard = sweep.hold_lost(changes);
        if let Some(dominant) = &mut dominant {
            dominant.lack(sweep.taken_lost());
        }
        let resting = sweep.at_rest(self, changes);
        let unheard = self.unheard_held(sweep, dominant, changes, sound, EVERY, resting);
        sweep.hear_again(heard);
        unheard
    }

    /// What a point solved at [`Self::nodes`] shows while nobody sends.
    pub(crate) fn resting(&self, p: &Point<'_>, still: Vec<ArrivalIx>) -> Resting {
        Resting {
            alive: p.alive.to_owned(),
            ears: self.buses.iter().map(|b| b.ears(p.volts)).collect(),
            closed: self.buses.iter().map(|b| b.closed(p.volts)).collect(),
            still,
        }
    }

    /// Which messages do not arrive under changes, of those that take no other bus than some; the rest stays as
    /// it was taken to be.
    pub(crate) fn lost_on(
        &self,
        ways: u32,
        (sweep, dominant): (&mut Sweep, &mut Dominant),
        changes: &[Change],
        sound: &Sound,
        resting: Resting,
    ) -> Vec<ArrivalIx> {
        let is_elsewhere =
            |k: &ArrivalIx| self.ways.get(*k).is_some_and(|w| *w != 0 && w & !ways != 0);
        let unheard = self.unheard_held(sweep, Some(dominant), changes, Some(sound), ways, resting);
        let mut lost = unheard.lost;
        lost.retain(|k| !is_elsewhere(k));
        lost.extend(sweep.taken_lost().iter().filter(|k| is_elsewhere(k)));
        lost.sort_unstable();
        lost
    }

    fn unheard_held(
        &self,
        sweep: &mut Sweep,
        mut dominant: Option<&mut Dominant>,
        changes: &[Change],
        sound: Option<&Sound>,
        ways: u32,
        Resting { alive, ears: rests, closed, still }: Resting,
    ) -> Unheard {
        let works = |part: PartIx| self.asked[part] && alive[part];
        let mut reached: TiVec<PartIx, bool> = vec![false; alive.len()].into();
        reached[self.gateway] = alive[self.gateway];
        let mut heard: Vec<Vec<bool>> = vec![Vec::new(); self.buses.len()];
        let living = || {
            let of_interest = |bus: &Line| ways & bit(bus.bus) != 0 && alive[bus.middle];
            self.buses.iter().enumerate().filter(move |(_, bus)| of_interest(bus))
        };
        for (b, bus) in living() {
            let rest = &rests[b];
            let as_ever = sound.filter(|s| {
                let across = |v: &[f64; 3]| v[0] - v[1];
                let stir = |k: usize| stirs(bus.ear, across(&rest[k]) - across(&s.rest[b][k]));
                let opened = closed[b] != s.closed[b];
                !opened
                    && !(0..rest.len()).any(stir)
                    && !self.touches_bus(sweep.circuit(), bus.bus, changes)
            });
            let hears = match as_ever {
                Some(s) => s.hears[b].clone(),
                None => {
                    let held = match dominant.as_mut().and_then(|d| d.0.get_mut(b)?.as_mut()) {
                        Some(held) => bus.ears(held.solve_at(changes, &bus.nodes).volts),
                        None => bus.held(sweep, changes),
                    };
                    let levels = sound.map(|s| &s.levels[b][..]);
                    bus.hears(sweep, changes, (rest, &held), levels)
                }
            };
            for (m, hears) in bus.members.iter().zip(&hears) {
                reached[m.part] |= *hears;
            }
            heard[b] = hears;
        }
        let mut lost = Vec::new();
        // Nobody speaks on LIN unless the master asks.
        let unasked = self.buses.iter().filter(|b| b.ear.is_lin() && !alive[b.middle]);
        lost.extend(unasked.flat_map(|b| b.messages.iter().map(|(message, ..)| *message)));
        for (b, bus) in living() {
            bus.lost(sweep, changes, (&rests[b], &heard[b]), (&alive, &reached), &mut lost);
        }
        lost.extend(still);
        lost.sort_unstable();
        Unheard { parts: alive.keys().filter(|p| works(*p) && !reached[*p]).collect(), lost }
    }
}

/// Nodes that are looked at on some buses, each once.
fn nodes_of(buses: &[Line]) -> Vec<NodeId> {
    let mut nodes: Vec<NodeId> = buses.iter().flat_map(|b| b.nodes.iter().copied()).collect();
    nodes.sort_unstable();
    nodes.dedup();
    nodes
}

/// Rounds of what arrives and what is asked for before what was found last stands.
pub(crate) const ROUNDS: usize = 4;

/// Who is not heard in a state under changes, worked out from rest. Slow.
pub fn unheard(circuit: &Arc<Circuit>, state: &OperatingState, changes: &[Change]) -> Unheard {
    let lost = solve(circuit, state, changes).lost;
    let hearing = circuit.hearing();
    hearing.map_or_else(Unheard::default, |h| ask(h, circuit, state, changes, &lost))
}

/// The operating point under changes, worked out from rest until what arrives and what is asked for agree.
pub fn solve(circuit: &Arc<Circuit>, state: &OperatingState, changes: &[Change]) -> Solution {
    let mut solution = circuit.solve(state, changes, None);
    let Some(hearing) = circuit.request_hearing() else { return solution };
    for _ in 0..ROUNDS {
        let alive = solution.alive_parts(circuit);
        if !circuit.software.hangs(solution.view(&alive, &solution.lost)) {
            break;
        }
        let lost = ask(hearing, circuit, state, changes, &solution.lost).lost;
        if lost == solution.lost {
            break;
        }
        solution = circuit.solve_lacking(state, changes, None, &lost);
    }
    solution
}

/// Who is not heard while some messages that requests wait for do not arrive.
fn ask(
    hearing: &Hearing,
    circuit: &Arc<Circuit>,
    state: &OperatingState,
    changes: &[Change],
    lost: &[ArrivalIx],
) -> Unheard {
    hearing.unheard(&mut Sweep::lacking(circuit, state, &[], lost), None, changes, None)
}

/// Whether a voltage across an ear that moved by so much at rest may matter.
fn stirs(ear: Ear, volts: f64) -> bool {
    volts.abs() > if ear.is_lin() { LIN_RESTS_VOLTS } else { RESTS_VOLTS }
}

impl Line {
    /// How dominant a level is, volts: what lies between the lines of CAN, what is missing on LIN.
    fn level(&self, ear: &[f64; 3]) -> f64 {
        match self.ear.is_lin() {
            true => ear[1] - ear[0],
            false => ear[0] - ear[1],
        }
    }

    /// Voltages of all ears at rest, the middle's last.
    fn rest(&self, sweep: &mut Sweep, changes: &[Change]) -> Vec<[f64; 3]> {
        self.ears(sweep.solve_at(changes, &self.nodes).volts)
    }

    /// The same while the middle sends a dominant bit.
    fn held(&self, sweep: &mut Sweep, changes: &[Change]) -> Vec<[f64; 3]> {
        let mut with = changes.to_vec();
        with.push(Change::Hold(self.device, DOMINANT));
        self.rest(sweep, &with)
    }

    fn closed(&self, volts: &TiSlice<NodeId, f64>) -> Vec<bool> {
        self.kept.iter().map(|k| k.is_closed(|a, b| volts[a] - volts[b])).collect()
    }

    fn ears(&self, volts: &TiSlice<NodeId, f64>) -> Vec<[f64; 3]> {
        self.members.iter().map(|m| m.ear).chain([self.ear]).map(|e| e.of(volts)).collect()
    }

    /// Whether each member and the middle hear each other. Given the levels on a sound vehicle, only
    /// ways back are looked at that may be worse than they were: the weakest level first, until one
    /// that was in question still gets through.
    fn hears(
        &self,
        sweep: &mut Sweep,
        changes: &[Change],
        (rest, held): (&[[f64; 3]], &[[f64; 3]]),
        sound: Option<&[f64]>,
    ) -> Vec<bool> {
        let mut hears = vec![false; self.members.len()];
        let silent = |device: DeviceIx| is_silent(changes, device);
        let own_rest = rest[self.members.len()];
        if silent(self.device) {
            return hears;
        }
        let mut with = changes.to_vec();
        let level = |k: usize| self.level(&held[k]);
        let mut open: Vec<usize> = (0..self.members.len())
            .filter(|k| !silent(self.members[*k].device))
            .filter(|k| self.members[*k].ear.hears(held[*k], rest[*k]))
            .collect();
        if let Some(sound) = sound {
            open.retain(|k| {
                hears[*k] = (level(*k) - sound[*k]).abs() < SAME_VOLTS;
                !hears[*k]
            });
            // Of a sound vehicle itself the levels alone.
            let lost = |k: usize| match sound[k].is_finite() {
                true => level(k) - sound[k],
                false => level(k),
            };
            open.sort_by(|a, b| lost(*a).total_cmp(&lost(*b)));
        }
        for (at, k) in open.iter().enumerate() {
            with.push(Change::Hold(self.members[*k].device, DOMINANT));
            let p = sweep.solve_at(&with, &self.nodes);
            hears[*k] = self.ear.hears(self.ear.of(p.volts), own_rest);
            with.pop();
            if hears[*k] && sound.is_some() {
                open[at..].iter().for_each(|k| hears[*k] = true);
                break;
            }
        }
        hears
    }

    /// Adds the messages on this bus that do not arrive, given who talks with the middle here (`heard`)
    /// and who on any bus (`reached`). Two members of which one does not talk with the middle must hear
    /// each other: the sender waits for somebody to acknowledge.
    fn lost(
        &self,
        sweep: &mut Sweep,
        changes: &[Change],
        (rest, heard): (&[[f64; 3]], &[bool]),
        (alive, reached): (&TiSlice<PartIx, bool>, &TiSlice<PartIx, bool>),
        lost: &mut Vec<ArrivalIx>,
    ) {
        if heard.iter().all(|h| *h) && self.messages.iter().all(|(.., at)| at.is_reached(reached)) {
            return;
        }
        let mut held: Vec<Option<Vec<[f64; 3]>>> = vec![None; self.members.len()];
        let mut hears = |sweep: &mut Sweep, from: usize, at: usize| {
            let member = self.members[from];
            // What rests dominant hears nothing, whoever sends.
            if is_silent(changes, member.device) || !self.rests(rest[at]) {
                return false;
            }
            let ears = held[from].get_or_insert_with(|| {
                let mut with = changes.to_vec();
                with.push(Change::Hold(member.device, DOMINANT));
                self.rest(sweep, &with)
            });
            self.members[at].ear.hears(ears[at], rest[at])
        };
        let works = |k: usize| alive[self.members[k].part];
        for (message, from, at) in &self.messages {
            let arrives = match (*from, *at) {
                (End::Member(a), End::Member(b))
                    if !(self.ear.is_lin() || heard[a] && heard[b]) =>
                {
                    // Who is not heard in the middle sends first: if nobody hears it, that settles all its
                    // messages at once.
                    let (one, other) = if heard[a] { (b, a) } else { (a, b) };
                    works(a) && works(b) && hears(sweep, one, other) && hears(sweep, other, one)
                }
                (from, at) => [from, at].into_iter().all(|end| match end {
                    End::Middle => true,
                    End::Member(k) => heard[k],
                    End::Elsewhere(part) => reached[part],
                }),
            };
            if !arrives {
                lost.push(*message);
            }
        }
    }

    /// Whether an ear takes what it sees at rest for recessive.
    fn rests(&self, rest: [f64; 3]) -> bool {
        let dominant = match self.ear.is_lin() {
            true => [rest[1], rest[1], rest[2]],
            false => [rest[2] + RESTING_DOMINANT_VOLTS, rest[2], rest[2]],
        };
        self.ear.hears(dominant, rest)
    }
}

impl End {
    /// The part it is at, behind the gateway.
    fn elsewhere(self) -> Option<PartIx> {
        if let Self::Elsewhere(part) = self { Some(part) } else { None }
    }

    /// Whether what ends on another bus is reached there.
    fn is_reached(self, reached: &TiSlice<PartIx, bool>) -> bool {
        !matches!(self, Self::Elsewhere(part) if !reached[part])
    }
}

/// The links of a bus that a supply keeps closed.
fn kept(c: &Circuit, on_line: &TiSlice<NodeId, u32>, bus: usize) -> Vec<Kept> {
    let mut kept = Vec::new();
    for placed in &c.devices {
        let part = placed.part;
        let element = &c.vehicle.parts[part].elements[placed.element];
        let vehicle::Element::BusLink(link) = element else { continue };
        let node = |pin: &str| c.pin_node.get(&(part, pin.to_owned())).copied();
        let is_here = |pin: &str| node(pin).is_some_and(|n| on_line[n] & bit(bus) != 0);
        let supply = link.plus.as_deref().and_then(node).zip(link.minus.as_deref().and_then(node));
        if let Some((plus, minus)) = supply
            && is_here(&link.a)
        {
            kept.push(Kept { plus, minus, volts: link.hold_volts });
        }
    }
    kept
}

/// Whether a transceiver is held silent.
fn is_silent(changes: &[Change], device: DeviceIx) -> bool {
    changes.iter().any(|c| matches!(c, Change::Hold(d, SILENT) if *d == device))
}
