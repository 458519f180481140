//! Jobs: opening, showing, and everything a technician enters.

use super::problem::Problem;
use crate::progress::Progress;
use crate::shop::{Shop, now};
use crate::view::{self, View};
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::response::{IntoResponse, Response};
use circuit::Instrument;
use diagnosis::evidence::{Finding, Present, Strength};
use diagnosis::ledger::{Case, Entry, Intake};
use diagnosis::{Evidence, Model};
use serde::{Deserialize, Serialize};
use std::convert::Infallible;
use std::sync::Arc;
use tokio_stream::wrappers::BroadcastStream;
use tokio_stream::{Stream, StreamExt};
use utoipa::{IntoParams, ToSchema};
use vehicle::{OperatingState, Quantity, parse_quantity};

pub(super) type Answer<T> = Result<Json<T>, Problem>;
pub(super) type App = State<Arc<Shop>>;

/// A job in the list.
#[derive(Debug, Serialize, ToSchema)]
pub struct Summary {
    id: i64,
    vehicle: String,
    opened_at: String,
    vin: String,
    complaint: String,
    reference: String,
    demo: bool,
    signed_off: bool,
    /// What was done; empty before the repair.
    repaired: String,
    entries: usize,
}

/// What the screen needs after a job was changed.
pub(super) async fn shown(shop: &Arc<Shop>, id: i64) -> Answer<View> {
    let shop = Arc::clone(shop);
    // Solving takes longer than a request may hold up others.
    let work = tokio::task::spawn_blocking(move || {
        let (job, model) = job(&shop, id)?;
        let entries = shop.ledger(id).map_err(Problem::own)?;
        let confirmed = shop.confirmed(&job.vehicle, id).map_err(Problem::own)?;
        shop.view(&model, id, &entries, || {
            let mut view = view::view(&model, id, job.opened_at, &entries, confirmed)
                .map_err(|e| e.to_string())?;
            // What may be missing is known to the whole file alone.
            view.equipment = (shop.vehicle(&job.vehicle)?.options.into_iter())
                .map(|o| view::Choice { id: o.id, name: o.name })
                .collect();
            Ok::<_, String>(view)
        })
        .map_err(Problem::input)
    });
    work.await.map_err(Problem::own)?.map(Json)
}

pub(super) fn job(shop: &Shop, id: i64) -> Result<(store::Job, Arc<Model>), Problem> {
    let job = shop.store.job(id).map_err(Problem::missing)?;
    let missing = shop.not_fitted(id).map_err(Problem::own)?;
    let model = shop.model_without(&job.vehicle, &missing).map_err(Problem::own)?;
    Ok((job, model))
}

/// A job's model, and what its ledger adds up to.
pub(super) fn case(shop: &Shop, id: i64) -> Result<(Arc<Model>, Case), Problem> {
    let (_, model) = job(shop, id)?;
    let case = Case::of(&model, &shop.ledger(id).map_err(Problem::own)?);
    Ok((model, case))
}

pub(super) async fn keep(shop: &Arc<Shop>, id: i64, entry: Entry) -> Answer<View> {
    shop.store.job(id).map_err(Problem::missing)?;
    shop.append(id, &entry).map_err(Problem::own)?;
    shown(shop, id).await
}

/// Refuses evidence that does not fit the vehicle before it gets into the ledger.
pub(super) async fn keep_evidence(
    shop: &Arc<Shop>,
    id: i64,
    evidence: Evidence,
    by: &str,
) -> Answer<View> {
    let (_, model) = job(shop, id)?;
    let mut evidence = evidence;
    evidence.present = Case::of(&model, &shop.ledger(id).map_err(Problem::own)?).present;
    let found = evidence.clone();
    tokio::task::spawn_blocking(move || found.likelihood(&model).map(|_| ()))
        .await
        .map_err(Problem::own)?
        .map_err(Problem::input)?;
    keep(shop, id, Entry::Found { evidence, by: by.to_owned() }).await
}

/// All jobs, newest first.
#[utoipa::path(get, path = "/api/jobs", responses((status = 200, body = [Summary])))]
pub async fn list(State(shop): App) -> Answer<Vec<Summary>> {
    let mut out = Vec::new();
    for job in shop.store.jobs().map_err(Problem::own)? {
        let entries = shop.ledger(job.id).map_err(Problem::own)?;
        let intake = entries.iter().rev().find_map(|e| match &e.entry {
            Entry::Intake { intake } => Some(intake.clone()),
            _ => None,
        });
        let intake = intake.unwrap_or_default();
        out.push(Summary {
            id: job.id,
            vehicle: job.vehicle,
            opened_at: job.opened_at,
            vin: intake.vin,
            complaint: intake.complaint,
            reference: intake.reference,
            demo: job.demo.is_some(),
            signed_off: entries.iter().any(|e| e.entry == Entry::SignedOff),
            repaired: entries
                .iter()
                .rev()
                .find_map(|e| match &e.entry {
                    Entry::Repaired { text, .. } => Some(text.clone()),
                    _ => None,
                })
                .unwrap_or_default(),
            entries: entries.len(),
        });
    }
    Ok(Json(out))
}

/// Vehicle files.
#[utoipa::path(get, path = "/api/vehicles", responses((status = 200, body = [String])))]
pub async fn vehicles(State(shop): App) -> Json<Vec<String>> {
    Json(shop.vehicle_ids())
}

/// A new job.
#[derive(Debug, Deserialize, ToSchema)]
pub struct NewJob {
    vehicle: String,
    #[serde(default)]
    intake: Intake,
}

/// The number of a new job.
#[derive(Debug, Serialize, ToSchema)]
pub struct Opened {
    id: i64,
}

/// Opens a job.
#[utoipa::path(post, path = "/api/jobs", request_body = NewJob, responses((status = 200, body = Opened)))]
pub async fn open(State(shop): App, Json(new): Json<NewJob>) -> Answer<Opened> {
    let loading = Arc::clone(&shop);
    let vehicle = new.vehicle.clone();
    tokio::task::spawn_blocking(move || loading.model(&vehicle))
        .await
        .map_err(Problem::own)?
        .map_err(Problem::input)?;
    let id = shop
        .open_job(&new.vehicle, None, &[Entry::Intake { intake: new.intake }])
        .map_err(Problem::own)?;
    Ok(Json(Opened { id }))
}

/// A job with its suspects and next checks.
#[utoipa::path(get, path = "/api/jobs/{id}", responses((status = 200, body = View)))]
pub async fn show(State(shop): App, Path(id): Path<i64>) -> Answer<View> {
    shown(&shop, id).await
}

/// Identity and complaint.
#[utoipa::path(post, path = "/api/jobs/{id}/intake", request_body = Intake, responses((status = 200, body = View)))]
pub async fn intake(
    State(shop): App,
    Path(id): Path<i64>,
    Json(intake): Json<Intake>,
) -> Answer<View> {
    let (kept, _) = job(&shop, id)?;
    let file = shop.vehicle(&kept.vehicle).map_err(Problem::own)?;
    if let Some(other) = intake.not_fitted.iter().find(|m| file.options.iter().all(|o| o.id != **m))
    {
        return Err(Problem::input(format!(
            "there is no equipment “{other}” in this vehicle file"
        )));
    }
    keep(&shop, id, Entry::Intake { intake }).await
}

/// Whether the symptom is there.
#[derive(Debug, Deserialize, ToSchema)]
pub struct SymptomNow {
    present: Present,
}

/// Symptom present now.
#[utoipa::path(post, path = "/api/jobs/{id}/symptom", request_body = SymptomNow, responses((status = 200, body = View)))]
pub async fn symptom(
    State(shop): App,
    Path(id): Path<i64>,
    Json(now): Json<SymptomNow>,
) -> Answer<View> {
    keep(&shop, id, Entry::Symptom { present: now.present }).await
}

/// What a reading measures.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum QuantityKind {
    /// Volts.
    Volts,
    /// Ohms.
    Ohms,
    /// Amperes with a clamp.
    Amps,
    /// Volts in the low-impedance mode.
    LowVolts,
    /// Amperes through the meter.
    Shunt,
    /// A test lamp of 5 W.
    Lamp5,
    /// A test lamp of 21 W.
    Lamp21,
    /// An LED tester.
    Led,
    /// A fused jumper.
    Jumper,
}

impl QuantityKind {
    pub(super) fn instrument(self) -> Instrument {
        match self {
            Self::Volts => Instrument::Volts,
            Self::Ohms => Instrument::Ohms,
            Self::Amps => Instrument::Amps,
            Self::LowVolts => Instrument::LowVolts,
            Self::Shunt => Instrument::Shunt,
            Self::Lamp5 => Instrument::Lamp5,
            Self::Lamp21 => Instrument::Lamp21,
            Self::Led => Instrument::Led,
            Self::Jumper => Instrument::Jumper,
        }
    }
}

/// A typed reading.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Typed {
    quantity: QuantityKind,
    red: String,
    #[serde(default)]
    black: String,
    /// As typed: `11.8`, `0.2k`, `OL`.
    text: String,
    state: OperatingState,
}

/// Takes a typed reading.
#[utoipa::path(post, path = "/api/jobs/{id}/reading", request_body = Typed, responses((status = 200, body = View), (status = 422, body = Problem)))]
pub async fn reading(
    State(shop): App,
    Path(id): Path<i64>,
    Json(typed): Json<Typed>,
) -> Answer<View> {
    let instrument = typed.quantity.instrument();
    let value = match parse_quantity(&typed.text, instrument.unit()).map_err(Problem::input)? {
        Quantity::Value(v) => Some(v),
        // A blown fuse of the tool is typed the same way.
        Quantity::OverLimit
            if matches!(instrument, Instrument::Ohms | Instrument::Shunt | Instrument::Jumper) =>
        {
            None
        }
        Quantity::OverLimit => {
            return Err(Problem::input(format!(
                "OL on {} means the range was too small; switch the meter's range and type the number",
                instrument.unit()
            )));
        }
    };
    let finding = Finding::Reading { instrument, red: typed.red, black: typed.black, value };
    keep_evidence(&shop, id, Evidence::new(typed.state, finding), "typed").await
}

/// An effect as seen.
#[derive(Debug, Deserialize, ToSchema)]
pub struct SeenEffect {
    part: String,
    strength: Strength,
    state: OperatingState,
}

/// Takes an effect.
#[utoipa::path(post, path = "/api/jobs/{id}/effect", request_body = SeenEffect, responses((status = 200, body = View), (status = 422, body = Problem)))]
pub async fn effect(
    State(shop): App,
    Path(id): Path<i64>,
    Json(seen): Json<SeenEffect>,
) -> Answer<View> {
    let finding = Finding::Effect { part: seen.part, strength: seen.strength };
    keep_evidence(&shop, id, Evidence::new(seen.state, finding), "seen").await
}

/// A check that cannot be done.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Refusal {
    check: String,
}

/// Refuses a check.
#[utoipa::path(post, path = "/api/jobs/{id}/refuse", request_body = Refusal, responses((status = 200, body = View)))]
pub async fn refuse(
    State(shop): App,
    Path(id): Path<i64>,
    Json(refusal): Json<Refusal>,
) -> Answer<View> {
    keep(&shop, id, Entry::Refused { check: refusal.check }).await
}

/// Doubt about an entry.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Doubt {
    number: u64,
    doubted: bool,
}

/// Doubts a piece of evidence, or believes it again.
#[utoipa::path(post, path = "/api/jobs/{id}/doubt", request_body = Doubt, responses((status = 200, body = View)))]
pub async fn doubt(
    State(shop): App,
    Path(id): Path<i64>,
    Json(doubt): Json<Doubt>,
) -> Answer<View> {
    keep(&shop, id, Entry::Doubted { number: doubt.number, doubted: doubt.doubted }).await
}

/// A remark.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Remark {
    text: String,
}

/// Writes a remark.
#[utoipa::path(post, path = "/api/jobs/{id}/note", request_body = Remark, responses((status = 200, body = View)))]
pub async fn note(State(shop): App, Path(id): Path<i64>, Json(r): Json<Remark>) -> Answer<View> {
    if r.text.trim().is_empty() {
        return Err(Problem::input("type the remark first"));
    }
    keep(&shop, id, Entry::Note { text: r.text }).await
}

/// A repair.
#[derive(Debug, Deserialize, ToSchema)]
pub struct NewRepair {
    item: String,
    text: String,
}

/// Writes down the repair; in the demo the hands do it.
#[utoipa::path(post, path = "/api/jobs/{id}/repair", request_body = NewRepair, responses((status = 200, body = View), (status = 502, body = Problem)))]
pub async fn repair(
    State(shop): App,
    Path(id): Path<i64>,
    Json(new): Json<NewRepair>,
) -> Answer<View> {
    let Json(before) = shown(&shop, id).await?;
    let (_, model) = job(&shop, id)?;
    if !model.items.contains(&new.item) {
        return Err(Problem::input(format!("“{}” cannot be repaired; choose a suspect", new.item)));
    }
    if diagnosis::gate::is_module(&model.circuit, &new.item) {
        let module = new.item.trim_start_matches("part:");
        let overridden =
            before.ledger.iter().any(|r| r.kind == "overridden" && r.title.starts_with(module));
        let open = match &before.gate {
            Some(gate) if gate.module == module => gate.open,
            _ => 1,
        };
        if open > 0 && !overridden {
            return Err(Problem::input(format!(
                "{module} is a module: {open} points are still open before it may be named. Prove them, or override with a reason"
            )));
        }
    }
    let bench = shop.bench(id);
    bench
        .hands("/repair", &serde_json::json!({"item": new.item}))
        .await
        .map_err(Problem::vehicle)?;
    let entry = Entry::Repaired {
        probability: before.halos.get(&new.item).copied().unwrap_or(0.0),
        proven: before.certain.as_ref().is_some_and(|c| c.item == new.item && c.proven),
        item: new.item,
        text: new.text,
    };
    keep(&shop, id, entry).await
}

/// Signs the job off.
#[utoipa::path(post, path = "/api/jobs/{id}/sign-off", responses((status = 200, body = View)))]
pub async fn sign_off(State(shop): App, Path(id): Path<i64>) -> Answer<View> {
    keep(&shop, id, Entry::SignedOff).await
}

/// The whole job in one JSON document.
#[utoipa::path(get, path = "/api/jobs/{id}/export", responses((status = 200, body = Object)))]
pub async fn export(State(shop): App, Path(id): Path<i64>) -> Result<Response, Problem> {
    let Json(view) = shown(&shop, id).await?;
    let entries = shop.ledger(id).map_err(Problem::own)?;
    let body = serde_json::json!({
        "format": "chalkeus-job-1",
        "written_at": now(),
        "job": view,
        "entries": entries,
    });
    let name = format!("attachment; filename=\"job-{id}.json\"");
    Ok(([(header::CONTENT_DISPOSITION, name)], Json(body)).into_response())
}

/// Which job's events; none for all.
#[derive(Debug, Deserialize, IntoParams)]
pub struct Which {
    job: Option<i64>,
}

/// Server-sent events: `changed` with the number of each job whose ledger grew, `progress` with how
/// far work at its vehicle is.
#[utoipa::path(get, path = "/api/events", params(Which), responses((status = 200, body = Progress)))]
pub async fn events(
    State(shop): App,
    Query(which): Query<Which>,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let wanted = move |id: i64| which.job.is_none_or(|w| w == id);
    let changed = BroadcastStream::new(shop.changed.subscribe())
        .filter_map(Result::ok)
        .filter(move |id| wanted(*id))
        .map(|id| Ok(Event::default().event("changed").data(id.to_string())));
    let progress = BroadcastStream::new(shop.progress.follow())
        .filter_map(Result::ok)
        .filter(move |(id, _)| wanted(*id))
        .filter_map(|(_, told)| Event::default().event("progress").json_data(told).ok().map(Ok));
    Sse::new(changed.merge(progress)).keep_alive(KeepAlive::default())
}
