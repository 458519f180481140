//! Drawings: circuit sheets and connector faces.

use super::at::{Answer, App, at, away};
use super::extract::{Json, Path};
use super::problem::Problem;
use crate::shop::Shop;
use axum::extract::State;
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
    shop: &Arc<Shop>,
    id: i64,
    state: OperatingState,
    what: String,
    make: impl FnOnce(&Model, &OperatingState) -> Option<T> + Send + 'static,
) -> Answer<T> {
    let here = at(shop, id).await?;
    here.model.circuit.check_state(&state).map_err(Problem::input)?;
    let made = away(shop, &here, move |_, _, at| Ok(make(&at.model, &state))).await?;
    made.map(Json).ok_or_else(|| {
        Problem::input(format!("there is no “{what}” in this vehicle; choose one from the list"))
    })
}

/// The circuit sheet of anything in the vehicle.
#[utoipa::path(post, path = "/api/jobs/{id}/sheet", request_body = SheetWanted, responses((status = 200, body = Sheet)))]
pub async fn sheet(
    State(shop): App,
    Path(id): Path<i64>,
    Json(wanted): Json<SheetWanted>,
) -> Answer<Sheet> {
    let SheetWanted { about, more, state, under } = wanted;
    draw(&shop, id, state, about.clone(), move |model, state| {
        let under = under.as_deref();
        sheet::sheet(model, &sheet::Wanted { about: &about, more: &more, state, under })
    })
    .await
}

/// A connector as seen on its mating side.
#[utoipa::path(post, path = "/api/jobs/{id}/face", request_body = FaceWanted, responses((status = 200, body = Face)))]
pub async fn face(
    State(shop): App,
    Path(id): Path<i64>,
    Json(wanted): Json<FaceWanted>,
) -> Answer<Face> {
    let FaceWanted { connector, state, under } = wanted;
    draw(&shop, id, state, connector.clone(), move |model, state| {
        sheet::face(model, &connector, state, under.as_deref())
    })
    .await
}

/// Everything a sheet can be drawn of.
#[utoipa::path(get, path = "/api/jobs/{id}/subjects", responses((status = 200, body = Vec<Subject>)))]
pub async fn subjects(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<Subject>> {
    let here = at(&shop, id).await?;
    Ok(Json(away(&shop, &here, |_, _, at| Ok(sheet::subjects(&at.model))).await?))
}
