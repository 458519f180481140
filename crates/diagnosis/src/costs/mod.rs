//! What it costs to get to a proven repair: minutes of work and parts, in money.
//!
//! [`price`] says what a repair item costs to mend; [`to_go`] what is still to be spent, given what is
//! believed. The next check and a part that could be fitted instead are compared by it
//! (troubleshooting with repair actions: Heckerman, Breese and Rommelse 1995).

pub mod price;
pub(crate) mod to_go;

use crate::model::Model;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::ToSchema;
use vehicle::{Item, PartKind};

/// What labour and parts cost in a shop.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Prices {
    /// Sign of the currency, as printed behind an amount.
    pub currency: String,
    /// An hour of work, from 1 to 10000.
    pub labour_per_hour: f64,
    /// Prices of kinds of parts where they differ from what is typical, 0 to 1000000; the vehicle file
    /// knows better what a part of its own costs.
    #[schema(value_type = BTreeMap<String, f64>)]
    pub kinds: BTreeMap<PartKind, f64>,
}

impl Default for Prices {
    fn default() -> Self {
        Self { currency: "€".to_owned(), labour_per_hour: 90.0, kinds: BTreeMap::new() }
    }
}

impl Prices {
    /// What is wrong with them: the field and why; none where they can be used.
    pub fn fault(&self) -> Option<(&'static str, &'static str)> {
        if !(1.0..=10_000.0).contains(&self.labour_per_hour) {
            return Some(("labour_per_hour", "an hour of work costs between 1 and 10000"));
        }
        if self.currency.trim().is_empty() || self.currency.chars().count() > 4 {
            return Some(("currency", "the sign of a currency has one to four letters"));
        }
        let odd = self.kinds.values().any(|p| !(0.0..=1e6).contains(p));
        odd.then_some(("kinds", "a part costs between 0 and 1000000"))
    }

    /// Money for minutes of work.
    pub fn labour(&self, minutes: f64) -> f64 {
        minutes / 60.0 * self.labour_per_hour
    }

    /// What it costs to mend a repair item, trying the complaint again included.
    pub fn mending(&self, model: &Model, item: &Item) -> f64 {
        if *item == Item::Elsewhere {
            return self.labour(price::SEARCH);
        }
        let mend = price::mend(model, item);
        self.labour(mend.minutes + price::TRY) + self.part(model, item, mend.part)
    }

    /// The price of the new part, `typical` where nothing is known of it.
    pub fn part(&self, model: &Model, item: &Item, typical: f64) -> f64 {
        let Some(part) = item.as_part().and_then(|id| model.circuit.part(id)) else {
            return typical;
        };
        let part = &model.circuit.vehicle.parts[part];
        part.price.or_else(|| self.kinds.get(&part.kind).copied()).unwrap_or(typical)
    }
}
