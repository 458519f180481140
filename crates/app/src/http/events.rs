//! What every window hears of, as it happens.

use super::at::App;
use super::extract::Query;
use crate::shop::Told;
use axum::extract::State;
use axum::response::sse::{Event, KeepAlive, Sse};
use serde::Deserialize;
use std::convert::Infallible;
use std::time::Duration;
use tokio_stream::wrappers::BroadcastStream;
use tokio_stream::wrappers::errors::BroadcastStreamRecvError;
use tokio_stream::{Stream, StreamExt};
use utoipa::IntoParams;

/// Which job's events; none for all.
#[derive(Debug, Deserialize, IntoParams)]
pub struct Which {
    job: Option<i64>,
}

/// A sign of life, so that a window that is gone is noticed.
const ALIVE: Duration = Duration::from_secs(10);

impl Told {
    fn job(&self) -> i64 {
        match self {
            Self::Changed { job } | Self::Assessed { job, .. } | Self::Progress { job, .. } => *job,
        }
    }
}

/// Server-sent events, one stream for all windows of a browser: a job's ledger grew, what it adds up
/// to was worked out anew, how far work at its vehicle is. `missed` says that some were lost, and
/// everything is to be asked for anew.
#[utoipa::path(get, path = "/api/events", params(Which), responses((status = 200, body = Told, content_type = "text/event-stream")))]
pub async fn events(
    State(shop): App,
    Query(which): Query<Which>,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let wanted = move |told: &Told| which.job.is_none_or(|w| w == told.job());
    let events = BroadcastStream::new(shop.follow()).filter_map(move |told| match told {
        Ok(told) if wanted(&told) => Event::default().event("told").json_data(told).ok().map(Ok),
        Ok(_) => None,
        Err(BroadcastStreamRecvError::Lagged(_)) => {
            Some(Ok(Event::default().event("missed").data("some")))
        }
    });
    // Something is sent at once, so that whoever opens it knows that it is open.
    let open = tokio_stream::once(Ok(Event::default().comment("open")));
    Sse::new(open.chain(events)).keep_alive(KeepAlive::new().interval(ALIVE))
}
