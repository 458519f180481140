//! The network: roll call.

use super::at::{Answer, App, Keeping, Kept, at, away, begin, keep, session};
use super::extract::{Json, Key, Path, Query};
use super::problem::Problem;
use super::reasoning::ask;
use crate::bench::modules;
use crate::plans::PlanProgress;
use crate::roll_call::RollView;
use axum::extract::State;
use axum::response::Response;
use diagnosis::bus_static::{self, BusStatic};
use diagnosis::isolation::{self, BusPlan};
use diagnosis::ledger::Entry;
use diagnosis::network::BusTree;
use diagnosis::roll_call::RollCall;
use serde::Deserialize;
use utoipa::ToSchema;
use vehicle::{OperatingState, PartId};

/// The buses of this vehicle as trees of their conductors.
#[utoipa::path(get, path = "/api/jobs/{id}/network", responses((status = 200, body = [BusTree])))]
pub async fn network(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<BusTree>> {
    let here = at(&shop, id).await?;
    let buses = away(&shop, &here, |_, _, at| Ok(diagnosis::network::buses(&at.model.circuit)));
    Ok(Json(buses.await?))
}

/// Where on it.
#[derive(Debug, Deserialize, utoipa::IntoParams)]
pub struct Where {
    /// Connector, with the side of an in-line pair; the head's own without.
    at: Option<String>,
}

/// A bus for a plain meter: what to read where, as it is plugged now, and what the readings say.
#[utoipa::path(get, path = "/api/jobs/{id}/network/{bus}/static", params(Where), responses((status = 200, body = BusStatic)))]
pub async fn statics(
    State(shop): App,
    Path((id, bus)): Path<(i64, String)>,
    Query(place): Query<Where>,
) -> Answer<BusStatic> {
    ask(shop, id, move |k| {
        let (model, now) = (&k.at.model, &k.at.case.state);
        bus_static::look(model, &k.evidence, now, &bus, place.at.as_deref())
    })
    .await
}

/// How to part a bus: what to unplug next, what to lead past, by what it would tell a minute. Whoever breaks
/// the request off ends the work.
#[utoipa::path(get, path = "/api/jobs/{id}/network/{bus}/plan", responses((status = 200, body = BusPlan)))]
pub async fn plan(State(shop): App, Path((id, bus)): Path<(i64, String)>) -> Answer<BusPlan> {
    let planning = shop.plans.begin(id, &bus);
    let told = planning.teller();
    let solved = ask(shop, id, move |k| {
        isolation::plan(&k.question(), &bus, &|done, of| told.tell(done, of))
    });
    let Json(plan) = solved.await?;
    let stopped = || Problem::state("the plan was given up; ask for it again");
    Ok(Json(plan.ok_or_else(stopped)?))
}

/// How far the plan of a bus is.
#[utoipa::path(get, path = "/api/jobs/{id}/network/{bus}/plan/progress", responses((status = 200, body = PlanProgress)))]
pub async fn plan_progress(
    State(shop): App,
    Path((id, bus)): Path<(i64, String)>,
) -> Answer<PlanProgress> {
    Ok(Json(shop.plans.progress(id, &bus)))
}

/// A state to ask who answers in.
#[derive(Debug, Deserialize, ToSchema)]
pub struct InState {
    state: OperatingState,
}

/// Rounds that are asked at once: one may be missed.
const ROUNDS: usize = 2;

/// Asks every module whether it answers in a state, and keeps that. The hands bring the vehicle into the
/// state where it has any; else the technician has done so.
#[utoipa::path(post, path = "/api/jobs/{id}/who-answers", request_body = InState, responses((status = 200, body = Kept)))]
pub async fn who_answers(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(wanted): Json<InState>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let vehicle = &here.model.circuit.vehicle;
    here.model.circuit.check_state(&wanted.state).map_err(Problem::input)?;
    let bench = shop.bench(id);
    bench.connect().await.map_err(Problem::bench)?;
    if bench.has_hands() {
        crate::presence::bring_into(&shop, id, vehicle, &wanted.state)
            .await
            .map_err(Problem::bench)?;
    }
    let ids: Vec<PartId> = modules(vehicle).map(|(p, _)| p.id.clone()).collect();
    let mut rounds: Vec<Vec<Option<bool>>> = Vec::new();
    for _ in 0..ROUNDS {
        let said = bench.who_answers(vehicle).await.map_err(Problem::bench)?;
        rounds.push(ids.iter().map(|m| said.get(m).copied().flatten()).collect());
    }
    let call = RollCall::of(&ids, rounds.iter().map(Vec::as_slice), 0, Vec::new());
    let entries = vec![
        Entry::State { state: wanted.state.clone() },
        Entry::RollCall { state: wanted.state, call },
    ];
    keep(&shop, &here.session, entries, key).await
}

/// Where the lines of a bus can be touched, all of them side by side.
#[utoipa::path(get, path = "/api/jobs/{id}/network/{bus}/spots", responses((status = 200, body = [diagnosis::bus_static::BusSpot])))]
pub async fn spots(
    State(shop): App,
    Path((id, bus)): Path<(i64, String)>,
) -> Answer<Vec<diagnosis::bus_static::BusSpot>> {
    let here = at(&shop, id).await?;
    let found = diagnosis::bus_static::spots_of(&here.model, &bus);
    Ok(Json(found.map_err(|why| Problem::field("bus", why))?))
}

/// What to do with the roll call.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Wish {
    /// Start it, or go on.
    Run,
    /// Forget what there is and start.
    Anew,
    /// Pause it.
    Pause,
}

/// The roll call as it is now.
#[utoipa::path(get, path = "/api/jobs/{id}/roll-call", responses((status = 200, body = RollView)))]
pub async fn roll_call(State(shop): App, Path(id): Path<i64>) -> Answer<RollView> {
    session(&shop, id).await?;
    Ok(Json(shop.roll_calls.view(id)))
}

/// Starts or pauses the roll call.
#[utoipa::path(post, path = "/api/jobs/{id}/roll-call", request_body = Wish, responses((status = 200, body = RollView)))]
pub async fn call(
    State(shop): App,
    Path(id): Path<i64>,
    Json(wish): Json<Wish>,
) -> Answer<RollView> {
    let here = at(&shop, id).await?;
    let bench = shop.bench(id);
    let anew = matches!(wish, Wish::Anew);
    match wish {
        Wish::Pause => shop.roll_calls.pause(id),
        Wish::Run | Wish::Anew => {
            bench.connect().await.map_err(Problem::bench)?;
            shop.roll_calls.start(id, bench, &here.model.circuit.vehicle, anew);
        }
    }
    Ok(Json(shop.roll_calls.view(id)))
}

/// The rounds of the roll call as CSV: a row each, a column a module, `1` answered, `0` silent,
/// empty not asked, with the marks beside.
#[utoipa::path(get, path = "/api/jobs/{id}/roll-call.csv", responses((status = 200, body = String, content_type = "text/csv")))]
pub async fn table(State(shop): App, Path(id): Path<i64>) -> Result<Response, Problem> {
    session(&shop, id).await?;
    let rows = shop.roll_calls.table(id);
    if rows.len() < 2 {
        return Err(Problem::state("no round yet; let the roll call run first"));
    }
    super::identity::csv(&format!("job-{id}-roll-call.csv"), &rows)
}

/// Something the hand does now.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Marked {
    text: String,
}

/// Marks the roll call with what the hand does.
#[utoipa::path(post, path = "/api/jobs/{id}/mark", request_body = Marked, responses((status = 200, body = RollView)))]
pub async fn mark(
    State(shop): App,
    Path(id): Path<i64>,
    Json(marked): Json<Marked>,
) -> Answer<RollView> {
    session(&shop, id).await?;
    if !shop.roll_calls.runs(id) {
        return Err(Problem::state("start the roll call first; a mark belongs to one that runs"));
    }
    shop.roll_calls.mark(id, marked.text.trim());
    Ok(Json(shop.roll_calls.view(id)))
}

/// Keeps what the roll call showed: each module's state becomes evidence.
#[utoipa::path(post, path = "/api/jobs/{id}/keep-roll-call", responses((status = 200, body = Kept)))]
pub async fn keep_roll_call(State(shop): App, Path(id): Path<i64>, key: Key) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let (call, upto) = shop
        .roll_calls
        .to_keep(id)
        .ok_or_else(|| Problem::state("nothing new to keep; let it run first"))?;
    let entry = Entry::RollCall { state: here.case.state.clone(), call };
    let kept = keep(&shop, &here.session, vec![entry], key).await?;
    // Only what is on the disk is not offered again.
    shop.roll_calls.was_kept(id, upto);
    Ok(kept)
}
