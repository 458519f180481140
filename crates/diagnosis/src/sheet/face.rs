//! A connector as seen on its mating side: every cavity, used or not.

use super::Values;
use super::walk::owner;
use crate::model::Model;
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::{ConnectorId, OperatingState, WireId};

/// A cavity of a connector face.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct FaceCavity {
    /// Number as moulded on the connector.
    pub no: String,
    /// Cavity id a probe names; empty for a cavity not in use.
    pub id: String,
    /// Circuit number of the conductor.
    pub wire: WireId,
    /// IEC 60757 colour.
    pub colour: String,
    /// Cross-section, square millimetres.
    pub area_mm2: f64,
    /// The other end of the conductor.
    pub to: String,
    /// Sound volts against battery minus.
    pub volts: f64,
    /// Half width of the sound range, volts.
    pub tolerance: f64,
    /// Volts under the chosen suspect.
    pub under: Option<f64>,
    /// Repair item of the terminal pair.
    pub item: String,
}

/// A connector face.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Face {
    /// Id of the connector.
    pub id: ConnectorId,
    /// Name.
    pub name: String,
    /// Where it is.
    pub place: String,
    /// How to get there.
    pub note: String,
    /// Minutes to reach it.
    pub minutes: f64,
    /// Rows, each from left to right as seen on the mating side.
    pub rows: Vec<Vec<FaceCavity>>,
}

/// Draws up a connector face; none when there is no such connector.
pub fn face(
    model: &Model,
    connector: &str,
    state: &OperatingState,
    under: Option<&str>,
) -> Option<Face> {
    let c = &model.circuit;
    let v = &c.vehicle;
    let k = &v.connectors[c.names.connector(connector)?];
    let values = Values::new(model, state, under);
    let mut cavities: Vec<FaceCavity> = Vec::new();
    for cavity in &k.cavities {
        let cavity_id = format!("{}.{}", k.id, cavity.no);
        let ids = match &k.sides {
            Some((a, _)) => format!("{cavity_id}:{a}"),
            None => cavity_id,
        };
        let wire = c.names.ending_at(&ids).first().map(|w| &v.wires[*w]);
        let (volts, tolerance, under) = values.of(&ids);
        cavities.push(FaceCavity {
            no: cavity.no.clone(),
            wire: wire.map(|w| w.id.clone()).unwrap_or_default(),
            colour: wire.map(|w| w.colour.clone()).unwrap_or_default(),
            area_mm2: wire.map_or(0.0, |w| w.area_mm2),
            to: wire
                .map(|w| if w.from == ids { &w.to } else { &w.from })
                .map(|end| name(model, end))
                .unwrap_or_default(),
            volts,
            tolerance,
            under,
            item: format!("terminal:{}.{}", k.id, cavity.no),
            id: ids,
        });
    }
    let cavities = in_place(cavities, usize::from(k.cavity_count));
    let per_row = cavities.len().div_ceil(usize::from(k.rows.max(1))).max(1);
    let place = v.places.iter().find(|p| p.id == k.place);
    Some(Face {
        id: k.id.clone(),
        name: k.name.clone(),
        place: place.map(|p| p.name.clone()).unwrap_or_default(),
        note: k.note.clone(),
        minutes: k.minutes.reach,
        rows: cavities.chunks(per_row).map(<[_]>::to_vec).collect(),
    })
}

/// Cavities where their numbers put them, unused ones between; where they have names instead, in the
/// order of the file with the unused ones behind.
fn in_place(used: Vec<FaceCavity>, count: usize) -> Vec<FaceCavity> {
    let count = count.max(used.len());
    let at = |c: &FaceCavity| c.no.parse().ok().filter(|n: &usize| (1..=count).contains(n));
    let numbered = used.iter().all(|c| at(c).is_some());
    let mut out: Vec<FaceCavity> = (1..=count).map(unused).collect();
    for (k, c) in used.into_iter().enumerate() {
        let place = if numbered { at(&c).map_or(k, |n| n - 1) } else { k };
        out[place] = c;
    }
    out
}

fn unused(no: usize) -> FaceCavity {
    FaceCavity {
        no: format!("–{no}"),
        id: String::new(),
        wire: WireId::default(),
        colour: String::new(),
        area_mm2: 0.0,
        to: String::new(),
        volts: 0.0,
        tolerance: 0.0,
        under: None,
        item: String::new(),
    }
}

/// An end with the name of what it belongs to.
fn name(model: &Model, end: &str) -> String {
    let c = &model.circuit;
    let v = &c.vehicle;
    let id = owner(end);
    let known = (c.names.connector(id).map(|k| &v.connectors[k].name))
        .or_else(|| c.names.part(id).map(|p| &v.parts[p].name))
        .or_else(|| c.names.splice(id).map(|s| &v.splices[s].name))
        .or_else(|| c.names.ground(id).map(|g| &v.grounds[g].name));
    known.map_or_else(|| end.to_owned(), |n| format!("{end} {n}"))
}
