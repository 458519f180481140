//! What a capture shows at the cavities it was tapped at: each sender's levels and the edges against what is
//! predicted there, who did not come, and what of it is worth weighing.

pub mod compared;
pub mod edges;
mod levels;
mod who;

pub use compared::{Compared, compared};
pub use levels::{Frame, Seen};
pub use who::{Who, asleep, bus_of, sender_of};

use crate::model::{Model, ModelError};
use vehicle::{PartId, PartIx};

/// Where a bus is tapped: at a member's own pins, or wherever its lines can be touched.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tap {
    /// The bus.
    pub bus: String,
    /// The member whose pins they are; none in between.
    pub at: Option<PartId>,
    /// What is measured there, red and black lead each: between high and low, and high against the
    /// vehicle's reference; of LIN the line against it.
    pub spans: Vec<[String; 2]>,
}

impl Tap {
    /// At a member of a bus, or at a spot where its lines can be touched (see
    /// [`crate::bus_static::spots_of`]).
    ///
    /// # Errors
    /// [`ModelError::Unknown`] for what is neither.
    pub fn of(model: &Model, bus: &str, at: &str) -> Result<Self, ModelError> {
        let c = &model.circuit;
        let own = |part: PartIx| {
            let ends = c.vehicle.parts[part].elements.iter().filter_map(|e| e.bus_end());
            let end = ends.into_iter().find(|end| end.bus == bus)?;
            let cavity = |pin| crate::next::candidates::cavity_of(&c.vehicle, part, pin);
            Some(end.lines().into_iter().map(cavity).collect::<Vec<String>>())
        };
        if let Some((part, lines)) = c.part(at).and_then(|part| Some((part, own(part)?))) {
            return Ok(Self::at(model, bus, Some(part), &lines));
        }
        let spots = crate::bus_static::spots_of(model, bus)?;
        let spot = spots.into_iter().find(|s| s.id == at);
        let unknown = || ModelError::Unknown { what: "place on the bus", id: at.into() };
        let spot = spot.ok_or_else(unknown)?;
        let owner = c.names.connector(at).and_then(|k| c.vehicle.connectors[k].part.as_deref());
        let member = owner.and_then(|id| c.part(id)).filter(|part| own(*part).is_some());
        Ok(Self::at(model, bus, member, &spot.lines))
    }

    fn at(model: &Model, bus: &str, member: Option<PartIx>, lines: &[String]) -> Self {
        let c = &model.circuit;
        let against = |point: &String| [point.clone(), c.reference.clone()];
        let spans = match lines {
            [high, low] => vec![[high.clone(), low.clone()], against(high)],
            one => one.iter().map(against).collect(),
        };
        let at = member.map(|part| c.vehicle.parts[part].id.clone());
        Self { bus: bus.to_owned(), at, spans }
    }

    /// Whether it is on a LIN bus.
    pub fn is_lin(&self) -> bool {
        self.spans.len() == 1
    }
}

fn median(mut all: Vec<f64>) -> Option<f64> {
    all.sort_by(f64::total_cmp);
    all.get(all.len() / 2).copied()
}
