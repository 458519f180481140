//! Hands and eyes: what a technician does at the vehicle without a tool, over HTTP and JSON.

use crate::Shared;
use crate::manners::{Manners, Wanted};
use crate::scope::{CHANNELS, Probed};
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::routing::{get, post};
use axum::{Json, Router};
use circuit::marks::Mark;
use circuit::{Instrument, Probe};
use serde::{Deserialize, Serialize};
use tokio::net::TcpListener;
use vehicle::{Item, OperatingState, Origin};

pub(crate) async fn serve(listener: TcpListener, world: Shared) {
    let app = Router::new()
        .route("/state", get(state).post(set_state))
        .route("/course", get(course).post(set_course))
        .route("/leads", post(leads))
        .route("/probes", post(probes))
        .route("/look", get(look))
        .route("/see", get(see))
        .route("/move", get(moved))
        .route("/repair", post(repair))
        .route("/manners", post(manners))
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
struct Through {
    id: String,
}

/// A course of time that is gone through: which, how far, how long it is, and the state by hand just now.
#[derive(Debug, Serialize)]
struct Going {
    id: Option<String>,
    since_s: f64,
    seconds: f64,
    state: OperatingState,
}

async fn course(State(world): State<Shared>) -> Json<Going> {
    let w = world.lock();
    let of = w.course.as_ref();
    Json(Going {
        id: of.map(|c| c.profile.id.clone()),
        since_s: of.map_or(0.0, |c| c.since.as_secs_f64()),
        seconds: of.map_or(0.0, |c| c.profile.seconds()),
        state: w.hand.clone(),
    })
}

async fn set_course(
    State(world): State<Shared>,
    Json(through): Json<Through>,
) -> Result<(), (StatusCode, String)> {
    match world.lock().go_through(&through.id) {
        true => Ok(()),
        false => {
            let why = format!("there is no course of time “{}”", through.id);
            Err((StatusCode::UNPROCESSABLE_ENTITY, why))
        }
    }
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
struct Probes {
    channels: Vec<Probed>,
}

/// Puts the scope's probes somewhere: a channel each, its ground lead at the battery where nothing is said.
async fn probes(
    State(world): State<Shared>,
    Json(probes): Json<Probes>,
) -> Result<(), (StatusCode, String)> {
    let mut w = world.lock();
    let refuse = |why: String| (StatusCode::UNPROCESSABLE_ENTITY, why);
    if probes.channels.is_empty() || probes.channels.len() > CHANNELS {
        return Err(refuse(format!("the scope has 1 to {CHANNELS} channels")));
    }
    for p in &probes.channels {
        for point in [&p.red, &p.black].into_iter().filter(|p| !p.is_empty()) {
            w.circuit.node(point).map_err(|e| refuse(e.to_string()))?;
        }
    }
    w.probes = probes.channels;
    Ok(())
}

#[derive(Debug, Deserialize)]
struct Look {
    part: String,
    /// Ends of a jumper.
    red: Option<String>,
    black: Option<String>,
    /// A part swapped with a known-good one.
    swapped: Option<String>,
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
    let effect = match (&look.red, &look.black, &look.swapped) {
        (Some(red), Some(black), _) => {
            let jumper =
                Probe { instrument: Instrument::Jumper, red: red.clone(), black: black.clone() };
            world.lock().effect_with(&look.part, Some(&jumper), None)
        }
        (_, _, Some(swapped)) => world.lock().effect_with(&look.part, None, Some(swapped)),
        _ => world.lock().effect(&look.part),
    };
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
struct At {
    at: String,
}

/// What the eyes see at a place or thing: `damage`, `corrosion`, `water`, `pushed_back`, `loose` or `nothing`.
async fn see(State(world): State<Shared>, Query(look): Query<At>) -> Json<serde_json::Value> {
    let sight = match world.lock().see(&look.at) {
        None => "nothing",
        Some(Mark::Damage) => "damage",
        Some(Mark::Corrosion) => "corrosion",
        Some(Mark::Water) => "water",
        Some(Mark::PushedBack) => "pushed_back",
        Some(Mark::Loose) => "loose",
    };
    Json(serde_json::json!({"sight": sight}))
}

/// Whether something changes when the harness is moved there.
async fn moved(State(world): State<Shared>, Query(here): Query<At>) -> Json<serde_json::Value> {
    Json(serde_json::json!({"changed": world.lock().moved(&here.at, false)}))
}

#[derive(Debug, Deserialize)]
struct Repair {
    item: Item,
    /// Where what goes in its place comes from; none: what was there, mended.
    #[serde(default)]
    origin: Option<Origin>,
    /// Ids of faults that are so with it.
    #[serde(default)]
    differs: Vec<String>,
}

async fn repair(State(world): State<Shared>, Json(repair): Json<Repair>) {
    let mut world = world.lock();
    world.repair(&repair.item);
    if let Some(origin) = repair.origin {
        world.replaced(&repair.item, origin, &repair.differs);
    }
}

/// How it is to behave from now on; what is not said is as usual.
async fn manners(State(world): State<Shared>, Json(wanted): Json<Wanted>) {
    world.lock().manners = Manners::wanted(wanted);
}
