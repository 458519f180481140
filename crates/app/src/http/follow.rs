//! Procedures: what there are, one begun and followed by whoever looks, stopped.

use super::at::{Answer, App, at, begin};
use super::extract::{Json, Key, Path};
use super::problem::Problem;
use crate::follow::{self, lock};
use crate::shop::Shop;
use axum::extract::State;
use axum::http::StatusCode;
use circuit::software::procedure::Lack;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;
use utoipa::ToSchema;
use vehicle::procedure::{Procedure, Stage, Target};
use vehicle::{SignalId, Vehicle};

/// A band that a value must lie in.
#[derive(Debug, Serialize, ToSchema)]
pub struct Aim {
    signal: SignalId,
    /// Its name.
    name: String,
    /// Unit; empty where a name says it.
    unit: String,
    /// Least value.
    least: Option<f64>,
    /// Largest value.
    most: Option<f64>,
    /// What it must be, where that has a name.
    word: String,
}

/// What a signal says.
#[derive(Debug, Serialize, ToSchema)]
pub struct SaidNow {
    /// In the physical unit.
    value: f64,
    /// Its name, where it has one; else empty.
    word: String,
}

/// A stage.
#[derive(Debug, Serialize, ToSchema)]
pub struct StageView {
    /// What is to be done.
    name: String,
    /// How to get there.
    hint: String,
    /// What must hold.
    aims: Vec<Aim>,
    /// For how long, seconds.
    hold_s: f64,
    /// Its window, seconds.
    within_s: Option<f64>,
}

/// A procedure.
#[derive(Debug, Serialize, ToSchema)]
pub struct ProcedureView {
    id: String,
    /// What a technician calls it.
    name: String,
    /// Id of the setting that it teaches.
    teaches: String,
    /// The course of time that does it, where hands go through one: its id.
    course: Option<String>,
    /// What must hold from first to last.
    throughout: Vec<Aim>,
    stages: Vec<StageView>,
}

/// How a procedure stands that is or was followed last.
#[derive(Debug, Serialize, ToSchema)]
pub struct FollowingView {
    /// What is followed.
    procedure: ProcedureView,
    /// The stage it is in, from 0; as many as there are once all are passed.
    stage: usize,
    /// Latest value of each signal that was read, in its physical unit.
    #[schema(value_type = BTreeMap<String, SaidNow>)]
    values: BTreeMap<SignalId, SaidNow>,
    /// What the stage still lacks.
    lacking: Vec<Lack>,
    /// Seconds for which it has held.
    held_s: f64,
    /// Seconds left of its window.
    left_s: Option<f64>,
    /// Seconds since the procedure began.
    since_s: f64,
    /// Percent that its module says it has learned.
    percent: u8,
    /// Why nothing is read just now; empty when something is.
    trouble: String,
    /// Whoever asks can look on and do nothing.
    looks_on: bool,
    /// Where a second person may look on: an address for a phone in the same network; empty where none is offered.
    beside: String,
    /// Whether it is over.
    over: bool,
    /// Why it was not passed; empty when it was, or while it goes on.
    why: String,
}

fn aim(vehicle: &Vehicle, target: &Target) -> Aim {
    let signal = vehicle.signals.iter().find(|s| s.id == target.signal);
    let physical = signal.and_then(|s| s.physical.as_ref());
    let within = target.least.into_iter().chain(target.most.map(|m| m - 1e-6)).next();
    let word = physical.zip(within).and_then(|(p, value)| p.transfer.name(value));
    Aim {
        signal: target.signal.clone(),
        name: signal.map_or_else(|| target.signal.to_string(), |s| s.name.clone()),
        unit: physical.map_or_else(String::new, |p| p.unit.clone()),
        least: target.least,
        most: target.most,
        word: word.unwrap_or_default().to_owned(),
    }
}

fn view(vehicle: &Vehicle, of: &Procedure) -> ProcedureView {
    let aims = |targets: &[Target]| targets.iter().map(|t| aim(vehicle, t)).collect();
    let stage = |s: &Stage| StageView {
        name: s.name.clone(),
        hint: s.hint.clone(),
        aims: aims(&s.targets),
        hold_s: s.hold_s,
        within_s: s.within_s,
    };
    ProcedureView {
        id: of.id.clone(),
        name: of.name.clone(),
        teaches: of.teaches.clone(),
        course: of.profile.clone(),
        throughout: aims(&of.throughout),
        stages: of.stages.iter().map(stage).collect(),
    }
}

/// The procedures of the vehicle.
#[utoipa::path(get, path = "/api/jobs/{id}/procedures", responses((status = 200, body = [ProcedureView])))]
pub async fn procedures(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<ProcedureView>> {
    let here = at(&shop, id).await?;
    let vehicle = &here.model.circuit.vehicle;
    Ok(Json(vehicle.procedures.iter().map(|p| view(vehicle, p)).collect()))
}

/// A procedure to follow.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Follow {
    /// Its id in the vehicle file.
    procedure: String,
}

fn already() -> Problem {
    Problem::state("a procedure is followed already; stop it, or see it to its end")
}

/// Tells a module to learn what a procedure teaches, and follows it from now on, until it is passed, ends by
/// itself or is stopped. What came of it is kept with everything that was read.
#[utoipa::path(post, path = "/api/jobs/{id}/follow", request_body = Follow, responses((status = 204)))]
pub async fn start(
    State(shop): App,
    Path(id): Path<i64>,
    Json(wanted): Json<Follow>,
) -> Result<StatusCode, super::at::Stop> {
    let here = begin(&shop, id, &Key::default()).await?;
    let vehicle = &here.model.circuit.vehicle;
    let of = vehicle.procedures.iter().find(|p| p.id == wanted.procedure).ok_or_else(|| {
        let why = format!("this vehicle has no procedure “{}”", wanted.procedure);
        Problem::field("procedure", why)
    })?;
    let setting = vehicle.settings().find(|s| s.id == of.teaches).ok_or_else(|| {
        Problem::field("procedure", format!("nothing is taught by “{}”", of.name))
    })?;
    if shop.followings.runs(id) {
        return Err(already().into());
    }
    let begun = shop.bench(id).begin_lesson(vehicle, setting).await;
    begun.map_err(Problem::bench)?;
    match follow::begin(&shop, &here.session, &here.model, (of, setting)) {
        true => Ok(StatusCode::NO_CONTENT),
        false => Err(already().into()),
    }
}

/// How the procedure stands that is or was followed last.
#[utoipa::path(get, path = "/api/jobs/{id}/following", responses((status = 200, body = Option<FollowingView>)))]
pub async fn following(State(shop): App, Path(id): Path<i64>) -> Answer<Option<FollowingView>> {
    standing(shop, id, false).await
}

/// The same for a second person, who can only look on.
pub async fn looked_on(State(shop): App, Path(id): Path<i64>) -> Answer<Option<FollowingView>> {
    standing(shop, id, true).await
}

async fn standing(shop: Arc<Shop>, id: i64, looks_on: bool) -> Answer<Option<FollowingView>> {
    let here = at(&shop, id).await?;
    let Some(following) = shop.followings.of(id) else { return Ok(Json(None)) };
    let f = lock(&following);
    let of = f.run.of();
    // The latest of each, where the last round brought none.
    let vehicle = &here.model.circuit.vehicle;
    let word = |id: &SignalId, value: f64| {
        let of = vehicle.signals.iter().find(|s| s.id == *id);
        let name = of.and_then(|s| s.physical.as_ref()).and_then(|p| p.transfer.name(value));
        name.unwrap_or_default().to_owned()
    };
    let mut values = BTreeMap::new();
    for sample in f.trace.iter().rev().take(5) {
        for (signal, value) in &sample.values {
            let said = || SaidNow { value: *value, word: word(signal, *value) };
            values.entry(signal.clone()).or_insert_with(said);
        }
    }
    let outcome = f.outcome.as_ref();
    Ok(Json(Some(FollowingView {
        procedure: view(vehicle, of),
        stage: f.run.stage().map_or(of.stages.len(), |(k, _)| k),
        values,
        lacking: f.run.lacking().to_vec(),
        held_s: f.run.held_s(),
        left_s: f.run.left_s(),
        since_s: f.since_s(),
        percent: f.lesson.percent,
        trouble: f.trouble.clone(),
        looks_on,
        beside: shop
            .beside
            .get()
            .map_or_else(String::new, |at| format!("http://{at}/job/{id}/follow")),
        over: outcome.is_some(),
        why: outcome.cloned().unwrap_or_default(),
    })))
}

/// Stops what is followed; what was read so far is kept. What is over already is put away.
#[utoipa::path(post, path = "/api/jobs/{id}/stop-following", responses((status = 204)))]
pub async fn stop(State(shop): App, Path(id): Path<i64>) -> Result<StatusCode, Problem> {
    match shop.followings.runs(id) {
        true => shop.followings.stop(id),
        false => shop.followings.put_away(id),
    }
    Ok(StatusCode::NO_CONTENT)
}
