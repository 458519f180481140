//! What can go in the place of a part: each with its cost and what follows from it.

use super::{consequences, records};
use crate::costs::{Prices, price};
use crate::model::Model;
use serde::Serialize;
use std::collections::BTreeSet;
use utoipa::ToSchema;
use vehicle::element::Held;
use vehicle::{Item, Origin, PartId, Vehicle};

/// Minutes that setting a record or teaching a setting takes.
const EACH: f64 = 2.0;

/// Something that can go in the place of a part.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Replacement {
    /// Part number; empty: as the vehicle was built, where the file has no numbers.
    pub number: String,
    /// What a technician calls it.
    pub name: String,
    /// Where it comes from.
    pub origin: Origin,
    /// It is no longer to be had.
    pub discontinued: bool,
    /// Price of the part.
    pub price: f64,
    /// Minutes of work, with what has to be set.
    pub minutes: f64,
    /// Money for both.
    pub cost: f64,
    /// Sign of the currency.
    pub currency: String,
    /// What follows from it, a line each.
    pub consequences: Vec<String>,
}

/// A part after whose replacement something has to be set, or for which there is more than one to choose from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Replaceable {
    /// Its id.
    pub id: PartId,
    /// In words.
    pub text: String,
}

/// Parts whose replacement wants a plan, in the order of the file.
pub fn replaceable(vehicle: &Vehicle) -> Vec<Replaceable> {
    let learned: BTreeSet<&PartId> = vehicle.settings().flat_map(|s| s.after.iter()).collect();
    let wants = |p: &&vehicle::Part| {
        p.module.is_some() || !p.variants.is_empty() || learned.contains(&p.id)
    };
    let one = |p: &vehicle::Part| Replaceable { id: p.id.clone(), text: p.name.clone() };
    vehicle.parts.iter().filter(wants).map(one).collect()
}

/// What can go in the place of a part; none where there is no such part.
pub fn choices(model: &Model, prices: &Prices, part: &PartId) -> Vec<Replacement> {
    let v = &model.circuit.vehicle;
    let Some(of) = v.parts.iter().find(|p| p.id == *part) else { return Vec::new() };
    let item = Item::part(part);
    let mend = price::mend(model, &item);
    let usual = prices.part(model, &item, mend.part);
    let lessons = v.settings().filter(|s| {
        matches!(s.held, Held::Learned { .. }) && (s.module == *part || s.after.contains(part))
    });
    let set = lessons.count() + records(v, part).len();
    let minutes = mend.minutes + EACH * set as f64;
    let one = |number: &str, name: &str, origin, discontinued, money: f64, follows| Replacement {
        number: number.to_owned(),
        name: name.to_owned(),
        origin,
        discontinued,
        price: money,
        minutes,
        cost: prices.labour(minutes) + money,
        currency: prices.currency.clone(),
        consequences: follows,
    };
    if of.variants.is_empty() {
        let follows = consequences::of(model, part, Origin::New, &[], false);
        return vec![one("", "new, as built", Origin::New, false, usual, follows)];
    }
    let variant = |x: &vehicle::Variant| {
        let follows = match x.discontinued {
            true => vec!["it is no longer to be had".to_owned()],
            false => consequences::of(model, part, x.origin, &x.differs, x.bound),
        };
        let money = x.price.unwrap_or(usual);
        one(&x.number, &x.name, x.origin, x.discontinued, money, follows)
    };
    of.variants.iter().map(variant).collect()
}
