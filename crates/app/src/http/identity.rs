//! Who the vehicle and its modules say they are.

use super::jobs::{Answer, App, case, job, keep};
use super::problem::Problem;
use crate::view::View;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use diagnosis::ledger::Entry;
use serde::Serialize;
use utoipa::ToSchema;

/// Asks every module who it is and keeps the answers.
#[utoipa::path(post, path = "/api/jobs/{id}/identify", responses((status = 200, body = View), (status = 502, body = Problem)))]
pub async fn identify(State(shop): App, Path(id): Path<i64>) -> Answer<View> {
    let (_, model) = job(&shop, id)?;
    let bench = shop.bench(id);
    let modules = bench.identify(&model.circuit.vehicle).await.map_err(Problem::vehicle)?;
    if modules.iter().all(|m| !m.answered) {
        return Err(Problem::vehicle("no module answers; is the key on?"));
    }
    keep(&shop, id, Entry::Identified { modules }).await
}

/// The identification of all modules as CSV: the latest, after what was read first.
#[utoipa::path(get, path = "/api/jobs/{id}/identification.csv", responses((status = 200, body = String, content_type = "text/csv"), (status = 422, body = Problem)))]
pub async fn table(State(shop): App, Path(id): Path<i64>) -> Result<Response, Problem> {
    let (model, case) = case(&shop, id)?;
    let (Some(first), Some(last)) = (case.identities.first(), case.identities.last()) else {
        return Err(Problem::input("nothing was read yet; read the identification first"));
    };
    const HEAD: &str = "module name answered part hardware software serial configuration vin \
        part_first hardware_first software_first configuration_first";
    let mut rows = vec![HEAD.split_whitespace().map(str::to_owned).collect::<Vec<_>>()];
    for m in &last.1 {
        let before = first.1.iter().find(|f| f.module == m.module).cloned().unwrap_or_default();
        let name = model.circuit.vehicle.parts.iter().find(|p| p.id == m.module);
        let m = m.clone();
        rows.push(vec![
            m.module,
            name.map(|p| p.name.clone()).unwrap_or_default(),
            if m.answered { "yes" } else { "no" }.to_owned(),
            m.part,
            m.hardware,
            m.software,
            m.serial,
            m.configuration,
            m.vin,
            before.part,
            before.hardware,
            before.software,
            before.configuration,
        ]);
    }
    csv(&format!("job-{id}-identification.csv"), &rows)
}

/// Rows as a CSV file (RFC 4180).
pub(super) fn csv(name: &str, rows: &[Vec<String>]) -> Result<Response, Problem> {
    let mut out = csv::Writer::from_writer(Vec::new());
    for row in rows {
        out.write_record(row).map_err(Problem::own)?;
    }
    let bytes = out.into_inner().map_err(Problem::own)?;
    let named = format!("attachment; filename=\"{name}\"");
    let head = [
        (header::CONTENT_TYPE, "text/csv; charset=utf-8".to_owned()),
        (header::CONTENT_DISPOSITION, named),
    ];
    Ok((head, bytes).into_response())
}

/// The vehicle on the link.
#[derive(Debug, Serialize, ToSchema)]
pub struct Announced {
    /// Its vehicle identification number.
    vin: String,
}

/// Asks the vehicle on the link for its number, over UDP.
#[utoipa::path(get, path = "/api/jobs/{id}/announced", responses((status = 200, body = Announced), (status = 502, body = Problem)))]
pub async fn announced(State(shop): App, Path(id): Path<i64>) -> Answer<Announced> {
    shop.store.job(id).map_err(Problem::missing)?;
    let found = shop.bench(id).announced().await.map_err(Problem::vehicle)?;
    Ok(Json(Announced { vin: found.vin }))
}
