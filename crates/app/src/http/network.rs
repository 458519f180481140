//! The network: roll call.

use super::jobs::{Answer, App, job, keep};
use super::problem::Problem;
use super::vehicle_side::state_now;
use crate::roll_call::RollView;
use crate::view::View;
use axum::Json;
use axum::extract::{Path, State};
use axum::response::Response;
use diagnosis::ledger::Entry;
use diagnosis::network::BusTree;
use serde::Deserialize;
use utoipa::ToSchema;

/// The buses of this vehicle as trees of their conductors.
#[utoipa::path(get, path = "/api/jobs/{id}/network", responses((status = 200, body = [BusTree])))]
pub async fn network(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<BusTree>> {
    let (_, model) = job(&shop, id)?;
    Ok(Json(diagnosis::network::buses(&model.circuit)))
}

/// What to do with the roll call.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Wish {
    /// Start it, or go on.
    Run,
    /// Forget what there is and start.
    Anew,
    /// Pause it.
    Pause,
}

/// The roll call as it is now.
#[utoipa::path(get, path = "/api/jobs/{id}/roll-call", responses((status = 200, body = RollView)))]
pub async fn roll_call(State(shop): App, Path(id): Path<i64>) -> Answer<RollView> {
    job(&shop, id)?;
    Ok(Json(shop.roll_calls.view(id)))
}

/// Starts or pauses the roll call.
#[utoipa::path(post, path = "/api/jobs/{id}/roll-call", request_body = Wish, responses((status = 200, body = RollView)))]
pub async fn call(
    State(shop): App,
    Path(id): Path<i64>,
    Json(wish): Json<Wish>,
) -> Answer<RollView> {
    let (_, model) = job(&shop, id)?;
    let bench = shop.bench(id);
    let anew = matches!(wish, Wish::Anew);
    match wish {
        Wish::Pause => shop.roll_calls.pause(id),
        Wish::Run | Wish::Anew => {
            bench.connect().await.map_err(Problem::vehicle)?;
            shop.roll_calls.start(id, bench, &model.circuit.vehicle, anew);
        }
    }
    Ok(Json(shop.roll_calls.view(id)))
}

/// The rounds of the roll call as CSV: a row each, a column a module, `1` answered, `0` silent,
/// empty not asked, with the marks beside.
#[utoipa::path(get, path = "/api/jobs/{id}/roll-call.csv", responses((status = 200, body = String, content_type = "text/csv"), (status = 422, body = Problem)))]
pub async fn table(State(shop): App, Path(id): Path<i64>) -> Result<Response, Problem> {
    job(&shop, id)?;
    let rows = shop.roll_calls.table(id);
    if rows.len() < 2 {
        return Err(Problem::input("no round yet; let the roll call run first"));
    }
    super::identity::csv(&format!("job-{id}-roll-call.csv"), &rows)
}

/// Something the hand does now.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Marked {
    text: String,
}

/// Marks the roll call with what the hand does.
#[utoipa::path(post, path = "/api/jobs/{id}/mark", request_body = Marked, responses((status = 200, body = RollView)))]
pub async fn mark(
    State(shop): App,
    Path(id): Path<i64>,
    Json(marked): Json<Marked>,
) -> Answer<RollView> {
    job(&shop, id)?;
    if !shop.roll_calls.runs(id) {
        return Err(Problem::input("start the roll call first; a mark belongs to one that runs"));
    }
    shop.roll_calls.mark(id, marked.text.trim());
    Ok(Json(shop.roll_calls.view(id)))
}

/// Keeps what the roll call showed: each module's state becomes evidence.
#[utoipa::path(post, path = "/api/jobs/{id}/keep-roll-call", responses((status = 200, body = View), (status = 422, body = Problem)))]
pub async fn keep_roll_call(State(shop): App, Path(id): Path<i64>) -> Answer<View> {
    let state = state_now(&shop, id)?;
    let call = shop.roll_calls.keep(id);
    let call = call.ok_or_else(|| Problem::input("nothing new to keep; let it run first"))?;
    keep(&shop, id, Entry::RollCall { state, call }).await
}
