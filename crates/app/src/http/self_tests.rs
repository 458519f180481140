//! Modules that test themselves: which can, how far they are, what they found.

use super::at::{Answer, App, Keeping, at, away, begin, keep};
use super::extract::{Json, Key, Path};
use super::problem::Problem;
use super::scans::Modules;
use crate::view;
use axum::extract::State;
use axum::http::StatusCode;
use diagnosis::ledger::Entry;
use diagnosis::self_test::{self, TestCompared};
use serde::Serialize;
use std::collections::BTreeSet;
use utoipa::ToSchema;
use vehicle::PartId;

/// Lets modules test themselves and keeps what they found; where none is named those whose codes were cleared,
/// so that absence counts sooner.
#[utoipa::path(post, path = "/api/jobs/{id}/self-tests", request_body = Option<Modules>, responses((status = 200, body = super::at::Kept)))]
pub async fn self_tests(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    wanted: Option<Json<Modules>>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let wanted = wanted.map(|w| w.0).unwrap_or_default();
    let modules: BTreeSet<PartId> = match wanted.modules.is_empty() {
        false => wanted.modules,
        true => {
            let watched = away(&shop, &here, |_, _, at| Ok(view::watched(&at.model, &at.case)));
            watched.await?.into_iter().map(|w| w.module).collect()
        }
    };
    let bench = shop.bench(id);
    let said = bench.self_tests(&here.model.circuit.vehicle, |m| modules.contains(m)).await;
    let said = said.map_err(Problem::bench)?;
    let refused = said.iter().filter(|m| !m.trouble.is_empty()).map(|m| m.trouble.as_str());
    let refused: Vec<&str> = refused.collect();
    if !refused.is_empty() && refused.len() == said.len() {
        return Err(Problem::vehicle(refused.join("; ")).into());
    }
    let entry = Entry::SelfTested { state: here.case.state.clone(), modules: said };
    keep(&shop, &here.session, vec![entry], key).await
}

/// A module that tests itself.
#[derive(Debug, Serialize, ToSchema)]
pub struct Testing {
    /// Module part.
    module: PartId,
    /// Whether it still does.
    running: bool,
    /// Percent done.
    percent: u8,
    /// Codes that failed so far.
    failing: Vec<String>,
}

/// How far the modules are that test themselves, or did last.
#[utoipa::path(get, path = "/api/jobs/{id}/testing", responses((status = 200, body = [Testing])))]
pub async fn testing(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<Testing>> {
    let here = at(&shop, id).await?;
    let all = shop.bench(id).testing(&here.model.circuit.vehicle).await.into_iter();
    let each = all.map(|(module, p)| Testing {
        module,
        running: p.running,
        percent: p.percent,
        failing: p.failing,
    });
    Ok(Json(each.collect()))
}

/// Ends the self-tests that run; what they found so far is kept.
#[utoipa::path(post, path = "/api/jobs/{id}/end-tests", responses((status = 204)))]
pub async fn end_tests(State(shop): App, Path(id): Path<i64>) -> Result<StatusCode, Problem> {
    let here = at(&shop, id).await?;
    let ended = shop.bench(id).end_self_tests(&here.model.circuit.vehicle).await;
    ended.map_err(Problem::bench)?;
    Ok(StatusCode::NO_CONTENT)
}

/// A module that can test itself.
#[derive(Debug, Serialize, ToSchema)]
pub struct Testable {
    /// Module part.
    module: PartId,
    /// Its name.
    name: String,
    /// Monitors it has.
    monitors: usize,
    /// What its last self-test found, beside the one before.
    last: Option<TestCompared>,
}

/// Modules that have monitors, in the order of the vehicle file.
#[utoipa::path(get, path = "/api/jobs/{id}/testable", responses((status = 200, body = [Testable])))]
pub async fn testable(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<Testable>> {
    let here = at(&shop, id).await?;
    let v = &here.model.circuit.vehicle;
    let of = |p: &vehicle::Part| {
        let monitors = v.monitors.iter().filter(|m| m.module == p.id).count();
        let is = p.module.is_some() && monitors > 0;
        is.then(|| Testable {
            module: p.id.clone(),
            name: p.name.clone(),
            monitors,
            last: self_test::compared(&here.case, &p.id),
        })
    };
    Ok(Json(v.parts.iter().filter_map(of).collect()))
}
