//! Codes: scanning with progress, stopping, clearing, and asking again.

use super::at::{Answer, App, Keeping, Kept, append, at, away, begin, keep, session};
use super::extract::{Json, Key, Path, Query};
use super::problem::{Field, Problem};
use super::vehicle_side::{at_rest, rest};
use crate::bench::BenchError;
use crate::progress::Progress;
use crate::shop::Shop;
use crate::view::{self, Compared};
use axum::extract::State;
use axum::http::StatusCode;
use diagnosis::Model;
use diagnosis::ledger::{Entry, ReadCode, ScannedModule};
use diagnosis::pasted::{self, Pasted};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::sync::{Arc, Mutex, PoisonError};
use utoipa::{IntoParams, ToSchema};
use vehicle::{FailureType, OperatingState, PartId, TroubleCode};

/// Why a module says nothing of itself in a scan that was stopped.
const STOPPED: &str = "not asked: the scan was stopped";

/// Which modules to ask or to clear; all when none is named.
#[derive(Debug, Default, Deserialize, ToSchema)]
pub struct Modules {
    /// Parts.
    #[serde(default)]
    pub(super) modules: BTreeSet<PartId>,
    /// Clear although freeze-frame data could not be read and would be lost.
    #[serde(default)]
    anyway: bool,
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
    let mut running = shop.progress.begin(id, "scan").map_err(Problem::state)?;
    let bench = shop.bench(id);
    let model = Arc::clone(model);
    let file = session(shop, id).await?.job.vehicle.clone();
    let file = shop.vehicles.file(&file)?;
    let work = tokio::spawn(async move {
        let v = &model.circuit.vehicle;
        let all: Vec<PartId> = crate::bench::modules(v)
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
                Ok::<_, BenchError>(scanned)
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
    work.await?.map_err(Problem::bench)
}

/// Scans modules and keeps the result; with some named, what the others said last is kept with it.
#[utoipa::path(post, path = "/api/jobs/{id}/scan", request_body = Option<Modules>, responses((status = 200, body = Kept)))]
pub async fn scan(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    wanted: Option<Json<Modules>>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let model = &here.model;
    let wanted = wanted.map(|w| w.0).unwrap_or_default();
    let others: Vec<ScannedModule> = match (wanted.modules.is_empty(), here.case.scans.last()) {
        (false, Some(last)) => {
            last.modules.iter().filter(|m| !wanted.wants(&m.module)).cloned().collect()
        }
        _ => Vec::new(),
    };
    let mut modules = ask(&shop, id, model, wanted).await?;
    modules.extend(others);
    modules.sort_by_key(|m| model.circuit.part(&m.module));
    if modules.iter().all(|m| !m.asked) {
        let why = modules.first().map_or("no module could be asked", |m| m.trouble.as_str());
        return Err(Problem::vehicle(why).into());
    }
    // The state may have been noted meanwhile.
    let state = at(&shop, id).await?.case.state.clone();
    keep(&shop, &here.session, vec![Entry::Scan { state, modules }], key).await
}

/// Stops a scan that runs; what was gathered is kept.
#[utoipa::path(post, path = "/api/jobs/{id}/stop", responses((status = 204)))]
pub async fn stop(State(shop): App, Path(id): Path<i64>) -> StatusCode {
    shop.progress.stop(id);
    StatusCode::NO_CONTENT
}

/// Refuses to clear where freeze-frame data could not be read.
fn nothing_unread<'m>(modules: impl IntoIterator<Item = &'m ScannedModule>) -> Result<(), Problem> {
    let unread = |m: &&ScannedModule| m.codes.iter().any(|c| !c.unread.is_empty());
    let of: Vec<&str> = modules.into_iter().filter(unread).map(|m| m.module.as_str()).collect();
    if of.is_empty() {
        return Ok(());
    }
    let detail = format!(
        "freeze-frame data of {} could not be read and would be lost; scan again, or clear it anyway",
        of.join(", ")
    );
    Err(Problem::state(&detail).at([Field { pointer: "/anyway".to_owned(), detail }]))
}

/// Clears codes, of all modules or of some; only after a scan was kept.
#[utoipa::path(post, path = "/api/jobs/{id}/clear", request_body = Option<Modules>, responses((status = 200, body = Kept)))]
pub async fn clear(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    wanted: Option<Json<Modules>>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let (model, case) = (&here.model, &here.case);
    let wanted = wanted.map(|w| w.0).unwrap_or_default();
    let kept = case.scans.last().map(|s| s.number);
    if kept.is_none() || case.cleared() > kept {
        return Err(Problem::state("scan first: codes are kept before they are cleared").into());
    }
    if !wanted.anyway
        && let Some(scan) = case.scans.last()
    {
        nothing_unread(scan.modules.iter().filter(|m| wanted.wants(&m.module)))?;
    }
    let bench = shop.bench(id);
    let results = bench.clear(&model.circuit.vehicle, |m| wanted.wants(m)).await;
    let (done, failed): (Vec<_>, Vec<_>) =
        results.map_err(Problem::bench)?.into_iter().partition(|(_, e)| e.is_none());
    if done.is_empty() {
        let why: Vec<String> = failed.into_iter().filter_map(|(_, e)| e).collect();
        return Err(Problem::vehicle(why.join("; ")).into());
    }
    let entry = Entry::Cleared { modules: done.into_iter().map(|(m, _)| m).collect() };
    keep(&shop, &here.session, vec![entry], key).await
}

/// Two scans by the numbers of their entries.
#[derive(Debug, Deserialize, IntoParams)]
pub struct Two {
    from: u64,
    to: u64,
}

/// What became of each code from one scan to a later one.
#[utoipa::path(get, path = "/api/jobs/{id}/compare", params(Two), responses((status = 200, body = [Compared])))]
pub async fn compare(
    State(shop): App,
    Path(id): Path<i64>,
    Query(two): Query<Two>,
) -> Answer<Vec<Compared>> {
    let here = at(&shop, id).await?;
    let scan = |number: u64| {
        let found = here.case.scans.iter().find(|s| s.number == number);
        found.ok_or_else(|| Problem::input(format!("entry {number} is no scan; choose another")))
    };
    let (from, to) = (scan(two.from.min(two.to))?, scan(two.from.max(two.to))?);
    Ok(Json(view::compare(&here.case, from, to)))
}

/// How far the monitor behind a cleared code is.
#[derive(Debug, Serialize, ToSchema)]
pub struct Run {
    module: PartId,
    code: String,
    /// Its monitor has run since clearing; nothing where its module does not answer.
    ran: Option<bool>,
    /// It fails now.
    failing: bool,
}

/// What the monitors behind cleared codes have done since.
#[utoipa::path(get, path = "/api/jobs/{id}/runs", responses((status = 200, body = [Run])))]
pub async fn runs(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<Run>> {
    let here = at(&shop, id).await?;
    let watched = away(&shop, &here, |_, _, at| Ok(view::watched(&at.model, &at.case))).await?;
    let modules: BTreeSet<&str> = watched.iter().map(|w| w.module.as_str()).collect();
    let bench = shop.bench(id);
    let read = bench.statuses(&here.model.circuit.vehicle, |m| modules.contains(m)).await;
    let read = read.map_err(Problem::bench)?;
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

/// Time for the monitors to run after clearing, and once more for what takes longest.
const MONITORS_RUN: std::time::Duration = std::time::Duration::from_millis(2500);

/// The state to scan again in.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Again {
    state: OperatingState,
    /// Also where freeze-frame data could not be read.
    #[serde(default)]
    anyway: bool,
}

/// Codes kept, cleared, the state brought about so that monitors run, and all modules asked again.
#[utoipa::path(post, path = "/api/jobs/{id}/rescan", request_body = Again, responses((status = 200, body = Kept)))]
pub async fn rescan(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(wanted): Json<Again>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let (model, case) = (&here.model, &here.case);
    let note = async |entry| append(&shop, &here.session, vec![entry], Key::default()).await;
    let vehicle = &model.circuit.vehicle;
    model.circuit.check_state(&wanted.state).map_err(Problem::input)?;
    let bench = shop.bench(id);
    if case.scans.last().map(|s| s.number) <= case.cleared() {
        // Nothing is cleared that was not kept.
        let modules = ask(&shop, id, model, Modules::default()).await?;
        note(Entry::Scan { state: case.state.clone(), modules: modules.clone() }).await?;
        if !wanted.anyway {
            nothing_unread(&modules)?;
        }
    } else if let Some(scan) = case.scans.last().filter(|_| !wanted.anyway) {
        nothing_unread(&scan.modules)?;
    }
    note(Entry::State { state: wanted.state.clone() }).await?;
    if bench.has_hands() {
        crate::presence::bring_into(&shop, id, vehicle, &wanted.state)
            .await
            .map_err(Problem::bench)?;
    }
    let results = bench.clear(vehicle, |_| true).await.map_err(Problem::bench)?;
    let modules = results.into_iter().filter(|(_, e)| e.is_none()).map(|(m, _)| m).collect();
    note(Entry::Cleared { modules }).await?;
    tokio::time::sleep(MONITORS_RUN).await;
    let modules = ask(&shop, id, model, Modules::default()).await?;
    rest(&bench, vehicle, &wanted.state).await;
    let rested = Entry::State { state: at_rest(&wanted.state) };
    let scanned = Entry::Scan { state: wanted.state, modules };
    keep(&shop, &here.session, vec![rested, scanned], key).await
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
    let here = at(&shop, id).await?;
    let read = away(&shop, &here, move |_, _, at| {
        Ok(pasted::read(&at.model.circuit.vehicle, &report.text))
    });
    Ok(Json(read.await?))
}

/// A code that someone has confirmed.
#[derive(Debug, Deserialize, ToSchema)]
pub struct TypedCode {
    module: PartId,
    code: TroubleCode,
    #[serde(default)]
    failure_type: FailureType,
    /// It fails now; else it is an old entry, which says nothing about now.
    failing: bool,
}

/// Codes from elsewhere, confirmed.
#[derive(Debug, Deserialize, ToSchema)]
pub struct TypedCodes {
    codes: Vec<TypedCode>,
    /// Modules that are silent.
    #[serde(default)]
    silent: Vec<PartId>,
}

/// Failing now and stored; stored, not tested since key on.
const FAILING: u8 = 0x09;
const OLD: u8 = 0x48;

/// Keeps codes from elsewhere as a scan; modules that are not named say nothing.
#[utoipa::path(post, path = "/api/jobs/{id}/typed-codes", request_body = TypedCodes, responses((status = 200, body = Kept)))]
pub async fn typed_codes(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(typed): Json<TypedCodes>,
) -> Keeping {
    let here = at(&shop, id).await?;
    let v = &here.model.circuit.vehicle;
    let known = |module: &str| crate::bench::modules(v).any(|(p, _)| p.id == module);
    let named = typed.codes.iter().map(|c| &c.module).chain(&typed.silent);
    if let Some(other) = named.into_iter().find(|m| !known(m)) {
        let why = format!("there is no module “{other}”; choose the module of each code first");
        return Err(Problem::input(why).into());
    }
    if typed.codes.is_empty() && typed.silent.is_empty() {
        return Err(Problem::input("no code and no silent module; type or paste some first").into());
    }
    let modules = crate::bench::modules(v)
        .map(|(p, _)| {
            let own = typed.codes.iter().filter(|c| c.module == p.id);
            let codes: Vec<ReadCode> = own
                .map(|c| ReadCode {
                    code: c.code,
                    failure_type: c.failure_type,
                    status: if c.failing { FAILING } else { OLD },
                    ..ReadCode::default()
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
    // The state may have been noted meanwhile.
    let state = at(&shop, id).await?.case.state.clone();
    keep(&shop, &here.session, vec![Entry::Scan { state, modules }], key).await
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_could_not_be_read_is_not_cleared_unasked() {
        let module = |id: &str, unread: &str| ScannedModule {
            module: id.into(),
            answered: true,
            asked: true,
            trouble: String::new(),
            unexpected: false,
            codes: vec![ReadCode { unread: unread.to_owned(), ..ReadCode::default() }],
        };
        assert!(nothing_unread(&[module("A1", "")]).is_ok());
        let modules = [module("A1", ""), module("A2", "the record has an unknown identifier")];
        let refused = nothing_unread(&modules).unwrap_err();
        assert_eq!((refused.status, refused.errors[0].pointer.as_str()), (409, "/anyway"));
        assert!(refused.detail.contains("A2") && !refused.detail.contains("A1"), "{refused:?}");
    }
}
