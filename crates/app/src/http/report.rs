//! A job to hand over: pages and the ledger as a table.

use super::at::{App, at, away};
use super::extract::{Path, Query};
use super::identity::csv;
use super::jobs::assessed;
use super::problem::Problem;
use crate::report::{self, Whom};
use crate::shop::Shop;
use crate::view::{self, View};
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use serde::Deserialize;
use std::sync::Arc;
use utoipa::IntoParams;

/// Which page is wanted.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Path)]
pub struct OfJob {
    /// Number of the job.
    id: i64,
    /// Whom it is for.
    #[param(inline)]
    whom: Whom,
}

/// How a page is wanted.
#[derive(Debug, Deserialize, IntoParams)]
pub struct How {
    /// As a file to keep.
    #[serde(default)]
    save: bool,
}

/// A job as it stands, with everything worked out.
pub(super) async fn whole(shop: &Arc<Shop>, id: i64) -> Result<View, Problem> {
    let here = at(shop, id).await?;
    assessed(shop, &here.session).await?;
    let here = at(shop, id).await?;
    away(shop, &here, |shop, session, standing| {
        let fresh = shop.is_assessed(session, standing)?;
        Ok(view::view(standing, session.assessed().as_deref(), fresh.is_some()))
    })
    .await
}

/// The report for somebody: one HTML document without any outside reference.
#[utoipa::path(get, path = "/api/jobs/{id}/report/{whom}", params(How, OfJob), responses((status = 200, body = String, content_type = "text/html")))]
pub async fn page(
    State(shop): App,
    Path(OfJob { id, whom }): Path<OfJob>,
    Query(how): Query<How>,
) -> Result<Response, Problem> {
    let view = whole(&shop, id).await?;
    let made = tokio::task::spawn_blocking(move || {
        let read = |number| std::fs::read(shop.captures.kept.path(id, number)?).ok();
        report::html(&view, whom, &read)
    });
    let text = made.await?;
    let kind = (header::CONTENT_TYPE, "text/html; charset=utf-8".to_owned());
    let name = format!("attachment; filename=\"job-{id}.html\"");
    Ok(match how.save {
        true => ([kind, (header::CONTENT_DISPOSITION, name)], text).into_response(),
        false => ([kind], text).into_response(),
    })
}

/// The ledger as CSV.
#[utoipa::path(get, path = "/api/jobs/{id}/ledger.csv", responses((status = 200, body = String, content_type = "text/csv")))]
pub async fn ledger(State(shop): App, Path(id): Path<i64>) -> Result<Response, Problem> {
    csv(&format!("job-{id}-ledger.csv"), &report::rows(&whole(&shop, id).await?))
}
