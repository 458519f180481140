//! What of a model lies on the lines of a bus.

use super::{HypIx, Model};
use circuit::{NodeId, bus_lines};
use vehicle::TiVec;

impl Model {
    /// For every node the buses it is a line of, as [`circuit::bus_lines`] has them.
    pub(crate) fn bus_lines(&self) -> &TiVec<NodeId, u32> {
        struct Lines(TiVec<NodeId, u32>);
        let lines: &Lines = self.derived(|m| Lines(bus_lines::bus_lines(&m.circuit)));
        &lines.0
    }

    /// Whether a hypothesis lies on the lines of a bus, by its number.
    pub(crate) fn lies_on(&self, h: HypIx, bus: usize) -> bool {
        bus_lines::touches(&self.circuit, self.bus_lines(), bus, &self.faults[h].changes)
    }

    /// Whether a hypothesis lies on a bus that a tester talks over.
    pub(crate) fn is_on_bus(&self, h: HypIx) -> bool {
        self.on_bus[h]
    }
}
