//! Problems as RFC 9457 says them: the one way in which anything is refused.

use crate::shop::ShopError;
use axum::Json;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Serialize;
use store::StoreError;
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
    /// The fields of the request that it is about.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub errors: Vec<Field>,
}

/// A field of the request and what is wrong with it.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Field {
    /// Where, as a JSON pointer (RFC 6901).
    pub pointer: String,
    /// What is wrong.
    pub detail: String,
}

impl Problem {
    /// The input is at fault.
    pub fn input(detail: impl ToString) -> Self {
        Self::of(StatusCode::UNPROCESSABLE_ENTITY, "This cannot be taken", detail)
    }
    /// One field of the input is at fault.
    pub fn field(name: &str, detail: impl ToString) -> Self {
        let detail = detail.to_string();
        Self::input(&detail).at([Field { pointer: format!("/{name}"), detail }])
    }
    /// It fits the job no longer, or not yet.
    pub fn state(detail: impl ToString) -> Self {
        Self::of(StatusCode::CONFLICT, "Not now", detail)
    }
    /// The vehicle, meter or hands did not do it.
    pub fn vehicle(detail: impl ToString) -> Self {
        Self::of(StatusCode::BAD_GATEWAY, "The vehicle did not answer as hoped", detail)
    }
    /// Why something at the vehicle was not done: what must hold first is no failure of the vehicle.
    pub fn bench(why: crate::bench::BenchError) -> Self {
        use crate::bench::BenchError as E;
        match why {
            E::Guarded { .. } | E::NotTaught { .. } | E::NothingToTeach(_) | E::NotTaken(..) => {
                Self::state(why)
            }
            _ => Self::vehicle(why),
        }
    }
    /// No such job.
    pub fn missing(detail: impl ToString) -> Self {
        Self::of(StatusCode::NOT_FOUND, "Not there", detail)
    }
    /// The request itself is malformed.
    pub fn form(status: StatusCode, detail: impl ToString) -> Self {
        Self::of(status, "This cannot be read", detail)
    }
    /// Another page asks, or another host is meant.
    pub fn foreign(detail: impl ToString) -> Self {
        Self::of(StatusCode::FORBIDDEN, "Not from here", detail)
    }
    /// This program.
    pub fn own(detail: impl ToString) -> Self {
        Self::of(StatusCode::INTERNAL_SERVER_ERROR, "The program could not do it", detail)
    }
    /// No room for another connection.
    pub fn full() -> Self {
        let detail = "too many connections are at work; close some windows and reload";
        Self::of(StatusCode::SERVICE_UNAVAILABLE, "The house is full", detail)
    }
    /// The same with the fields it is about.
    #[must_use]
    pub fn at(self, errors: impl Into<Vec<Field>>) -> Self {
        Self { errors: errors.into(), ..self }
    }
    fn of(status: StatusCode, title: &str, detail: impl ToString) -> Self {
        let (title, detail) = (title.to_owned(), detail.to_string());
        Self { status: status.as_u16(), title, detail, errors: Vec::new() }
    }
}

impl From<ShopError> for Problem {
    fn from(e: ShopError) -> Self {
        match &e {
            ShopError::Store(StoreError::NoJob(_)) => Self::missing(e),
            ShopError::Store(StoreError::Full) => {
                Self::of(StatusCode::INSUFFICIENT_STORAGE, "This could not be kept", e)
            }
            ShopError::Store(inner) => {
                if let StoreError::Other(source) = inner {
                    tracing::error!("database: {source}");
                }
                Self::of(StatusCode::INTERNAL_SERVER_ERROR, "The database did not do it", e)
            }
            ShopError::NoVehicle(_) | ShopError::NoEquipment(_) | ShopError::Model(_) => {
                Self::input(e)
            }
            ShopError::VehicleFile { .. } => {
                Self::of(StatusCode::INTERNAL_SERVER_ERROR, "The vehicle file cannot be used", e)
            }
            ShopError::NoDirectory(_) | ShopError::BrokenOff => Self::own(e),
        }
    }
}

impl From<StoreError> for Problem {
    fn from(e: StoreError) -> Self {
        ShopError::from(e).into()
    }
}

impl From<diagnosis::ModelError> for Problem {
    fn from(e: diagnosis::ModelError) -> Self {
        Self::input(e)
    }
}

/// Work that was broken off: the program stops, or it failed inside.
impl From<tokio::task::JoinError> for Problem {
    fn from(_: tokio::task::JoinError) -> Self {
        ShopError::BrokenOff.into()
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        (status, [(header::CONTENT_TYPE, "application/problem+json")], Json(self)).into_response()
    }
}
