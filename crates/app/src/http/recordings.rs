//! Recordings of live values: kept with the job as CSV, a line a reading, and looked at again.

use super::at::{Answer, App, Keeping, at, begin, keep};
use super::captures::called;
use super::extract::{Json, Key, Path, Query, whole};
use super::problem::Problem;
use axum::body::Body;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use diagnosis::ledger::{Entry, Recording};
use serde::Deserialize;
use utoipa::IntoParams;

/// Longest recording taken in, bytes.
const MOST: usize = 32 << 20;
/// The first column's heading.
const TIME: &str = "Time (s)";

/// What comes in.
#[derive(Debug, Deserialize, IntoParams)]
pub struct Coming {
    /// What it is called.
    name: String,
}

/// Takes a recording in: CSV with the time in seconds first, then a column for each value headed by its signal
/// and unit, and last the marks. Kept whole or not at all; what cannot be read is refused with its line.
#[utoipa::path(post, path = "/api/jobs/{id}/recordings", params(Coming), request_body(content = Vec<u8>, content_type = "text/csv"), responses((status = 200, body = super::at::Kept)))]
pub async fn take_recording(
    State(shop): App,
    Path(id): Path<i64>,
    Query(coming): Query<Coming>,
    key: Key,
    body: Body,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let name = called(&coming.name)?;
    let text = whole(body, MOST, "the recording is larger than 32 MB; keep fewer values").await?;
    let (values, seconds) = measured(&text).map_err(Problem::input)?;
    let mut incoming = shop.captures.kept.begin(id)?;
    incoming.write(&text)?;
    let recording = Recording { number: incoming.keep()?, name, values, seconds };
    keep(&shop, &here.session, vec![Entry::LiveKept { recording }], key).await
}

/// How many values a recording holds side by side, and how many seconds it is long; or what is wrong with it.
fn measured(text: &[u8]) -> Result<(usize, f64), String> {
    let mut reader = csv::ReaderBuilder::new().from_reader(text);
    let head = reader.headers().map_err(|e| e.to_string())?.clone();
    if head.get(0) != Some(TIME) || head.len() < 3 {
        return Err(format!(
            "line 1: it must begin with “{TIME}”, then the values, and end with the marks"
        ));
    }
    let mut last = 0.0;
    for record in reader.records() {
        let record = record.map_err(|e| e.to_string())?;
        let line = record.position().map_or(0, csv::Position::line);
        let number = |cell: &str| cell.parse::<f64>().ok().filter(|x| x.is_finite());
        let cells = record.iter().take(head.len() - 1);
        for (k, cell) in cells.enumerate().filter(|(k, cell)| *k == 0 || !cell.is_empty()) {
            let Some(x) = number(cell) else {
                return Err(format!("line {line}: “{cell}” under {} is no number", &head[k]));
            };
            if k == 0 && x < last {
                return Err(format!("line {line}: the time goes back"));
            }
            last = if k == 0 { x } else { last };
        }
    }
    Ok((head.len() - 2, last))
}

/// The recordings of a job.
#[utoipa::path(get, path = "/api/jobs/{id}/recordings", responses((status = 200, body = [Recording])))]
pub async fn recordings(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<Recording>> {
    Ok(Json(at(&shop, id).await?.case.recordings.clone()))
}

/// A recording as it was kept, CSV.
#[utoipa::path(get, path = "/api/jobs/{id}/recordings/{number}", responses((status = 200, body = String, content_type = "text/csv")))]
pub async fn recording(
    State(shop): App,
    Path((id, number)): Path<(i64, u64)>,
) -> Result<Response, Problem> {
    let here = at(&shop, id).await?;
    let known = here.case.recordings.iter().find(|r| r.number == number);
    let known =
        known.ok_or_else(|| Problem::missing(format!("this job has no recording {number}")))?;
    let gone = || Problem::missing(format!("the file of “{}” is gone", known.name));
    let path = shop.captures.kept.path(id, number).ok_or_else(gone)?;
    let bytes = tokio::fs::read(path).await.map_err(|_| gone())?;
    Ok(([(header::CONTENT_TYPE, "text/csv; charset=utf-8")], bytes).into_response())
}

#[cfg(test)]
mod tests {
    use super::measured;
    use proptest::prelude::*;

    #[test]
    fn a_recording_is_measured_and_what_is_wrong_is_named_by_its_line() {
        let good = b"Time (s),a [V],b [km/h],Mark\n0.000,1.5,,\n2.500,,30,\"road, test\"\n";
        assert_eq!(measured(good), Ok((2, 2.5)));
        let said = |text: &[u8]| measured(text).unwrap_err();
        assert!(said(b"a,b,c\n").contains("line 1"), "{}", said(b"a,b,c\n"));
        let words = said(b"Time (s),a,Mark\n0,1,\n1,much,\n");
        assert!(words.contains("line 3") && words.contains("much"), "{words}");
        assert!(said(b"Time (s),a,Mark\n1,1,\n0.5,2,\n").contains("goes back"));
    }

    proptest! {
        #[test]
        fn nothing_that_comes_in_makes_it_fall_over(text in any::<Vec<u8>>()) {
            let _ = measured(&text);
            let _ = measured(&[b"Time (s),a,Mark\n".as_slice(), &text].concat());
        }
    }
}
