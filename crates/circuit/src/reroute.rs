//! Ways to lead a bus elsewhere for a moment: past a module that it passes through, by a lead across its
//! plug, or over the spare leg of a star coupler. They follow from the links (`bus_link`) of the vehicle
//! file.

use crate::compile::{BranchId, Circuit, NodeId};
use std::collections::BTreeMap;
use vehicle::element::Joins;
use vehicle::{OperatingState, PartIx, Point, Vehicle};

/// What leading a bus elsewhere does.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum By {
    /// A lead from one pair of a plug to the other.
    Bridge,
    /// Contacts taken from a leg of a coupler and put into a spare one.
    Spare {
        /// Cavities of the leg.
        from: Vec<String>,
        /// Cavities of the spare one.
        to: Vec<String>,
    },
    /// Two identical members of a LIN bus, each plugged in at the other's place.
    Exchange {
        /// The other one.
        with: PartIx,
    },
}

/// A way to lead a bus elsewhere; named as in an operating state: `bridge:A24`, `spare:XSC.2H`,
/// `exchange:A50+A51`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reroute {
    /// Its name.
    pub id: String,
    /// The module led past, the coupler, or the one that is exchanged.
    pub part: PartIx,
    /// What is done.
    pub by: By,
    /// Leads, closed while it is done.
    pub leads: Vec<BranchId>,
    /// Contacts, open while it is done.
    pub opens: Vec<BranchId>,
}

/// A lead that may lie between two nodes.
pub(crate) struct Lead {
    pub from: NodeId,
    pub to: NodeId,
}

/// A way as it is found, before its leads have branches.
pub(crate) struct Found {
    pub id: String,
    pub part: PartIx,
    pub by: By,
    pub leads: Vec<Lead>,
    pub opens: Opens,
}

/// Contacts that open, as they are found.
pub(crate) enum Opens {
    /// By their cavities.
    Cavities(Vec<String>),
    /// As they are.
    Branches(Vec<BranchId>),
}

/// Resistance of such a lead with its contacts, ohms.
pub(crate) const LEAD_OHMS: f64 = 0.05;

/// Every way in a vehicle; `node` tells the node of a point.
pub(crate) fn all(vehicle: &Vehicle, node: impl Fn(&str) -> Option<NodeId>) -> Vec<Found> {
    let mut found = Vec::new();
    for (p, part) in vehicle.parts.iter_enumerated() {
        let links: Vec<Joins<'_>> = part.elements.iter().filter_map(|e| e.leads_on()).collect();
        if links.is_empty() {
            continue;
        }
        // Cavities of the part's own pins, with whether they are spare.
        let mut cavities: BTreeMap<&str, (String, bool)> = BTreeMap::new();
        for connector in vehicle.connectors.iter().filter(|c| c.part.as_ref() == Some(&part.id)) {
            for cavity in &connector.cavities {
                let pin = cavity.pin.as_deref().unwrap_or(&cavity.no);
                cavities.insert(pin, (format!("{}.{}", connector.id, cavity.no), cavity.spare));
            }
        }
        found.extend(bridge(p, &part.id, &links, &cavities, &node));
        found.extend(spares(p, &links, &cavities, &node));
    }
    found
}

/// Past a module: every link has a cavity at both ends.
fn bridge(
    part: PartIx,
    id: &str,
    links: &[Joins<'_>],
    cavities: &BTreeMap<&str, (String, bool)>,
    node: &impl Fn(&str) -> Option<NodeId>,
) -> Option<Found> {
    let of = |link: &Joins<'_>| {
        let (a, b) = (&cavities.get(link.a)?.0, &cavities.get(link.b)?.0);
        Some(Lead { from: node(a)?, to: node(b)? })
    };
    let leads: Vec<Lead> = links.iter().filter_map(of).collect();
    let id = format!("bridge:{id}");
    (leads.len() == links.len()).then_some(Found {
        id,
        part,
        by: By::Bridge,
        leads,
        opens: Opens::Branches(Vec::new()),
    })
}

/// Legs of a coupler: the links of each line that meet in one inner point, in the order of the file, so
/// that the first of one line and the first of the other are a pair.
fn spares(
    part: PartIx,
    links: &[Joins<'_>],
    cavities: &BTreeMap<&str, (String, bool)>,
    node: &impl Fn(&str) -> Option<NodeId>,
) -> Vec<Found> {
    let mut stars: BTreeMap<&str, Vec<&(String, bool)>> = BTreeMap::new();
    for l in links {
        for (outer, inner) in [(l.a, l.b), (l.b, l.a)] {
            if let (Some(cavity), None) = (cavities.get(outer), cavities.get(inner)) {
                stars.entry(inner).or_default().push(cavity);
            }
        }
    }
    let legs = stars.values().map(Vec::len).min().unwrap_or(0);
    let pairs: Vec<Vec<&(String, bool)>> =
        (0..legs).map(|k| stars.values().map(|line| line[k]).collect()).collect();
    let is_spare = |pair: &[&(String, bool)]| pair.iter().all(|(_, spare)| *spare);
    let Some(spare) = pairs.iter().find(|pair| is_spare(pair)) else { return Vec::new() };
    let used = pairs.iter().filter(|pair| !pair.iter().any(|(_, spare)| *spare));
    let to = |pair: &Vec<&(String, bool)>| {
        let names = |pair: &[&(String, bool)]| pair.iter().map(|(c, _)| c.clone()).collect();
        let (from, to): (Vec<String>, Vec<String>) = (names(pair), names(spare));
        let lead = |(from, to): (&String, &String)| {
            Some(Lead { from: node(from)?, to: node(&format!("{to}:part"))? })
        };
        let leads = from.iter().zip(&to).map(lead).collect::<Option<_>>()?;
        let (id, opens) = (format!("spare:{}", from[0]), Opens::Cavities(from.clone()));
        Some(Found { id, part, by: By::Spare { from, to }, leads, opens })
    };
    used.filter_map(to).collect()
}

impl Found {
    /// With the branches its leads were given.
    pub fn placed(
        self,
        leads: Vec<BranchId>,
        contact: impl Fn(&str, &str) -> Option<BranchId>,
    ) -> Reroute {
        let of = |cavity: &String| Point::of(cavity).key().and_then(|(c, no)| contact(c, no));
        let opens = match self.opens {
            Opens::Cavities(all) => all.iter().filter_map(of).collect(),
            Opens::Branches(all) => all,
        };
        Reroute { id: self.id, part: self.part, by: self.by, leads, opens }
    }
}

/// Whether a pin is a point inside a part, where links meet or a shunt ends: its part has a connector, and neither
/// a cavity nor a conductor ends there.
pub(crate) fn is_inner(vehicle: &Vehicle, part: PartIx, pin: &str) -> bool {
    let p = &vehicle.parts[part];
    let mut own = vehicle.connectors.iter().filter(|c| c.part.as_ref() == Some(&p.id)).peekable();
    let name = format!("{}.{pin}", p.id);
    let ends = || vehicle.wires.iter().any(|w| w.from == name || w.to == name);
    own.peek().is_some()
        && !own.any(|c| c.cavities.iter().any(|x| x.pin.as_ref().unwrap_or(&x.no) == pin))
        && !ends()
}

impl Circuit {
    /// A way to lead a bus elsewhere, by its name.
    pub fn reroute(&self, id: &str) -> Option<&Reroute> {
        self.reroutes.iter().find(|r| r.id == id)
    }

    /// Leads that lie in a state.
    pub(crate) fn leads(&self, state: &OperatingState) -> impl Iterator<Item = BranchId> {
        let taken = state.rerouted.iter().filter_map(|id| self.reroute(id));
        taken.flat_map(|r| r.leads.iter().copied())
    }

    /// What is to be done for a way, in words.
    pub fn reroute_task(&self, r: &Reroute) -> String {
        let name = &self.vehicle.parts[r.part].name;
        match &r.by {
            By::Bridge => format!("Lead the bus past {name} with a lead across its plug"),
            By::Spare { from, to } => {
                format!("Move {} to the spare leg {}", from.join(" and "), to.join(" and "))
            }
            By::Exchange { with } => {
                format!("Exchange {name} with {}", self.vehicle.parts[*with].name)
            }
        }
    }

    /// What a way does, in words.
    pub fn reroute_text(&self, r: &Reroute) -> String {
        let part = &self.vehicle.parts[r.part];
        match &r.by {
            By::Bridge => format!("bus led past {} {} by a lead", part.name, part.id),
            By::Spare { from, to } => {
                format!("{} moved to {}", from.join(" and "), to.join(" and "))
            }
            By::Exchange { with } => {
                format!("{} and {} exchanged", part.id, self.vehicle.parts[*with].id)
            }
        }
    }
}
