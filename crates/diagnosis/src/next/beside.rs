//! What else works or fails nearby: evidence that costs nothing where the customer or the technician
//! knows it already.

use super::candidates::{self, Field, What};
use super::value::Scales;
use super::{Ask, likeliest, live_of, taken};
use crate::words;
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::{OperatingState, PartId};

/// Information below which it is not asked, bits.
const WORTH_BITS: f64 = 0.05;

/// Something to ask about in passing.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Beside {
    /// The part whose effect it is.
    pub part: PartId,
    /// Name of the output.
    pub name: String,
    /// State it works in.
    pub state: OperatingState,
    /// Expected information, bits.
    pub bits: f64,
}

/// Outputs whose working or not tells most, each once, best first.
pub fn beside(ask: &Ask<'_>, most: usize) -> Vec<Beside> {
    let live = likeliest(&live_of(ask));
    let scales = Scales::new(ask.model, ask.posterior, &live);
    let field = Field::new(ask.model, ask.posterior, &live, ask.here(), ask.present);
    let outputs = &ask.model.circuit.vehicle.outputs;
    let mut out: Vec<Beside> = Vec::new();
    let candidates = candidates::effects(&field);
    super::solve_ahead(ask.model, &candidates, &live);
    for c in candidates {
        let What::Effect { part } = &c.what else { continue };
        if taken(ask.evidence, &c, true) || out.iter().any(|b| b.part == *part) {
            continue;
        }
        let bits = scales.table(&c).map_or(0.0, |t| scales.information(&t));
        let output = outputs.iter().find(|o| o.load == *part && c.state.outputs.contains(&o.id));
        if bits > WORTH_BITS {
            let name = output.map_or_else(|| words::thing(ask.model, part), |o| o.name.clone());
            out.push(Beside { part: part.clone(), name, state: (*c.state).clone(), bits });
        }
    }
    out.sort_by(|a, b| b.bits.total_cmp(&a.bits).then(a.part.cmp(&b.part)));
    out.truncate(most);
    out
}
