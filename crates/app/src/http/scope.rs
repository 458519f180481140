//! Captures taken with a scope that is set up.

use super::at::{Answer, App, At, Keeping, at, begin, keep};
use super::extract::{Json, Key, Path};
use super::problem::Problem;
use crate::bench::{BenchError, scope::Sweep as BenchSweep};
use crate::captures::{Content, Opened};
use crate::roll_call::{BusWatch, RollView};
use crate::shop::Shop;
use axum::extract::State;
use diagnosis::ledger::{Capture, CaptureOf, Entry, TappedAt};
use serde::Deserialize;
use std::sync::Arc;
use utoipa::ToSchema;

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
    probed(c, &wanted.points)?;
    let sweep = BenchSweep::of(b, wanted.seconds);
    let trace = shop.bench(id).capture(&wanted.points, sweep).await.map_err(Problem::vehicle)?;
    let name = named(b, &wanted.points, &format!("{} ms", 1e3 * wanted.seconds));
    let work = move || Opened::of(Content::Volts(trace), sweep.of).map_err(Problem::input);
    let opened = tokio::task::spawn_blocking(work).await.map_err(Problem::from)??;
    let tapped = spot(&here, &wanted.bus, &wanted.points);
    kept(&shop, &here, Taken { name, of: sweep.of, tapped, opened: opened.into() }, key).await
}

/// Where probes sit, as the bus calls the spot.
fn spot(here: &At, bus: &str, points: &[String]) -> Option<TappedAt> {
    let spots = diagnosis::bus_static::spots_of(&here.model, bus).ok()?;
    let spot = spots.into_iter().find(|s| points.starts_with(&s.lines))?;
    Some(TappedAt { bus: bus.to_owned(), spot: spot.id })
}

/// A capture that the scope took.
struct Taken {
    name: String,
    of: CaptureOf,
    tapped: Option<TappedAt>,
    opened: Arc<Opened>,
}

/// Refuses probes that sit nowhere.
fn probed(c: &circuit::Circuit, points: &[String]) -> Result<(), Problem> {
    if points.is_empty() || points.len() > CHANNELS {
        return Err(Problem::field("points", "the scope has 1 to 4 channels"));
    }
    for p in points {
        c.node(p).map_err(|e| Problem::field("points", e))?;
    }
    Ok(())
}

/// What a capture is called: its bus, where it was tapped, and more.
fn named(bus: &vehicle::Bus, points: &[String], more: &str) -> String {
    let place = points[0].split('.').next().unwrap_or_default();
    format!("{} at {place}, {more}", bus.name)
}

/// Keeps a capture that the scope took, as one that was brought in.
async fn kept(
    shop: &Arc<Shop>,
    here: &At,
    Taken { name, of, tapped, opened }: Taken,
    key: Key,
) -> Keeping {
    let id = here.session.job.id;
    let kept_in = Arc::clone(shop);
    let work = move || -> Result<_, Problem> {
        let none = || Problem::input("the sweep holds no voltages");
        let reading = opened.reading.as_ref().ok_or_else(none)?;
        let text = bus::format::csv::write(&reading.trace);
        let mut incoming = kept_in.captures.kept.begin(id)?;
        incoming.write(text.as_bytes())?;
        let bytes = incoming.bytes();
        Ok((incoming.keep()?, bytes, opened))
    };
    let (number, bytes, opened) =
        tokio::task::spawn_blocking(work).await.map_err(Problem::from)??;
    shop.captures.hold(id, number, opened);
    let capture = Capture { number, name, bus: of, bytes, step_s: None, tapped };
    keep(shop, &here.session, vec![Entry::Captured { capture }], key).await
}

/// What the scope is to watch beside the roll call; nothing ends it.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Watch {
    /// What it is to watch.
    watched: Option<BusWatch>,
}

/// Lets the scope watch a bus with every round of the roll call, which starts if it does not run.
#[utoipa::path(post, path = "/api/jobs/{id}/watch", request_body = Watch, responses((status = 200, body = RollView)))]
pub async fn watch(
    State(shop): App,
    Path(id): Path<i64>,
    Json(wish): Json<Watch>,
) -> Answer<RollView> {
    let here = at(&shop, id).await?;
    let c = &here.model.circuit;
    let bench = shop.bench(id);
    let starts = wish.watched.is_some();
    if let Some(watched) = &wish.watched {
        if !c.vehicle.buses.iter().any(|b| b.id == watched.bus) {
            return Err(Problem::field("bus", "there is no such bus in this vehicle"));
        }
        probed(c, &watched.points)?;
        if !bench.has_scope() {
            return Err(Problem::vehicle(BenchError::NoScope));
        }
    }
    shop.roll_calls.watch(id, wish.watched);
    if starts {
        bench.connect().await.map_err(Problem::vehicle)?;
        shop.roll_calls.start(id, bench, &c.vehicle, false);
    }
    Ok(Json(shop.roll_calls.view(id)))
}

/// Keeps the latest sweep of the scope beside the roll call as a capture.
#[utoipa::path(post, path = "/api/jobs/{id}/keep-sweep", responses((status = 200, body = super::at::Kept)))]
pub async fn keep_sweep(State(shop): App, Path(id): Path<i64>, key: Key) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let none = || Problem::state("no sweep yet; let the scope watch first");
    let swept = shop.roll_calls.swept(id).ok_or_else(none)?;
    let buses = &here.model.circuit.vehicle.buses;
    let known = buses.iter().find(|b| b.id == swept.watched.bus);
    let b = known.ok_or_else(|| Problem::state("that bus is no longer in the vehicle file"))?;
    let name = named(b, &swept.watched.points, &format!("round {}", swept.round));
    let tapped = spot(&here, &swept.watched.bus, &swept.watched.points);
    let taken = Taken { name, of: swept.of, tapped, opened: swept.opened };
    kept(&shop, &here, taken, key).await
}
