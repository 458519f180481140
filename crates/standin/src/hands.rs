//! Hands and eyes: what a technician does at the vehicle without a tool, over HTTP and JSON.

use crate::Shared;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::routing::{get, post};
use axum::{Json, Router};
use circuit::{Instrument, Probe};
use serde::{Deserialize, Serialize};
use tokio::net::TcpListener;
use vehicle::OperatingState;

pub(crate) async fn serve(listener: TcpListener, world: Shared) {
    let app = Router::new()
        .route("/state", get(state).post(set_state))
        .route("/leads", post(leads))
        .route("/look", get(look))
        .route("/repair", post(repair))
        .with_state(world);
    let _ = axum::serve(listener, app).await;
}

async fn state(State(world): State<Shared>) -> Json<OperatingState> {
    Json(world.lock().hand.clone())
}

async fn set_state(
    State(world): State<Shared>,
    Json(state): Json<OperatingState>,
) -> Result<(), (StatusCode, String)> {
    let mut w = world.lock();
    w.circuit.check_state(&state).map_err(|e| (StatusCode::UNPROCESSABLE_ENTITY, e.to_string()))?;
    w.set(state);
    Ok(())
}

#[derive(Debug, Deserialize)]
struct Leads {
    instrument: Instrument,
    red: String,
    #[serde(default)]
    black: String,
}

async fn leads(
    State(world): State<Shared>,
    Json(leads): Json<Leads>,
) -> Result<(), (StatusCode, String)> {
    let mut w = world.lock();
    let probe = Probe { instrument: leads.instrument, red: leads.red, black: leads.black };
    probe.leads(&w.circuit).map_err(|e| (StatusCode::UNPROCESSABLE_ENTITY, e.to_string()))?;
    w.leads = Some(probe);
    Ok(())
}

#[derive(Debug, Deserialize)]
struct Look {
    part: String,
}

/// What the eyes see: `normal`, `weak` or `none`.
#[derive(Debug, Serialize)]
struct Seen {
    strength: &'static str,
}

async fn look(
    State(world): State<Shared>,
    Query(look): Query<Look>,
) -> Result<Json<Seen>, (StatusCode, String)> {
    let effect = world.lock().effect(&look.part);
    match effect {
        None => Err((StatusCode::NOT_FOUND, format!("there is nothing to see at “{}”", look.part))),
        Some(f) => Ok(Json(Seen {
            strength: match f {
                f if f > 0.83 => "normal",
                f if f > 0.08 => "weak",
                _ => "none",
            },
        })),
    }
}

#[derive(Debug, Deserialize)]
struct Repair {
    item: String,
}

async fn repair(State(world): State<Shared>, Json(repair): Json<Repair>) {
    world.lock().repair(&repair.item);
}
