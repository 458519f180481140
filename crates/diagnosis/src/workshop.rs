//! What a shop has settled for all its jobs: its prices, and how often things fail with its customers.

use crate::costs::Prices;
use circuit::fault::rates;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::ToSchema;

/// A shop's own numbers.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Workshop {
    /// What work and parts cost.
    pub prices: Prices,
    /// How many times as often as in the table a kind of thing fails here, by its name in the table; 0.01
    /// to 100.
    pub rates: BTreeMap<String, f64>,
}

impl Workshop {
    /// What is wrong with it: the field and why; none where it can be used.
    pub fn fault(&self) -> Option<(String, String)> {
        if let Some((field, why)) = self.prices.fault() {
            return Some((format!("prices.{field}"), why.to_owned()));
        }
        let known = |kind: &str| rates::ALL.iter().any(|r| r.kind == kind);
        self.rates.iter().find_map(|(kind, factor)| {
            let why = match (known(kind), (0.01..=100.0).contains(factor)) {
                (true, true) => return None,
                (true, false) => "a rate is multiplied by 0.01 to 100".to_owned(),
                (false, _) => {
                    let all: Vec<&str> = rates::ALL.iter().map(|r| r.kind).collect();
                    format!("no kind of thing has this name; there are: {}", all.join(", "))
                }
            };
            Some((format!("rates.{kind}"), why))
        })
    }
}
