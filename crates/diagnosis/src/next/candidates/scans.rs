//! Codes cleared, the run conditions brought about, and all modules asked again.

use super::{Candidate, Field, What};

/// Minutes to clear, to wait for the monitors, and to scan.
pub(super) const MINUTES: f64 = 1.5;

pub(super) fn generate(field: &Field<'_>, out: &mut Vec<Candidate>) {
    let v = &field.model.circuit.vehicle;
    if !v.parts.iter().any(|p| p.module.is_some()) {
        return;
    }
    // With the key off nothing that a scan could see runs.
    let awake = v.states.iter().filter(|s| s.state.key == vehicle::KeyPosition::On);
    out.extend(
        awake.map(|named| Candidate::new(What::Scan, named.state.clone(), named.id.as_str())),
    );
}
