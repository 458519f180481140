//! Courses of time: a road test, a warm-up, which the demo's hands go through.

use super::at::{App, Keeping, at, is_open, keep};
use super::extract::{Json, Key, Path};
use super::problem::Problem;
use axum::extract::State;
use diagnosis::ledger::Entry;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A course to go through.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Through {
    /// Its id in the vehicle file.
    course: String,
}

/// What is gone through just now.
#[derive(Debug, Serialize, ToSchema)]
pub struct CourseNow {
    /// Its id in the vehicle file.
    pub(super) id: String,
    /// Seconds since it began.
    pub(super) since_s: f64,
    /// Seconds that it takes.
    pub(super) seconds: f64,
}

/// Sends the demo's hands through a course of time, and notes the state it begins in. Any other state ends it.
#[utoipa::path(post, path = "/api/jobs/{id}/course", request_body = Through, responses((status = 200, body = super::at::Kept)))]
pub async fn go_through(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(through): Json<Through>,
) -> Keeping {
    let here = at(&shop, id).await?;
    let vehicle = &here.model.circuit.vehicle;
    let Some(course) = vehicle.profiles.iter().find(|p| p.id == through.course) else {
        let why = format!("there is no course of time “{}” in this vehicle", through.course);
        return Err(Problem::field("course", why).into());
    };
    is_open(&here.session)?;
    shop.bench(id).go_through(vehicle, &course.id).await.map_err(Problem::bench)?;
    shop.roll_calls.mark(id, &course.name);
    keep(&shop, &here.session, vec![Entry::State { state: course.begins.clone() }], key).await
}
