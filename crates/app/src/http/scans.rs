//! Codes: scanning with progress, stopping, clearing, and asking again.

use super::jobs::{Answer, App, case, job, keep, shown};
use super::problem::Problem;
use super::vehicle_side::{Wanted, at_rest, rest, state_now};
use crate::progress::Progress;
use crate::shop::Shop;
use crate::view::{self, Compared, View};
use axum::Json;
use axum::extract::{Path, Query, State};
use diagnosis::Model;
use diagnosis::ledger::{Entry, ReadCode, ScannedModule};
use diagnosis::pasted::{self, Pasted};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::sync::{Arc, Mutex, PoisonError};
use utoipa::{IntoParams, ToSchema};

/// Why a module says nothing of itself in a scan that was stopped.
const STOPPED: &str = "not asked: the scan was stopped";

/// Which modules to ask or to clear; all when none is named.
#[derive(Debug, Default, Deserialize, ToSchema)]
pub struct Modules {
    /// Parts.
    #[serde(default)]
    modules: BTreeSet<String>,
}

impl Modules {
    fn wants(&self, module: &str) -> bool {
        self.modules.is_empty() || self.modules.contains(module)
    }
}

/// Asks modules and tells of each as it answers. Goes on when the window that asked is closed, and
/// keeps what was gathered when it is stopped.
async fn ask(
    shop: &Arc<Shop>,
    id: i64,
    model: &Arc<Model>,
    wanted: Modules,
) -> Result<Vec<ScannedModule>, Problem> {
    let mut running = shop.progress.begin(id, "scan").map_err(Problem::input)?;
    let bench = shop.bench(id);
    let model = Arc::clone(model);
    let file = shop.store.job(id).map_err(Problem::missing)?.vehicle;
    let file = shop.vehicle(&file).map_err(Problem::own)?;
    let work = tokio::spawn(async move {
        let v = &model.circuit.vehicle;
        let all: Vec<String> = crate::bench::modules(v)
            .map(|(p, _)| p.id.clone())
            .filter(|m| wanted.wants(m))
            .collect();
        let got = Mutex::new(Vec::<ScannedModule>::new());
        let lock = || got.lock().unwrap_or_else(PoisonError::into_inner);
        let tell = running.teller();
        let scan = bench.scan(
            v,
            |m| wanted.wants(m),
            |m| {
                lock().push(m.clone());
                tell.tell(Progress::scanned(m, lock().len(), all.len()));
            },
        );
        tokio::select! {
            scanned = scan => {
                let mut scanned = scanned?;
                // Who should not be there is asked as well, and only told of when there.
                let fitted = |m: &str| crate::bench::modules(v).any(|(p, _)| p.id == m);
                let other = |m: &str| !fitted(m) && wanted.wants(m);
                if crate::bench::modules(&file).any(|(p, _)| other(&p.id)) {
                    let others = bench.scan(&file, other, |_| {}).await.unwrap_or_default();
                    let there = others.into_iter().filter(|m| m.answered);
                    scanned.extend(there.map(|m| ScannedModule { unexpected: true, ..m }));
                }
                Ok::<_, String>(scanned)
            }
            () = running.stopped() => {
                let mut got = std::mem::take(&mut *lock());
                for module in all.iter().filter(|m| !got.iter().any(|g| g.module == **m)).cloned().collect::<Vec<_>>() {
                    got.push(ScannedModule { module, answered: false, asked: false, trouble: STOPPED.into(), unexpected: false, codes: vec![] });
                }
                Ok(got)
            }
        }
    });
    work.await.map_err(Problem::own)?.map_err(Problem::vehicle)
}

/// Scans modules and keeps the result; with some named, what the others said last is kept with it.
#[utoipa::path(post, path = "/api/jobs/{id}/scan", request_body = Option<Modules>, responses((status = 200, body = View), (status = 422, body = Problem), (status = 502, body = Problem)))]
pub async fn scan(
    State(shop): App,
    Path(id): Path<i64>,
    wanted: Option<Json<Modules>>,
) -> Answer<View> {
    let (model, before) = case(&shop, id)?;
    let wanted = wanted.map(|w| w.0).unwrap_or_default();
    let others: Vec<ScannedModule> = match (wanted.modules.is_empty(), before.scans.last()) {
        (false, Some(last)) => {
            last.modules.iter().filter(|m| !wanted.wants(&m.module)).cloned().collect()
        }
        _ => Vec::new(),
    };
    let mut modules = ask(&shop, id, &model, wanted).await?;
    modules.extend(others);
    modules.sort_by_key(|m| model.circuit.part(&m.module));
    if modules.iter().all(|m| !m.asked) {
        let why = modules.first().map_or("no module could be asked", |m| m.trouble.as_str());
        return Err(Problem::vehicle(why));
    }
    let state = state_now(&shop, id)?;
    keep(&shop, id, Entry::Scan { state, modules }).await
}

/// Stops a scan that runs; what was gathered is kept.
#[utoipa::path(post, path = "/api/jobs/{id}/stop", responses((status = 204)))]
pub async fn stop(State(shop): App, Path(id): Path<i64>) -> axum::http::StatusCode {
    shop.progress.stop(id);
    axum::http::StatusCode::NO_CONTENT
}

/// Clears codes, of all modules or of some; only after a scan was kept.
#[utoipa::path(post, path = "/api/jobs/{id}/clear", request_body = Option<Modules>, responses((status = 200, body = View), (status = 422, body = Problem), (status = 502, body = Problem)))]
pub async fn clear(
    State(shop): App,
    Path(id): Path<i64>,
    wanted: Option<Json<Modules>>,
) -> Answer<View> {
    let (model, case) = case(&shop, id)?;
    let wanted = wanted.map(|w| w.0).unwrap_or_default();
    let kept = case.scans.last().map(|s| s.number);
    if kept.is_none() || case.cleared() > kept {
        return Err(Problem::input("scan first: codes are kept before they are cleared"));
    }
    let bench = shop.bench(id);
    let results = bench.clear(&model.circuit.vehicle, |m| wanted.wants(m)).await;
    let (done, failed): (Vec<_>, Vec<_>) =
        results.map_err(Problem::vehicle)?.into_iter().partition(|(_, e)| e.is_none());
    if done.is_empty() {
        let why: Vec<String> = failed.into_iter().filter_map(|(_, e)| e).collect();
        return Err(Problem::vehicle(why.join("; ")));
    }
    keep(&shop, id, Entry::Cleared { modules: done.into_iter().map(|(m, _)| m).collect() }).await
}

/// Two scans by the numbers of their entries.
#[derive(Debug, Deserialize, IntoParams)]
pub struct Two {
    from: u64,
    to: u64,
}

/// What became of each code from one scan to a later one.
#[utoipa::path(get, path = "/api/jobs/{id}/compare", params(Two), responses((status = 200, body = [Compared]), (status = 422, body = Problem)))]
pub async fn compare(
    State(shop): App,
    Path(id): Path<i64>,
    Query(two): Query<Two>,
) -> Answer<Vec<Compared>> {
    let (_, case) = case(&shop, id)?;
    let scan = |number: u64| {
        let found = case.scans.iter().find(|s| s.number == number);
        found.ok_or_else(|| Problem::input(format!("entry {number} is no scan; choose another")))
    };
    let (from, to) = (scan(two.from.min(two.to))?, scan(two.from.max(two.to))?);
    Ok(Json(view::compare(&case, from, to)))
}

/// How far the monitor behind a cleared code is.
#[derive(Debug, Serialize, ToSchema)]
pub struct Run {
    module: String,
    code: String,
    /// Its monitor has run since clearing; nothing where its module does not answer.
    ran: Option<bool>,
    /// It fails now.
    failing: bool,
}

/// What the monitors behind cleared codes have done since.
#[utoipa::path(get, path = "/api/jobs/{id}/runs", responses((status = 200, body = [Run]), (status = 502, body = Problem)))]
pub async fn runs(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<Run>> {
    let (model, case) = case(&shop, id)?;
    let watched = view::watched(&model, &case);
    let modules: BTreeSet<&str> = watched.iter().map(|w| w.module.as_str()).collect();
    let bench = shop.bench(id);
    let read = bench.statuses(&model.circuit.vehicle, |m| modules.contains(m)).await;
    let read = read.map_err(Problem::vehicle)?;
    let run = |w: &view::Watched| {
        let codes = read.get(&w.module).and_then(Option::as_ref);
        let own = codes.and_then(|all| {
            all.iter().find(|c| w.code == format!("{}-{}", c.code, c.failure_type))
        });
        Run {
            module: w.module.clone(),
            code: w.code.clone(),
            ran: own.map(ReadCode::tested_since_clear),
            failing: own.is_some_and(ReadCode::failing),
        }
    };
    Ok(Json(watched.iter().map(run).collect()))
}

/// Lets the modules whose codes were cleared test themselves, so that absence counts sooner.
#[utoipa::path(post, path = "/api/jobs/{id}/self-tests", responses((status = 200, body = View), (status = 502, body = Problem)))]
pub async fn self_tests(State(shop): App, Path(id): Path<i64>) -> Answer<View> {
    let (model, case) = case(&shop, id)?;
    let watched = view::watched(&model, &case);
    let modules: BTreeSet<&str> = watched.iter().map(|w| w.module.as_str()).collect();
    let bench = shop.bench(id);
    let said = bench.self_tests(&model.circuit.vehicle, |m| modules.contains(m)).await;
    let refused: Vec<String> = said.map_err(Problem::vehicle)?.into_values().flatten().collect();
    match refused.is_empty() {
        true => shown(&shop, id).await,
        false => Err(Problem::vehicle(refused.join("; "))),
    }
}

/// Time for the monitors to run after clearing, and once more for what takes longest.
const MONITORS_RUN: std::time::Duration = std::time::Duration::from_millis(2500);

/// Codes kept, cleared, the state brought about so that monitors run, and all modules asked again.
#[utoipa::path(post, path = "/api/jobs/{id}/rescan", request_body = Wanted, responses((status = 200, body = View), (status = 422, body = Problem), (status = 502, body = Problem)))]
pub async fn rescan(
    State(shop): App,
    Path(id): Path<i64>,
    Json(wanted): Json<Wanted>,
) -> Answer<View> {
    let (model, case) = case(&shop, id)?;
    let vehicle = &model.circuit.vehicle;
    model.circuit.check_state(&wanted.state).map_err(Problem::input)?;
    let bench = shop.bench(id);
    if case.scans.last().map(|s| s.number) <= case.cleared() {
        // Nothing is cleared that was not kept.
        let modules = ask(&shop, id, &model, Modules::default()).await?;
        shop.append(id, &Entry::Scan { state: case.state.clone(), modules })
            .map_err(Problem::own)?;
    }
    shop.append(id, &Entry::State { state: wanted.state.clone() }).map_err(Problem::own)?;
    if bench.has_hands() {
        bench.bring_into(vehicle, &wanted.state).await.map_err(Problem::vehicle)?;
    }
    let results = bench.clear(vehicle, |_| true).await.map_err(Problem::vehicle)?;
    let modules = results.into_iter().filter(|(_, e)| e.is_none()).map(|(m, _)| m).collect();
    shop.append(id, &Entry::Cleared { modules }).map_err(Problem::own)?;
    tokio::time::sleep(MONITORS_RUN).await;
    let modules = ask(&shop, id, &model, Modules::default()).await?;
    rest(&bench, vehicle, &wanted.state).await;
    shop.append(id, &Entry::State { state: at_rest(&wanted.state) }).map_err(Problem::own)?;
    keep(&shop, id, Entry::Scan { state: wanted.state, modules }).await
}

/// A report of another tool, as text.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Report {
    text: String,
}

/// Reads codes out of a text; nothing is kept.
#[utoipa::path(post, path = "/api/jobs/{id}/read-codes", request_body = Report, responses((status = 200, body = Pasted)))]
pub async fn read_codes(
    State(shop): App,
    Path(id): Path<i64>,
    Json(report): Json<Report>,
) -> Answer<Pasted> {
    let (_, model) = job(&shop, id)?;
    Ok(Json(pasted::read(&model.circuit.vehicle, &report.text)))
}

/// A code that someone has confirmed.
#[derive(Debug, Deserialize, ToSchema)]
pub struct TypedCode {
    module: String,
    code: String,
    #[serde(default)]
    failure_type: String,
    /// It fails now; else it is an old entry, which says nothing about now.
    failing: bool,
}

/// Codes from elsewhere, confirmed.
#[derive(Debug, Deserialize, ToSchema)]
pub struct TypedCodes {
    codes: Vec<TypedCode>,
    /// Modules that are silent.
    #[serde(default)]
    silent: Vec<String>,
}

/// Failing now and stored; stored, not tested since key on.
const FAILING: u8 = 0x09;
const OLD: u8 = 0x48;

/// Keeps codes from elsewhere as a scan; modules that are not named say nothing.
#[utoipa::path(post, path = "/api/jobs/{id}/typed-codes", request_body = TypedCodes, responses((status = 200, body = View), (status = 422, body = Problem)))]
pub async fn typed_codes(
    State(shop): App,
    Path(id): Path<i64>,
    Json(typed): Json<TypedCodes>,
) -> Answer<View> {
    let (_, model) = job(&shop, id)?;
    let v = &model.circuit.vehicle;
    let known = |module: &str| crate::bench::modules(v).any(|(p, _)| p.id == module);
    let named = typed.codes.iter().map(|c| &c.module).chain(&typed.silent);
    if let Some(other) = named.into_iter().find(|m| !known(m)) {
        let why = format!("there is no module “{other}”; choose the module of each code first");
        return Err(Problem::input(why));
    }
    if typed.codes.is_empty() && typed.silent.is_empty() {
        return Err(Problem::input("no code and no silent module; type or paste some first"));
    }
    let modules = crate::bench::modules(v)
        .map(|(p, _)| {
            let own = typed.codes.iter().filter(|c| c.module == p.id);
            let codes: Vec<ReadCode> = own
                .map(|c| ReadCode {
                    code: c.code.clone(),
                    failure_type: c.failure_type.clone(),
                    status: if c.failing { FAILING } else { OLD },
                    snapshot: Vec::new(),
                })
                .collect();
            let silent = typed.silent.contains(&p.id);
            let asked = silent || !codes.is_empty();
            let trouble = match (asked, silent) {
                (false, _) => "not in what was typed",
                (_, true) => "silent, as typed",
                _ => "",
            };
            let answered = asked && !silent;
            ScannedModule {
                module: p.id.clone(),
                answered,
                asked,
                trouble: trouble.into(),
                unexpected: false,
                codes,
            }
        })
        .collect();
    let state = state_now(&shop, id)?;
    keep(&shop, id, Entry::Scan { state, modules }).await
}
