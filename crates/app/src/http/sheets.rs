//! Drawings: circuit sheets and connector faces.

use super::jobs::{Answer, App, job};
use super::problem::Problem;
use axum::Json;
use axum::extract::{Path, State};
use diagnosis::Model;
use diagnosis::sheet::{self, Face, Sheet, Subject};
use serde::Deserialize;
use std::sync::Arc;
use utoipa::ToSchema;
use vehicle::OperatingState;

/// Which sheet.
#[derive(Debug, Deserialize, ToSchema)]
pub struct SheetWanted {
    /// What it is about, the id of a subject.
    about: String,
    /// Things on it whose other conductors are wanted too.
    #[serde(default)]
    more: Vec<String>,
    state: OperatingState,
    /// Id of a fault whose values are wanted beside the sound ones.
    #[serde(default)]
    under: Option<String>,
}

/// Which connector face.
#[derive(Debug, Deserialize, ToSchema)]
pub struct FaceWanted {
    connector: String,
    state: OperatingState,
    /// Id of a fault whose values are wanted beside the sound ones.
    #[serde(default)]
    under: Option<String>,
}

async fn draw<T: Send + 'static>(
    model: Arc<Model>,
    state: OperatingState,
    what: String,
    make: impl FnOnce(&Model, &OperatingState) -> Option<T> + Send + 'static,
) -> Answer<T> {
    model.circuit.check_state(&state).map_err(Problem::input)?;
    let made = tokio::task::spawn_blocking(move || make(&model, &state)).await;
    made.map_err(Problem::own)?.map(Json).ok_or_else(|| {
        Problem::input(format!("there is no “{what}” in this vehicle; choose one from the list"))
    })
}

/// The circuit sheet of anything in the vehicle.
#[utoipa::path(post, path = "/api/jobs/{id}/sheet", request_body = SheetWanted, responses((status = 200, body = Sheet), (status = 422, body = Problem)))]
pub async fn sheet(
    State(shop): App,
    Path(id): Path<i64>,
    Json(wanted): Json<SheetWanted>,
) -> Answer<Sheet> {
    let (_, model) = job(&shop, id)?;
    let SheetWanted { about, more, state, under } = wanted;
    draw(model, state, about.clone(), move |model, state| {
        let under = under.as_deref();
        sheet::sheet(model, &sheet::Wanted { about: &about, more: &more, state, under })
    })
    .await
}

/// A connector as seen on its mating side.
#[utoipa::path(post, path = "/api/jobs/{id}/face", request_body = FaceWanted, responses((status = 200, body = Face), (status = 422, body = Problem)))]
pub async fn face(
    State(shop): App,
    Path(id): Path<i64>,
    Json(wanted): Json<FaceWanted>,
) -> Answer<Face> {
    let (_, model) = job(&shop, id)?;
    let FaceWanted { connector, state, under } = wanted;
    draw(model, state, connector.clone(), move |model, state| {
        sheet::face(model, &connector, state, under.as_deref())
    })
    .await
}

/// Everything a sheet can be drawn of.
#[utoipa::path(get, path = "/api/jobs/{id}/subjects", responses((status = 200, body = Vec<Subject>)))]
pub async fn subjects(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<Subject>> {
    let (_, model) = job(&shop, id)?;
    Ok(Json(sheet::subjects(&model)))
}
