//! Fixed lists of a vehicle: what can be chosen, driven, touched. They follow from the vehicle file
//! and its equipment alone, so a window asks for them once.

use crate::bench::modules;
use crate::shop::{ShopError, Vehicles};
use diagnosis::{Model, ledger, next, request, words};
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::{OperatingState, OutputId, PartId, SignalId};

/// Everything that can be chosen on a vehicle.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Lists {
    /// States with a name.
    pub states: Vec<StateChoice>,
    /// Courses of time.
    pub courses: Vec<CourseChoice>,
    /// Connectors that can be unplugged.
    pub connectors: Vec<Choice>,
    /// Outputs that can be driven.
    pub outputs: Vec<OutputView>,
    /// Parts that work without any output, in the named states: what can be missed beside outputs.
    pub by_hand: Vec<Choice>,
    /// Where the black lead sits unless a drop is measured.
    pub reference: String,
    /// Points a probe can touch.
    pub points: Vec<Choice>,
    /// Conductors a clamp goes round.
    pub wires: Vec<Choice>,
    /// Places and things that can be named as worked on, wet or hit, moved or looked at.
    pub places: Vec<Choice>,
    /// Equipment that this vehicle has or may have.
    pub equipment: Vec<Choice>,
    /// Modules the vehicle should have.
    pub modules: Vec<Choice>,
}

/// A thing to choose.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Choice {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
}

/// A named state.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct StateChoice {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// The state.
    pub state: OperatingState,
}

/// A course of time.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct CourseChoice {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Seconds that it takes.
    pub seconds: f64,
}

/// An output.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct OutputView {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Module part that drives it.
    pub module: PartId,
    /// Its name.
    pub module_name: String,
    /// Part whose effect shows.
    pub load: String,
    /// The effect in words.
    pub effect: String,
    /// Longest time, seconds.
    pub limit_s: f64,
    /// What to mind.
    pub guard: String,
    /// What is looked at before it is driven, and must hold.
    pub needs: Vec<String>,
    /// The output that moves the same load the other way.
    pub other_way: Option<OutputId>,
    /// Least and largest share of time that may be set, percent.
    pub percent: Option<[f64; 2]>,
    /// Shares of time of its steps, percent, the first step first.
    pub steps: Vec<f64>,
    /// The signal that reads the current it takes.
    pub current: Option<SignalId>,
    /// The signal that reads the voltage at its own pin.
    pub at_pin: Option<SignalId>,
    /// State in which it is driven.
    pub state: OperatingState,
}

/// The lists of a model. What may be missing is known to the whole vehicle file alone.
///
/// # Errors
/// [`ShopError`] where the file cannot be read.
pub fn lists(model: &Model, vehicles: &Vehicles, file: &str) -> Result<Lists, ShopError> {
    let v = &model.circuit.vehicle;
    let named = |id: &str, name: &str| Choice { id: id.to_owned(), name: name.to_owned() };
    let states = v.states.iter();
    let wires = v.wires.iter();
    Ok(Lists {
        states: states
            .map(|s| StateChoice { id: s.id.clone(), name: s.name.clone(), state: s.state.clone() })
            .collect(),
        courses: (v.profiles.iter())
            .map(|p| CourseChoice { id: p.id.clone(), name: p.name.clone(), seconds: p.seconds() })
            .collect(),
        connectors: pluggable(model),
        outputs: outputs(model),
        by_hand: ledger::by_hand(model)
            .into_iter()
            .map(|(part, _)| named(&v.parts[part].id, &v.parts[part].name))
            .collect(),
        reference: model.circuit.reference.clone(),
        points: next::candidates::points(model)
            .into_iter()
            .map(|id| Choice { name: words::point(model, &id), id })
            .collect(),
        wires: wires
            .map(|w| named(&w.id, &format!("{} {}, {} to {}", w.id, w.colour, w.from, w.to)))
            .collect(),
        places: places(model),
        equipment: vehicles.file(file)?.options.iter().map(|o| named(&o.id, &o.name)).collect(),
        modules: modules(v).map(|(p, _)| named(&p.id, &p.name)).collect(),
    })
}

fn places(model: &Model) -> Vec<Choice> {
    let v = &model.circuit.vehicle;
    let places = v.places.iter().map(|p| Choice { id: p.id.to_string(), name: p.name.clone() });
    let connectors =
        v.connectors.iter().map(|c| Choice { id: c.id.to_string(), name: c.name.clone() });
    let grounds = v.grounds.iter().map(|g| Choice { id: g.id.to_string(), name: g.name.clone() });
    let parts = v.parts.iter().map(|p| Choice { id: p.id.to_string(), name: p.name.clone() });
    places.chain(connectors).chain(grounds).chain(parts).collect()
}

fn pluggable(model: &Model) -> Vec<Choice> {
    let v = &model.circuit.vehicle;
    let own = v.connectors.iter().map(|c| Choice { id: c.id.to_string(), name: c.name.clone() });
    let sockets = v
        .parts
        .iter()
        .filter(|p| model.circuit.terminal_branch.keys().any(|(c, _)| p.id == *c.as_str()));
    own.chain(sockets.map(|p| Choice { id: p.id.to_string(), name: p.name.clone() })).collect()
}

fn outputs(model: &Model) -> Vec<OutputView> {
    let v = &model.circuit.vehicle;
    v.outputs
        .iter()
        .map(|o| {
            let named = v.states.iter().find(|s| s.state.outputs.contains(&o.id));
            OutputView {
                id: o.id.to_string(),
                name: o.name.clone(),
                module: o.module.clone(),
                module_name: model
                    .circuit
                    .part(&o.module)
                    .map_or_else(String::new, |p| v.parts[p].name.clone()),
                load: o.load.to_string(),
                effect: words::effect(model, &o.load),
                limit_s: o.limit_s,
                guard: o.guard.clone(),
                needs: o.needs.iter().map(|n| n.name.clone()).collect(),
                other_way: o.other_way.clone(),
                percent: o.percent,
                steps: o.steps.clone(),
                current: o.current.clone(),
                at_pin: (model.circuit.software.output(&o.id))
                    .and_then(|number| request::at_pin(model, number))
                    .map(|k| v.signals[k].id.clone()),
                state: named.map(|s| s.state.clone()).unwrap_or_default(),
            }
        })
        .collect()
}
