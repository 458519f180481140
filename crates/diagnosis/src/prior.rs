//! What is likely before any evidence: by kind and place (the fault's own weight), by what was
//! touched lately (N2), by what this shop has found before (N45), and by the technician's own word.

mod conspicuous;

use crate::evidence::{Evidence, Finding, Strength};
use crate::model::{HypIx, ItemIx, Model};
use crate::workshop::Workshop;
use circuit::fault::rates;
use circuit::place;
pub use conspicuous::Conspicuous;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use utoipa::ToSchema;
use vehicle::{Item, ItemKind, PartId, PartIx, TiSlice, TiVec};

/// What happened to a place or a thing lately.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Event {
    /// A part fitted, a connector opened, a repair.
    Work,
    /// Water came in.
    Water,
    /// A crash or a knock.
    Crash,
}

/// Recent work, water or a crash at a place or a thing.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct Recent {
    /// Place, connector, part, conductor, ground point or splice.
    pub at: String,
    /// What happened.
    pub event: Event,
}

/// How often the fault shows, as the customer tells it.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema, ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum Occurs {
    /// All the time.
    Always,
    /// It comes and goes.
    Sometimes,
    /// Not said.
    #[default]
    Unknown,
}

/// The technician's own weight for a repair item.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct Adjusted {
    /// Repair item.
    pub item: Item,
    /// Times likelier than the model has it, from 0.01 to 100.
    pub factor: f64,
    /// Why.
    pub reason: String,
}

/// Everything that weighs before evidence.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Known {
    /// Recent work, water, crash.
    pub recent: Vec<Recent>,
    /// How often it shows.
    pub occurs: Occurs,
    /// Confirmed causes of closed jobs on this kind of vehicle: repair item and how often.
    pub confirmed: BTreeMap<Item, u32>,
    /// The technician's own weights.
    pub adjusted: Vec<Adjusted>,
    /// The parts whose effects are all that was complained of: what takes much else with it would have
    /// been told of differently.
    pub complaint: Vec<PartId>,
    /// What the shop has settled for all its jobs.
    pub workshop: Workshop,
}

/// One thing that raises or lowers a repair item before evidence.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Weight {
    /// Times likelier.
    pub factor: f64,
    /// Why, in words.
    pub text: String,
}

/// Times likelier that a thing is at fault that was worked on itself, and one in the same place.
const WORKED_ON: f64 = 12.0;
const WORKED_NEAR: f64 = 4.0;
/// The same of what a module is set to, where somebody worked on it or on what it learns from: a unit fitted and not set up is what
/// such work mostly leaves behind.
const SET_UP: f64 = 400.0;
/// Contacts and splices where water came in; conductors and connectors where something hit.
const WATER: f64 = 8.0;
const CRASH: f64 = 6.0;
/// Each confirmed cause adds so many times the weight.
const CONFIRMED: f64 = 2.0;
/// Chance that a customer says "always" of what comes and goes, against what is steady, and the other way
/// round: who is asked plainly seldom errs about that.
const ALWAYS_OF_WAVERING: f64 = 0.05;
const SOMETIMES_OF_STEADY: f64 = 0.03;

/// Parts whose effects are told of as lost: what a complaint is about.
pub fn told_of(evidence: &[Evidence]) -> Vec<PartId> {
    let lost = evidence.iter().filter_map(|e| match &e.finding {
        Finding::Effect { part, strength } if *strength != Strength::Normal => Some(part.clone()),
        _ => None,
    });
    let all: BTreeSet<PartId> = lost.collect();
    all.into_iter().collect()
}

/// Weights before evidence.
#[derive(Debug, Clone)]
pub struct Priors {
    /// Weight of each hypothesis as it is steadily there; all of them with [`Priors::wavering`] sum to 1.
    pub steady: TiVec<HypIx, f64>,
    /// Weight of each hypothesis as it comes and goes.
    pub wavering: TiVec<HypIx, f64>,
    /// Their logarithms.
    pub(crate) steady_log: TiVec<HypIx, f64>,
    pub(crate) wavering_log: TiVec<HypIx, f64>,
    /// What raised or lowered each repair item, by its number.
    pub why: BTreeMap<ItemIx, Vec<Weight>>,
}

impl Model {
    /// Weights with nothing known but the vehicle file.
    pub fn plain(&self) -> &Priors {
        self.derived(Priors::plain)
    }
}

impl Priors {
    /// With nothing known but the vehicle file.
    pub fn plain(model: &Model) -> Self {
        Self::new(model, &Known::default())
    }

    /// With nothing known beside evidence but what it tells of.
    pub fn told(model: &Model, evidence: &[Evidence]) -> Self {
        Self::new(model, &Known { complaint: told_of(evidence), ..Known::default() })
    }

    /// With what is known.
    pub fn new(model: &Model, known: &Known) -> Self {
        let mut why: BTreeMap<ItemIx, Vec<Weight>> = BTreeMap::new();
        for (k, item) in model.items.iter_enumerated().filter(|(_, item)| **item != Item::Elsewhere)
        {
            let list = weights(model, known, item);
            if !list.is_empty() {
                why.insert(k, list);
            }
        }
        let factor = |item: ItemIx| -> f64 {
            why.get(&item).map_or(1.0, |list| list.iter().map(|w| w.factor).product())
        };
        let told: Vec<PartIx> =
            known.complaint.iter().filter_map(|id| model.circuit.part(id)).collect();
        let conspicuous = (!told.is_empty()).then(|| model.conspicuous());
        let told_of = |h: HypIx| conspicuous.map_or(1.0, |c| c.told_alone(h, &told));
        let weight: Vec<f64> = model
            .faults
            .iter_enumerated()
            .zip(&model.item_of)
            .map(|((h, f), item)| f.prior * factor(*item) * told_of(h))
            .collect();
        let [says_steady, says_wavering] = match known.occurs {
            Occurs::Always => [1.0, ALWAYS_OF_WAVERING],
            Occurs::Sometimes => [SOMETIMES_OF_STEADY, 1.0],
            Occurs::Unknown => [1.0; 2],
        };
        let weights = weight.iter().zip(&model.wavering);
        let both = weights.map(|(w, s)| (w * (1.0 - s) * says_steady, w * s * says_wavering));
        let (steady, wavering): (Vec<f64>, Vec<f64>) = both.unzip();
        Self::of(steady.into(), wavering.into(), why)
    }
}

/// How much of the proportion between two rates is left where they are nearly taken alike.
const EVEN: f64 = 0.1;

impl Priors {
    /// From weights, which need not add up to anything.
    fn of(
        mut steady: TiVec<HypIx, f64>,
        mut wavering: TiVec<HypIx, f64>,
        why: BTreeMap<ItemIx, Vec<Weight>>,
    ) -> Self {
        let total: f64 = steady.iter().chain(&wavering).sum();
        for w in steady.iter_mut().chain(&mut wavering) {
            *w /= total;
        }
        let logs = |list: &TiSlice<HypIx, f64>| list.iter().map(|p| p.ln()).collect();
        let (steady_log, wavering_log) = (logs(&steady), logs(&wavering));
        Self { steady, wavering, steady_log, wavering_log, why }
    }

    /// The same with all things failing nearly alike: what is believed then follows from what was found,
    /// and not from how often such things fail.
    pub fn even(&self, model: &Model) -> Self {
        let mut rates: TiVec<ItemIx, f64> = vec![0.0; model.items.len()].into();
        for (f, item) in model.faults.iter().zip(&model.item_of) {
            rates[*item] += f.prior;
        }
        let scaled = |list: &TiSlice<HypIx, f64>| -> TiVec<HypIx, f64> {
            let of = |(w, item): (&f64, &ItemIx)| w * rates[*item].powf(EVEN - 1.0);
            list.iter().zip(&model.item_of).map(of).collect()
        };
        let (steady, wavering) = (scaled(&self.steady), scaled(&self.wavering));
        Self::of(steady, wavering, BTreeMap::new())
    }
}

/// Whether a repair item is what a module is set to, and has to be set anew once something was replaced.
fn is_set_anew(model: &Model, item: &Item, replaced: &str) -> bool {
    let c = &model.circuit;
    let Some(part) = item.as_part().and_then(|id| c.part(id)) else { return false };
    let mut settings = c.vehicle.parts[part].elements.iter().filter_map(|e| e.setting());
    settings.any(|s| *s.module == *replaced || s.after.iter().any(|p| **p == *replaced))
}

fn weights(model: &Model, known: &Known, item: &Item) -> Vec<Weight> {
    let c = &model.circuit;
    let mut out = Vec::new();
    let kind = item.kind();
    for r in known.recent.iter().filter(|r| r.event == Event::Work) {
        if is_set_anew(model, item, &r.at) {
            let text = format!("to be set anew after work there ({})", r.at);
            out.push(Weight { factor: SET_UP, text });
        }
    }
    for r in &known.recent {
        let is_place = c.names.place(&r.at).is_some();
        let touched =
            place::lies_at(c, item, &r.at) || (!is_place && place::touches(c, item, &r.at));
        if !touched {
            continue;
        }
        let contact = matches!(
            kind,
            ItemKind::Terminal | ItemKind::Connector | ItemKind::Ground | ItemKind::Splice
        );
        let (factor, text) = match r.event {
            Event::Work if is_place => (WORKED_NEAR, "work was done here lately"),
            Event::Work => (WORKED_ON, "was worked on lately"),
            Event::Water if contact => (WATER, "water was here"),
            Event::Crash if kind != ItemKind::Part => (CRASH, "was hit"),
            Event::Water | Event::Crash => continue,
        };
        out.push(Weight { factor, text: format!("{text} ({})", r.at) });
    }
    if !known.workshop.rates.is_empty()
        && let Some(kind) = rates::kind(c, item)
        && let Some(factor) = known.workshop.rates.get(kind)
    {
        let text = format!("so many times as often as usual in this shop: {kind}");
        out.push(Weight { factor: factor.clamp(0.01, 100.0), text });
    }
    if let Some(n) = known.confirmed.get(item) {
        out.push(Weight {
            factor: 1.0 + CONFIRMED * f64::from(*n),
            text: format!("this shop has found it {n} times on this kind of vehicle"),
        });
    }
    for a in known.adjusted.iter().filter(|a| a.item == *item) {
        out.push(Weight { factor: a.factor.clamp(0.01, 100.0), text: a.reason.clone() });
    }
    out
}
