//! Where each thing of the vehicle file stands, by its id.

use std::collections::HashMap;
use std::hash::Hash;
use vehicle::{
    ConnectorId, GroundId, GroundIx, PartId, PartIx, PlaceId, SpliceId, Vehicle, WireId, WireIx,
};

/// Indices by id.
#[derive(Debug)]
pub struct Names {
    parts: HashMap<PartId, PartIx>,
    wires: HashMap<WireId, WireIx>,
    connectors: HashMap<ConnectorId, usize>,
    splices: HashMap<SpliceId, usize>,
    grounds: HashMap<GroundId, GroundIx>,
    places: HashMap<PlaceId, usize>,
    /// Conductors that end at each cavity, splice or ground point.
    ends: HashMap<String, Vec<WireIx>>,
}

fn index<'v, T: 'v, I: Clone + Eq + Hash, K: From<usize>>(
    list: impl IntoIterator<Item = &'v T>,
    id: impl Fn(&T) -> &I,
) -> HashMap<I, K> {
    list.into_iter().enumerate().map(|(k, x)| (id(x).clone(), k.into())).collect()
}

impl Names {
    pub(crate) fn of(v: &Vehicle) -> Self {
        let mut ends: HashMap<String, Vec<WireIx>> = HashMap::new();
        for (k, w) in v.wires.iter_enumerated() {
            ends.entry(w.from.clone()).or_default().push(k);
            if w.to != w.from {
                ends.entry(w.to.clone()).or_default().push(k);
            }
        }
        Self {
            parts: index(&v.parts, |x| &x.id),
            wires: index(&v.wires, |x| &x.id),
            connectors: index(&v.connectors, |x| &x.id),
            splices: index(&v.splices, |x| &x.id),
            grounds: index(&v.grounds, |x| &x.id),
            places: index(&v.places, |x| &x.id),
            ends,
        }
    }

    /// Index of a part.
    pub fn part(&self, id: &str) -> Option<PartIx> {
        self.parts.get(id).copied()
    }
    /// Index of a conductor.
    pub fn wire(&self, id: &str) -> Option<WireIx> {
        self.wires.get(id).copied()
    }
    /// Index of a connector.
    pub fn connector(&self, id: &str) -> Option<usize> {
        self.connectors.get(id).copied()
    }
    /// Index of a splice.
    pub fn splice(&self, id: &str) -> Option<usize> {
        self.splices.get(id).copied()
    }
    /// Index of a ground point.
    pub fn ground(&self, id: &str) -> Option<GroundIx> {
        self.grounds.get(id).copied()
    }
    /// Index of a place.
    pub fn place(&self, id: &str) -> Option<usize> {
        self.places.get(id).copied()
    }
    /// Conductors that end at a cavity, splice or ground point, in the order of the file.
    pub fn ending_at(&self, end: &str) -> &[WireIx] {
        self.ends.get(end).map_or(&[], Vec::as_slice)
    }
}
