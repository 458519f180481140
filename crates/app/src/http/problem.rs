//! Problems as RFC 9457 says them.

use axum::Json;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Serialize;
use utoipa::ToSchema;

/// What went wrong, and what to do.
#[derive(Debug, Serialize, ToSchema)]
pub struct Problem {
    /// HTTP status.
    pub status: u16,
    /// Short.
    pub title: String,
    /// What happened and what to do.
    pub detail: String,
}

impl Problem {
    /// The input is at fault.
    pub fn input(detail: impl ToString) -> Self {
        Self::of(StatusCode::UNPROCESSABLE_ENTITY, "This cannot be taken", detail)
    }
    /// The vehicle, meter or hands did not do it.
    pub fn vehicle(detail: impl ToString) -> Self {
        Self::of(StatusCode::BAD_GATEWAY, "The vehicle did not answer as hoped", detail)
    }
    /// No such job.
    pub fn missing(detail: impl ToString) -> Self {
        Self::of(StatusCode::NOT_FOUND, "Not there", detail)
    }
    /// This program or its database.
    pub fn own(detail: impl ToString) -> Self {
        Self::of(StatusCode::INTERNAL_SERVER_ERROR, "This could not be kept", detail)
    }
    fn of(status: StatusCode, title: &str, detail: impl ToString) -> Self {
        Self { status: status.as_u16(), title: title.into(), detail: detail.to_string() }
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        (status, [(header::CONTENT_TYPE, "application/problem+json")], Json(self)).into_response()
    }
}
