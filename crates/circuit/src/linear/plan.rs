//! The order of elimination of a graph, made once for every set of values on it.

use super::Factor;
use std::collections::BTreeSet;

/// No number.
const NONE: u32 = u32::MAX;

/// Where a branch's conductance is added.
#[derive(Debug, Clone, Copy)]
pub(super) enum Slot {
    /// Between two nodes: the number of their edge.
    Edge(u32),
    /// Between a node and the reference.
    Ground(u32),
    /// Both ends on the same node: nothing.
    None,
}

/// Lists of numbers, packed.
#[derive(Debug, Clone, Default)]
pub(super) struct Lists {
    at: Vec<u32>,
    items: Vec<u32>,
}

impl Lists {
    pub(super) fn new(lists: Vec<Vec<u32>>) -> Self {
        let mut at = vec![0];
        let mut items = Vec::new();
        for list in lists {
            items.extend(list);
            at.push(items.len() as u32);
        }
        Self { at, items }
    }
    pub(super) fn of(&self, k: usize) -> &[u32] {
        &self.items[self.at[k] as usize..self.at[k + 1] as usize]
    }
}

/// What a step adds between two of its later neighbours.
#[derive(Debug, Clone, Copy)]
pub(super) struct Pair {
    pub(super) first: u32,
    pub(super) second: u32,
    /// The edge it is added to.
    pub(super) into: u32,
}

/// An elimination plan for one graph.
///
/// Step `p` eliminates node `order[p]`. An edge is numbered by the step that reads it, the one
/// of its two nodes that goes first: the edges of step `p` are `first_edge[p] .. first_edge[p + 1]`.
#[derive(Debug, Clone)]
pub struct Plan {
    pub(super) nodes: usize,
    pub(super) slots: Vec<Slot>,
    pub(super) ends: Vec<(usize, usize)>,
    pub(super) order: Vec<u32>,
    pub(super) first_edge: Vec<u32>,
    /// The later node of each edge, and the step that reads it.
    pub(super) later: Vec<u32>,
    pub(super) reader: Vec<u32>,
    pub(super) first_pair: Vec<u32>,
    pub(super) pairs: Vec<Pair>,
    /// Step that eliminates each node.
    pub(super) step_of: Vec<u32>,
    /// Edges over which something is passed on to each node.
    pub(super) into_node: Lists,
    /// Pairs that add to each edge.
    pub(super) into_edge: Lists,
    /// Branches in each edge, and to the reference at each node.
    pub(super) in_edge: Lists,
    pub(super) to_ground: Lists,
}

impl Plan {
    /// Plans the elimination of `nodes` nodes (0 is the reference) joined by `branches`.
    pub fn new<N: Copy + Into<usize>>(nodes: usize, branches: &[(N, N)]) -> Self {
        let branches: Vec<(usize, usize)> =
            branches.iter().map(|(a, b)| ((*a).into(), (*b).into())).collect();
        let mut near: Vec<BTreeSet<usize>> = vec![BTreeSet::new(); nodes];
        for &(a, b) in &branches {
            if a != b && a != 0 && b != 0 {
                near[a].insert(b);
                near[b].insert(a);
            }
        }
        let mut queue: BTreeSet<(usize, usize)> = (1..nodes).map(|n| (near[n].len(), n)).collect();
        let mut order = Vec::new();
        let (mut first_edge, mut later, mut reader) = (vec![0], Vec::new(), Vec::new());
        let mut met = Vec::new();
        let mut step_of = vec![NONE; nodes];
        while let Some((_, node)) = queue.pop_first() {
            let neighbours: Vec<usize> = std::mem::take(&mut near[node]).into_iter().collect();
            for &n in &neighbours {
                queue.remove(&(near[n].len(), n));
                near[n].remove(&node);
                later.push(n as u32);
                reader.push(order.len() as u32);
            }
            for (i, &a) in neighbours.iter().enumerate() {
                for &b in &neighbours[i + 1..] {
                    near[a].insert(b);
                    near[b].insert(a);
                }
            }
            for &n in &neighbours {
                queue.insert((near[n].len(), n));
            }
            step_of[node] = order.len() as u32;
            order.push(node as u32);
            first_edge.push(later.len() as u32);
            met.push(neighbours);
        }
        let edge = |a: usize, b: usize| -> u32 {
            let (p, other) =
                if step_of[a] < step_of[b] { (step_of[a], b) } else { (step_of[b], a) };
            let (from, to) = (first_edge[p as usize], first_edge[p as usize + 1]);
            (from..to).find(|e| later[*e as usize] as usize == other).unwrap_or(NONE)
        };
        let (mut first_pair, mut pairs) = (vec![0], Vec::new());
        for (p, neighbours) in met.iter().enumerate() {
            for (i, &a) in neighbours.iter().enumerate() {
                for (j, &b) in neighbours.iter().enumerate().skip(i + 1) {
                    let from = first_edge[p];
                    let (first, second) = (from + i as u32, from + j as u32);
                    pairs.push(Pair { first, second, into: edge(a, b) });
                }
            }
            first_pair.push(pairs.len() as u32);
        }
        let slots: Vec<Slot> = branches
            .iter()
            .map(|&(a, b)| match (a, b) {
                (a, b) if a == b => Slot::None,
                (0, n) | (n, 0) => Slot::Ground(n as u32),
                (a, b) => Slot::Edge(edge(a, b)),
            })
            .collect();
        let mut into_node = vec![Vec::new(); nodes];
        for (e, n) in later.iter().enumerate() {
            into_node[*n as usize].push(e as u32);
        }
        let mut into_edge = vec![Vec::new(); later.len()];
        for (q, p) in pairs.iter().enumerate() {
            into_edge[p.into as usize].push(q as u32);
        }
        let mut in_edge = vec![Vec::new(); later.len()];
        let mut to_ground = vec![Vec::new(); nodes];
        for (k, s) in slots.iter().enumerate() {
            match s {
                Slot::Edge(e) => in_edge[*e as usize].push(k as u32),
                Slot::Ground(n) => to_ground[*n as usize].push(k as u32),
                Slot::None => {}
            }
        }
        Self {
            nodes,
            slots,
            ends: branches,
            order,
            first_edge,
            later,
            reader,
            first_pair,
            pairs,
            step_of,
            into_node: Lists::new(into_node),
            into_edge: Lists::new(into_edge),
            in_edge: Lists::new(in_edge),
            to_ground: Lists::new(to_ground),
        }
    }

    /// The nodes in the order of their elimination. Nodes numbered in this order are visited in
    /// the order they lie in memory.
    pub fn order(&self) -> impl Iterator<Item = usize> + '_ {
        self.order.iter().map(|n| *n as usize)
    }

    pub(super) fn edges(&self, p: usize) -> std::ops::Range<usize> {
        self.first_edge[p] as usize..self.first_edge[p + 1] as usize
    }

    pub(super) fn pairs(&self, p: usize) -> std::ops::Range<usize> {
        self.first_pair[p] as usize..self.first_pair[p + 1] as usize
    }

    /// Solves the network once. Each branch is given as its conductance (siemens) and the
    /// current (amperes) it drives from its first to its second node at no voltage; every
    /// node leaks `leak` siemens to the reference. Node voltages come back in volts.
    pub fn solve(
        &self,
        leak: f64,
        branches: impl Iterator<Item = (f64, f64)>,
        factor: &mut Factor,
    ) {
        factor.set(self, leak, branches);
        factor.eliminate(self);
        factor.substitute(self);
    }
}
