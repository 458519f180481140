//! What the shop has settled for all its jobs.

use super::at::App;
use super::extract::Json;
use super::problem::{Field, Problem};
use axum::extract::State;
use circuit::fault::rates;
use diagnosis::workshop::Workshop;
use serde::Serialize;
use utoipa::ToSchema;

/// How often a kind of thing fails anywhere.
#[derive(Debug, Serialize, ToSchema)]
pub struct Usual {
    /// Kind of thing.
    kind: &'static str,
    /// Failures a year of a thousand of them.
    rate: f64,
    /// Why so many.
    why: &'static str,
}

/// The shop's own numbers beside what is usual.
#[derive(Debug, Serialize, ToSchema)]
pub struct Settled {
    /// Its own.
    workshop: Workshop,
    /// How often things fail anywhere.
    usual: Vec<Usual>,
}

/// The shop's prices and rates.
#[utoipa::path(get, path = "/api/workshop", responses((status = 200, body = Settled)))]
pub async fn workshop(State(shop): App) -> axum::Json<Settled> {
    let usual = rates::ALL.iter().map(|r| Usual { kind: r.kind, rate: r.rate, why: r.why });
    axum::Json(Settled { workshop: shop.workshop(), usual: usual.collect() })
}

/// Settles the shop's prices and rates anew.
#[utoipa::path(put, path = "/api/workshop", request_body = Workshop, responses((status = 200, body = Workshop), (status = 422, body = Problem)))]
pub async fn settle(
    State(shop): App,
    Json(workshop): Json<Workshop>,
) -> Result<axum::Json<Workshop>, Problem> {
    if let Some((field, why)) = workshop.fault() {
        let pointer = format!("/{}", field.replace('.', "/"));
        return Err(Problem::input(&why).at([Field { pointer, detail: why.clone() }]));
    }
    shop.set_workshop(workshop.clone())?;
    Ok(axum::Json(workshop))
}
