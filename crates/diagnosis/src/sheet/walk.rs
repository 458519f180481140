//! Ways along the conductors: through splices, in-line connectors, fuses, switches and relay contacts,
//! up to a supply, a ground, a module or a load.

use circuit::{Circuit, NodeId};
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet, VecDeque};
use vehicle::{PartIx, PartKind, Point, WireIx};

/// What a way ends at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Stop {
    /// A terminal of the battery or generator, or a rail fed straight by one.
    Source,
    /// A ground point.
    Ground,
    /// A pin of a module.
    Module,
    /// Anything else that takes or gives current.
    Load,
}

/// The harness as a graph of conductor ends.
pub(super) struct Harness<'a> {
    circuit: &'a Circuit,
    /// Part and pin behind each end.
    pin_of: HashMap<&'a str, (PartIx, String)>,
    /// Ends at each pin of each part.
    ends_of: BTreeMap<(PartIx, String), Vec<&'a str>>,
    /// Rails fed straight by a battery or generator.
    pub(super) mains: BTreeSet<&'a str>,
}

/// Id of the part, connector, splice or ground that an end belongs to.
pub(super) fn owner(end: &str) -> &str {
    Point::of(end).owner
}

impl<'a> Harness<'a> {
    pub(super) fn of(circuit: &'a Circuit) -> Self {
        let v = &circuit.vehicle;
        let mut pin_of = HashMap::new();
        let mut ends_of: BTreeMap<_, Vec<&str>> = BTreeMap::new();
        for end in v.wires.iter().flat_map(|w| [w.from.as_str(), w.to.as_str()]) {
            let at = Point::of(end);
            let (id, Some(cavity)) = (at.owner, at.no_and_side()) else {
                continue;
            };
            let pin = match circuit.names.connector(id).map(|k| &v.connectors[k]) {
                Some(k) => {
                    let own =
                        k.cavities.iter().find(|c| c.no == cavity).and_then(|c| c.pin.clone());
                    let part = k.part.as_ref().and_then(|p| circuit.names.part(p));
                    part.map(|p| (p, own.unwrap_or_else(|| cavity.to_owned())))
                }
                None => circuit.names.part(id).map(|p| (p, cavity.to_owned())),
            };
            if let Some(pin) = pin
                && pin_of.insert(end, pin.clone()).is_none()
            {
                ends_of.entry(pin).or_default().push(end);
            }
        }
        let source = |end: &str| {
            let part = circuit.names.part(owner(end)).map(|p| v.parts[p].kind);
            matches!(part, Some(PartKind::Battery | PartKind::Generator))
        };
        let mains = v
            .wires
            .iter()
            .flat_map(|w| [(&w.from, &w.to), (&w.to, &w.from)])
            .filter(|(a, b)| source(a) && circuit.names.splice(b).is_some())
            .map(|(_, b)| b.as_str())
            .collect();
        Self { circuit, pin_of, ends_of, mains }
    }

    /// Ends of the conductors at a pin.
    pub(super) fn ends_at(&self, part: PartIx, pin: &str) -> &[&'a str] {
        self.ends_of.get(&(part, pin.to_owned())).map_or(&[], Vec::as_slice)
    }

    /// Ends at all pins of a part.
    pub(super) fn ends_of(&self, part: PartIx) -> impl Iterator<Item = &'a str> {
        self.ends_of
            .range((part, String::new())..(PartIx(part.0 + 1), String::new()))
            .flat_map(|(_, ends)| ends.iter().copied())
    }

    /// The part behind an end.
    pub(super) fn part_at(&self, end: &str) -> Option<PartIx> {
        self.pin_of.get(end).map(|p| p.0)
    }

    /// What a way that comes to an end stops at; none where it goes on.
    pub(super) fn stop(&self, end: &str) -> Option<Stop> {
        let v = &self.circuit.vehicle;
        if self.mains.contains(end) {
            return Some(Stop::Source);
        }
        if self.circuit.names.ground(end).is_some() {
            return Some(Stop::Ground);
        }
        match v.parts[self.part_at(end)?].kind {
            PartKind::Battery | PartKind::Generator => Some(Stop::Source),
            PartKind::Module => Some(Stop::Module),
            PartKind::Fuse | PartKind::Relay | PartKind::Switch => None,
            _ => Some(Stop::Load),
        }
    }

    /// Ends that current goes on to inside whatever an end belongs to.
    fn across(&self, end: &str) -> Vec<&'a str> {
        let c = self.circuit;
        let at = Point::of(end);
        if let Some(side) = at.side {
            let cavity = at.cavity();
            let sides =
                c.names.connector(owner(end)).and_then(|k| c.vehicle.connectors[k].sides.as_ref());
            return sides.map_or_else(Vec::new, |(a, b)| {
                let other = format!("{cavity}:{}", if side == a { b } else { a });
                c.names.ending_at(&other).iter().map(|w| self.end(*w, &other)).take(1).collect()
            });
        }
        let Some((part, pin)) = self.pin_of.get(end) else {
            return vec![];
        };
        let Some(&node) = c.pin_node.get(&(*part, pin.clone())) else {
            return vec![];
        };
        let near = |other: NodeId| {
            c.part_devices[*part].iter().flat_map(|d| &c.devices[*d].branches).any(|k| {
                let b = &c.branches[*k];
                (b.from, b.to) == (node, other) || (b.to, b.from) == (node, other)
            })
        };
        self.ends_of
            .range((*part, String::new())..(PartIx(part.0 + 1), String::new()))
            .filter(|((p, name), _)| c.pin_node.get(&(*p, name.clone())).is_some_and(|n| near(*n)))
            .flat_map(|(_, ends)| ends.iter().copied())
            .collect()
    }

    fn end(&self, wire: WireIx, like: &str) -> &'a str {
        let w = &self.circuit.vehicle.wires[wire];
        if w.from == like { &w.from } else { &w.to }
    }

    /// The shortest way from a pin of `home` to a stop that is wanted, without going back into it.
    pub(super) fn way(
        &self,
        from: &str,
        home: PartIx,
        wanted: impl Fn(Stop) -> bool,
    ) -> Option<(Vec<WireIx>, &'a str)> {
        self.find(from, Some(home), None, wanted)
    }

    /// The shortest way on from the far end of a conductor, not back over it.
    pub(super) fn way_on(
        &self,
        from: &str,
        back: WireIx,
        wanted: impl Fn(Stop) -> bool,
    ) -> Option<Vec<WireIx>> {
        self.find(from, None, Some(back), wanted).map(|found| found.0)
    }

    fn find(
        &self,
        from: &str,
        home: Option<PartIx>,
        back: Option<WireIx>,
        wanted: impl Fn(Stop) -> bool,
    ) -> Option<(Vec<WireIx>, &'a str)> {
        // Where each end was reached from, and by which conductor; inside a part by none.
        let mut came: HashMap<&'a str, (Option<WireIx>, Option<&'a str>)> = HashMap::new();
        let start = self.end(*self.circuit.names.ending_at(from).first()?, from);
        came.insert(start, (None, None));
        let mut queue = VecDeque::from([start]);
        while let Some(at) = queue.pop_front() {
            if at != start {
                let inside = home.is_some() && self.part_at(at) == home;
                if let Some(stop) = self.stop(at)
                    && wanted(stop)
                    && !inside
                {
                    let mut wires = Vec::new();
                    let mut step = Some(at);
                    while let Some((wire, before)) = step.map(|end| came[end]) {
                        wires.extend(wire);
                        step = before;
                    }
                    return Some((wires, at));
                }
                if inside || self.stop(at).is_some() {
                    continue;
                }
            }
            if at != start || home.is_none() {
                for other in self.across(at) {
                    if !came.contains_key(other) {
                        came.insert(other, (None, Some(at)));
                        queue.push_back(other);
                    }
                }
            }
            for w in self.circuit.names.ending_at(at).iter().filter(|w| Some(**w) != back) {
                let wire = &self.circuit.vehicle.wires[*w];
                let other = if wire.from == at { &wire.to } else { &wire.from };
                if !came.contains_key(other.as_str()) {
                    came.insert(other, (Some(*w), Some(at)));
                    queue.push_back(other);
                }
            }
        }
        None
    }

    /// Everything an end leads to, up to so many conductors.
    pub(super) fn tree(&self, from: &str, home: Option<PartIx>, most: usize) -> BTreeSet<WireIx> {
        let mut out = BTreeSet::new();
        let mut seen: HashSet<String> = HashSet::new();
        let mut queue = VecDeque::from([from.to_owned()]);
        while let Some(at) = queue.pop_front() {
            if out.len() >= most || !seen.insert(at.clone()) {
                continue;
            }
            let first = at == from;
            if !first && (self.stop(&at).is_some() || self.part_at(&at) == home && home.is_some()) {
                continue;
            }
            for w in self.circuit.names.ending_at(&at) {
                let wire = &self.circuit.vehicle.wires[*w];
                out.insert(*w);
                queue.push_back(if wire.from == at { wire.to.clone() } else { wire.from.clone() });
            }
            if !first {
                queue.extend(self.across(&at).into_iter().map(str::to_owned));
            }
        }
        out
    }
}
