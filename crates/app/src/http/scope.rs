//! Captures taken with a scope that is set up.

use super::at::{App, Keeping, begin, keep};
use super::extract::{Json, Key, Path};
use super::problem::Problem;
use crate::captures::{Content, Opened};
use axum::extract::State;
use diagnosis::ledger::{Capture, CaptureOf, Entry};
use serde::Deserialize;
use std::sync::Arc;
use utoipa::ToSchema;

/// Samples of each channel a second of the vehicle's fastest bus wants, and at most of a sweep.
const RATE: f64 = 20e6;
const LIN_RATE: f64 = 1e6;
const MOST: f64 = 10e6;
/// Shortest and longest sweep, seconds.
const SECONDS: std::ops::RangeInclusive<f64> = 1e-4..=0.5;
/// Channels of a scope.
const CHANNELS: usize = 4;

/// A sweep of a bus.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Sweep {
    /// Id of the bus.
    bus: String,
    /// Cavities the probes sit at: high and low, or the one line; perhaps of another place besides.
    points: Vec<String>,
    /// How long, seconds.
    seconds: f64,
}

/// Takes a capture of a bus with the scope and keeps it, as one that was brought in.
#[utoipa::path(post, path = "/api/jobs/{id}/take-capture", request_body = Sweep, responses((status = 200, body = super::at::Kept)))]
pub async fn take(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(wanted): Json<Sweep>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let c = &here.model.circuit;
    let known = c.vehicle.buses.iter().find(|b| b.id == wanted.bus);
    let b = known.ok_or_else(|| Problem::field("bus", "there is no such bus in this vehicle"))?;
    if !SECONDS.contains(&wanted.seconds) {
        return Err(Problem::field("seconds", "a sweep takes 0.1 to 500 ms").into());
    }
    if wanted.points.is_empty() || wanted.points.len() > CHANNELS {
        return Err(Problem::field("points", "the scope has 1 to 4 channels").into());
    }
    for p in &wanted.points {
        c.node(p).map_err(|e| Problem::field("points", e))?;
    }
    let (of, rate) = match b.kind {
        vehicle::BusKind::Lin => (CaptureOf::Lin, LIN_RATE),
        _ => (CaptureOf::Can, RATE),
    };
    let samples = (rate * wanted.seconds).min(MOST) as usize;
    let bench = shop.bench(id);
    let trace = bench.capture(&wanted.points, wanted.seconds, samples).await;
    let trace = trace.map_err(Problem::vehicle)?;
    let place = wanted.points[0].split('.').next().unwrap_or_default().to_owned();
    let name = format!("{} at {place}, {} ms", b.name, 1e3 * wanted.seconds);
    let kept_in = Arc::clone(&shop);
    let work = move || -> Result<_, Problem> {
        let text = bus::format::csv::write(&trace);
        let mut incoming = kept_in.captures.kept.begin(id)?;
        incoming.write(text.as_bytes())?;
        let bytes = incoming.bytes();
        let opened = Opened::of(Content::Volts(trace), of).map_err(Problem::input)?;
        Ok((incoming.keep()?, bytes, Arc::new(opened)))
    };
    let (number, bytes, opened) =
        tokio::task::spawn_blocking(work).await.map_err(Problem::from)??;
    shop.captures.hold(id, number, opened);
    let capture = Capture { number, name, bus: of, bytes, step_s: None };
    keep(&shop, &here.session, vec![Entry::Captured { capture }], key).await
}
