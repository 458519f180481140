//! Who the vehicle and its modules say they are.

use super::at::{Answer, App, Keeping, Kept, at, begin, keep, session};
use super::extract::{Json, Key, Path};
use super::problem::Problem;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use diagnosis::ledger::Entry;
use serde::Serialize;
use utoipa::ToSchema;

/// Asks every module who it is and keeps the answers.
#[utoipa::path(post, path = "/api/jobs/{id}/identify", responses((status = 200, body = Kept)))]
pub async fn identify(State(shop): App, Path(id): Path<i64>, key: Key) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let bench = shop.bench(id);
    let modules = bench.identify(&here.model.circuit.vehicle).await.map_err(Problem::vehicle)?;
    if modules.iter().all(|m| !m.answered) {
        return Err(Problem::vehicle("no module answers; is the key on?").into());
    }
    keep(&shop, &here.session, vec![Entry::Identified { modules }], key).await
}

/// The identification of all modules as CSV: the latest, after what was read first.
#[utoipa::path(get, path = "/api/jobs/{id}/identification.csv", responses((status = 200, body = String, content_type = "text/csv")))]
pub async fn table(State(shop): App, Path(id): Path<i64>) -> Result<Response, Problem> {
    let here = at(&shop, id).await?;
    let case = &here.case;
    let (Some(first), Some(last)) = (case.identities.first(), case.identities.last()) else {
        return Err(Problem::input("nothing was read yet; read the identification first"));
    };
    const HEAD: &str = "module name answered part hardware software serial configuration vin \
        part_first hardware_first software_first configuration_first";
    let mut rows = vec![HEAD.split_whitespace().map(str::to_owned).collect::<Vec<_>>()];
    for m in &last.1 {
        let before = first.1.iter().find(|f| f.module == m.module).cloned().unwrap_or_default();
        let name = here.model.circuit.vehicle.parts.iter().find(|p| p.id == m.module);
        let m = m.clone();
        rows.push(vec![
            m.module.into(),
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
        let cells = row.iter().map(|cell| harmless(cell).into_owned());
        out.write_record(cells).map_err(Problem::own)?;
    }
    let bytes = out.into_inner().map_err(Problem::own)?;
    let named = format!("attachment; filename=\"{name}\"");
    let head = [
        (header::CONTENT_TYPE, "text/csv; charset=utf-8".to_owned()),
        (header::CONTENT_DISPOSITION, named),
    ];
    Ok((head, bytes).into_response())
}

/// A cell that no spreadsheet takes for a formula: what a module says of itself is text, whatever it
/// begins with. An apostrophe before it is how spreadsheets themselves mark text.
fn harmless(cell: &str) -> std::borrow::Cow<'_, str> {
    let risky = |c: char| matches!(c, '=' | '+' | '-' | '@' | '|') || c.is_control();
    match cell.trim_start().starts_with(risky) || cell.starts_with(risky) {
        true => format!("'{}", cell.replace(|c: char| c.is_control(), " ")).into(),
        false => cell.into(),
    }
}

/// The vehicle on the link.
#[derive(Debug, Serialize, ToSchema)]
pub struct Announced {
    /// Its vehicle identification number.
    vin: String,
}

/// Asks the vehicle on the link for its number, over UDP.
#[utoipa::path(get, path = "/api/jobs/{id}/announced", responses((status = 200, body = Announced)))]
pub async fn announced(State(shop): App, Path(id): Path<i64>) -> Answer<Announced> {
    session(&shop, id).await?;
    let found = shop.bench(id).announced().await.map_err(Problem::vehicle)?;
    Ok(Json(Announced { vin: found.vin }))
}

#[cfg(test)]
mod tests {
    use super::harmless;

    #[test]
    fn no_cell_is_a_formula() {
        for cell in ["=1+1", "+cmd", "-2", "@sum", "  =1", "\t=1", "\r=1", "\u{1}x", "|x"] {
            let written = harmless(cell);
            assert!(written.starts_with('\''), "{cell:?}");
            assert!(!written.contains(char::is_control), "{cell:?}");
        }
        assert_eq!(harmless("A2 -- 3"), "A2 -- 3");
    }
}
