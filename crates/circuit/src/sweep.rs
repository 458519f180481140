//! Every hypothesis of one state, each from the factorised healthy circuit.
//!
//! A hypothesis differs from the healthy circuit in a branch or two. A [`Sweep`]
//! keeps the healthy solution with all its elimination steps; a hypothesis redoes
//! the steps that depend on its change (a low-rank update), follows the devices
//! that it moves to another mode, and is taken back. What leaves the reach of
//! that (a circuit that does not settle) is solved from rest by [`Circuit::solve`],
//! so that both give the same answer.

mod bridge;
mod heard;
mod link;
mod margin;
mod now;
mod order;
mod point;
mod settle;
mod teeth;

pub use order::order;
pub use point::Point;

use crate::LEAK_SIEMENS;
use crate::compile::{BranchId, Circuit, NodeId};
use crate::fault::Change;
use crate::law::Law;
use crate::linear::Factor;
use crate::software::ArrivalIx;
use crate::solve::Solution;
use heard::Ears;
use link::{Line, Standing};
use margin::margins;
use now::Now;
use point::Reach;
use std::sync::Arc;
use teeth::Teeth;
use vehicle::{OperatingState, PartIx, TiSlice, TiVec};

/// A state with everything needed to solve hypotheses quickly.
#[derive(Debug, Clone)]
pub struct Sweep {
    circuit: Arc<Circuit>,
    state: OperatingState,
    holds: Vec<Change>,
    base: Solution,
    base_alive: TiVec<PartIx, bool>,
    pulled: TiVec<BranchId, bool>,
    factor: Factor,
    now: Now,
    full: Option<(Solution, TiVec<PartIx, bool>)>,
    standing: Option<Standing>,
    /// A link's place in its chain, the link that stands for the chain, and the law there.
    patched: Option<(BranchId, BranchId, Law)>,
    /// Voltages of the nodes that the patch moved, before it.
    unmoved: Vec<(NodeId, f64)>,
    line: Option<Line>,
    /// Messages that a request waits for and that do not arrive: as taken at the moment, and of the sound
    /// vehicle.
    lost: Vec<ArrivalIx>,
    base_lost: Vec<ArrivalIx>,
    /// What is asked for of the sound vehicle may hang on what arrives.
    base_hangs: bool,
    /// Whether it is looked at what arrives; else `lost` stands.
    hears: bool,
    ears: Ears,
    teeth: Teeth,
    /// Every node is wanted.
    whole: bool,
    /// How many hypotheses had to be solved from rest.
    pub from_rest: usize,
    /// How many hypotheses change nothing in this state.
    pub untouched: usize,
}

impl Sweep {
    /// Solves a state with nothing wrong; `holds` are changes that every hypothesis shares, such
    /// as a transceiver held dominant.
    pub fn new(circuit: &Arc<Circuit>, state: &OperatingState, holds: &[Change]) -> Self {
        heard::listening(circuit, state, holds)
    }

    /// The same where some messages that requests wait for do not arrive, whatever the buses do.
    pub(crate) fn lacking(
        circuit: &Arc<Circuit>,
        state: &OperatingState,
        holds: &[Change],
        lost: &[ArrivalIx],
    ) -> Self {
        let base = circuit.solve_lacking(state, holds, None, lost);
        let mut factor = Factor::default();
        let values = circuit
            .branches
            .iter()
            .zip(&base.laws)
            .map(|(b, law)| law.norton(base.volts[b.from] - base.volts[b.to]));
        circuit.plan.solve(LEAK_SIEMENS, values, &mut factor);
        let base_alive = base.alive_parts(circuit);
        let mut pulled: TiVec<BranchId, bool> = vec![false; circuit.branches.len()].into();
        for branch in circuit.unplugged(state) {
            pulled[branch] = true;
        }
        let mut now = Now {
            laws: base.laws.clone(),
            modes: base.modes.clone(),
            alive: base_alive.clone(),
            asked: base.asked.clone(),
            is_pending: vec![false; circuit.devices.len()].into(),
            is_watched: vec![false; circuit.branches.len()].into(),
            ..Now::default()
        };
        let base_hangs = circuit.software.hangs(base.view(&now.alive, lost));
        now.hangs = base_hangs;
        now.bus_awake = circuit.software.bus_awake(&now.alive, &circuit.woken_by_bus);
        let (margins, reaches) = margins(circuit, state, &base, &mut factor);
        factor.begin(&circuit.plan, margins.raw, &reaches.raw);
        Self {
            circuit: Arc::clone(circuit),
            state: state.clone(),
            holds: holds.to_vec(),
            base,
            base_alive,
            pulled,
            factor,
            now,
            full: None,
            standing: None,
            patched: None,
            unmoved: Vec::new(),
            line: None,
            lost: lost.to_vec(),
            base_lost: lost.to_vec(),
            base_hangs,
            hears: false,
            ears: Ears::default(),
            teeth: Teeth::default(),
            whole: true,
            from_rest: 0,
            untouched: 0,
        }
    }

    /// The state it solves.
    pub fn state(&self) -> &OperatingState {
        &self.state
    }

    /// The circuit it solves.
    pub fn circuit(&self) -> &Circuit {
        &self.circuit
    }

    /// The healthy solution.
    pub fn healthy(&self) -> &Solution {
        &self.base
    }

    /// The healthy circuit as a point.
    pub fn healthy_point(&self) -> Point<'_> {
        Point {
            circuit: &self.circuit,
            volts: &self.base.volts,
            laws: &self.base.laws,
            modes: &self.base.modes,
            alive: &self.base_alive,
            asked: &self.base.asked,
            base: &self.base,
            reach: Reach::Nothing,
            no_effect: &self.base.no_effect,
            tool_blew: false,
            settled: self.base.converged,
        }
    }

    /// Solves a hypothesis and finds the voltage of every node.
    pub fn solve(&mut self, changes: &[Change]) -> Point<'_> {
        self.whole = true;
        self.solve_for(changes, &[])
    }

    /// Solves a hypothesis: every device and law settles, but of the voltages only those of the
    /// nodes asked for are found, and those on the way to them: ask the point for nothing else.
    pub fn solve_at(&mut self, changes: &[Change], nodes: &[NodeId]) -> Point<'_> {
        self.whole = false;
        self.solve_for(changes, nodes)
    }

    fn solve_for(&mut self, changes: &[Change], nodes: &[NodeId]) -> Point<'_> {
        let found = self.solve_heard(changes);
        self.point(found, nodes)
    }

    /// Solves a hypothesis with what is taken to be lost at the moment.
    fn solve_lost(&mut self, changes: &[Change]) -> Found {
        let as_ever = self.lost == self.base_lost;
        if as_ever && self.circuit.untouched(&self.base, changes) {
            self.untouched += 1;
            return Found::Untouched;
        }
        let link = if as_ever { self.link(changes) } else { None };
        let settled = self.base.converged
            && match link {
                Some(link) => self.solve_link(&link),
                None => {
                    self.take_back();
                    self.now.ask_again = !as_ever;
                    self.try_update(changes)
                }
            };
        // One that goes to and fro is a finding of its own: it stands where it was last.
        if settled || self.now.to_and_fro {
            if !settled {
                self.standing = None;
            }
            return Found::Updated { settled };
        }
        self.standing = None;
        self.from_rest += 1;
        let all: Vec<Change> = self.holds.iter().chain(changes).copied().collect();
        let solution = self.circuit.solve_lacking(&self.state, &all, None, &self.lost);
        let alive = solution.alive_parts(&self.circuit);
        self.full = Some((solution, alive));
        Found::FromRest
    }

    /// What was found, with the voltages of some nodes or of all.
    fn point(&mut self, found: Found, nodes: &[NodeId]) -> Point<'_> {
        match (found, &self.full) {
            (Found::FromRest, Some((solution, alive))) => Point {
                circuit: &self.circuit,
                volts: &solution.volts,
                laws: &solution.laws,
                modes: &solution.modes,
                alive,
                asked: &solution.asked,
                base: &self.base,
                reach: Reach::All,
                no_effect: &solution.no_effect,
                tool_blew: solution.tool_blew,
                settled: solution.converged,
            },
            (Found::Updated { settled }, _) => {
                if self.whole {
                    self.factor.complete(&self.circuit.plan);
                }
                for n in nodes {
                    self.factor.find(&self.circuit.plan, *n);
                }
                Point {
                    circuit: &self.circuit,
                    volts: TiSlice::from_ref(&self.factor.volts),
                    laws: &self.now.laws,
                    modes: &self.now.modes,
                    alive: &self.now.alive,
                    asked: &self.now.asked,
                    base: &self.base,
                    reach: Reach::Updated(&self.factor),
                    no_effect: &self.now.no_effect,
                    tool_blew: self.now.blew,
                    settled,
                }
            }
            (Found::Untouched | Found::FromRest, _) => self.healthy_point(),
        }
    }
}

/// How a hypothesis was solved.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Found {
    /// Nothing is other than on the sound vehicle.
    Untouched,
    /// From the sound vehicle, step by step.
    Updated { settled: bool },
    /// From rest.
    FromRest,
}
