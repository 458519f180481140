//! A whole job as one file: written here, taken in elsewhere.

use super::at::{Answer, App, at, away, session};
use super::extract::{Json, Path, whole};
use super::jobs::{Opened, assessed, shown};
use super::problem::Problem;
use crate::shop::{Shop, now};
use axum::body::Body;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use diagnosis::ledger::{Entry, Intake};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;

/// What a job file says it is.
const FORMAT: &str = "chalkeus-job-2";
/// Captures, recordings and pictures that travel along, bytes in all; what is beyond stays behind and is named.
const MOST_ALONG: usize = 64 << 20;
/// Largest job file taken in, bytes: all that travels along as text, and a long ledger.
const MOST: usize = 128 << 20;
/// Most entries of a job that is taken in.
const MOST_ENTRIES: usize = 100_000;

/// A job file; what else stands in it is for whoever reads it.
#[derive(Debug, Serialize, Deserialize)]
struct JobFile {
    format: String,
    #[serde(default)]
    written_at: String,
    vehicle: String,
    opened_at: String,
    /// The job as the screen shows it.
    #[serde(default, skip_deserializing)]
    job: serde_json::Value,
    entries: Vec<KeptEntry>,
    /// Captures, recordings and pictures by their number, in base64.
    #[serde(default)]
    files: BTreeMap<u64, String>,
    /// Numbers of those that were too large to travel along.
    #[serde(default)]
    left_behind: Vec<u64>,
}

/// A ledger entry as it is kept.
#[derive(Debug, Serialize, Deserialize)]
struct KeptEntry {
    number: u64,
    at: String,
    /// The entry; a text where it is none that can be read.
    kept: serde_json::Value,
}

/// The whole job in one JSON document, entries that cannot be read as they are kept.
#[utoipa::path(get, path = "/api/jobs/{id}/export", responses((status = 200, body = Object)))]
pub async fn export(State(shop): App, Path(id): Path<i64>) -> Result<Response, Problem> {
    let kept = session(&shop, id).await?;
    // A job whose vehicle cannot be read is written out all the same, without its view.
    let job = match at(&shop, id).await {
        Ok(here) => {
            assessed(&shop, &here.session).await?;
            let here = at(&shop, id).await?;
            let made = away(&shop, &here, |shop, session, standing| {
                Ok(shown(shop, session, standing)?.whole())
            });
            made.await?
        }
        Err(_) => serde_json::Value::Null,
    };
    let (vehicle, opened_at) = (kept.job.vehicle.clone(), kept.job.opened_at.clone());
    let shop = Arc::clone(&shop);
    let body = tokio::task::spawn_blocking(move || {
        let entries: Vec<KeptEntry> = shop.store.ledger(id, 0)?.into_iter().map(written).collect();
        let (files, left_behind) = along(&shop, id, &entries)?;
        let (format, written_at) = (FORMAT.to_owned(), now());
        Ok::<_, Problem>(JobFile {
            format,
            written_at,
            vehicle,
            opened_at,
            job,
            entries,
            files,
            left_behind,
        })
    });
    let name = format!("attachment; filename=\"job-{id}.json\"");
    Ok(([(header::CONTENT_DISPOSITION, name)], Json(body.await??)).into_response())
}

fn written(e: store::Entry) -> KeptEntry {
    let kept = serde_json::from_str(&e.body).unwrap_or(serde_json::Value::String(e.body));
    KeptEntry { number: e.number, at: e.at, kept }
}

/// Numbers of the captures, recordings and pictures that an entry tells of.
fn files_of(kept: &serde_json::Value) -> Option<u64> {
    serde_json::from_value::<Entry>(kept.clone()).ok()?.file()
}

/// The captures, recordings and pictures of a job as text by their numbers, and those that are too large.
fn along(
    shop: &Shop,
    id: i64,
    entries: &[KeptEntry],
) -> Result<(BTreeMap<u64, String>, Vec<u64>), Problem> {
    let (mut files, mut left, mut taken) = (BTreeMap::new(), Vec::new(), 0);
    for number in entries.iter().filter_map(|e| files_of(&e.kept)) {
        let Some(path) = shop.captures.kept.path(id, number) else { continue };
        let size = std::fs::metadata(&path).map_err(Problem::own)?.len() as usize;
        if taken + size > MOST_ALONG {
            left.push(number);
            continue;
        }
        taken += size;
        files.insert(number, STANDARD.encode(std::fs::read(&path).map_err(Problem::own)?));
    }
    Ok((files, left))
}

/// Takes in a job that was written elsewhere, all of it or nothing: its ledger with the times it was made at, its
/// captures, recordings and pictures. What it adds up to is worked out anew.
#[utoipa::path(post, path = "/api/job-files", request_body(content = Vec<u8>, content_type = "application/json"), responses((status = 200, body = Opened)))]
pub async fn take_in(State(shop): App, body: Body) -> Answer<Opened> {
    let text = whole(body, MOST, "the file is larger than 128 MB; it is no job file").await?;
    let id = tokio::task::spawn_blocking(move || taken_in(&shop, &text)).await??;
    Ok(Json(Opened { id }))
}

fn taken_in(shop: &Shop, text: &[u8]) -> Result<i64, Problem> {
    let file: JobFile = serde_json::from_slice(text).map_err(|e| {
        Problem::input(format!(
            "this is no job file: {e}; take one that was written by “Export JSON”"
        ))
    })?;
    if file.format != FORMAT {
        let why = format!("this is a file of the format “{}”, not “{FORMAT}”", file.format);
        return Err(Problem::input(why));
    }
    let numbered = (1..).zip(&file.entries).all(|(n, e)| e.number == n);
    if file.entries.is_empty() || file.entries.len() > MOST_ENTRIES || !numbered {
        return Err(Problem::input(
            "the entries of the job are not numbered from 1 on without a gap",
        ));
    }
    let times = file.entries.iter().map(|e| &e.at).chain([&file.opened_at]);
    if let Some(at) = times.into_iter().find(|at| at.parse::<jiff::Timestamp>().is_err()) {
        return Err(Problem::input(format!("“{at}” in the file is no time (RFC 3339)")));
    }
    // Its vehicle must be one of those here, with what this one has.
    let intakes = file.entries.iter().filter_map(|e| serde_json::from_value(e.kept.clone()).ok());
    let mut intakes = intakes.filter_map(|e| match e {
        Entry::Intake { intake } => Some(intake),
        _ => None,
    });
    let intake = intakes.next_back().unwrap_or_else(Intake::default);
    shop.vehicles.model(&file.vehicle, &intake.not_fitted)?;
    // First the files, each beside its name, then the job, and with its number known they are named.
    let mut coming = Vec::new();
    let told: Vec<u64> = file.entries.iter().filter_map(|e| files_of(&e.kept)).collect();
    for (number, data) in file.files.iter().filter(|(number, _)| told.contains(*number)) {
        let bytes = STANDARD
            .decode(data)
            .map_err(|e| Problem::input(format!("file {number} of the job is damaged: {e}")))?;
        let mut incoming = shop.captures.kept.begin(0)?;
        incoming.write(&bytes)?;
        coming.push((*number, incoming));
    }
    let entries: Vec<(String, String)> = (file.entries.into_iter())
        .map(|e| (e.at, e.kept.as_str().map_or_else(|| e.kept.to_string(), str::to_owned)))
        .collect();
    let id = shop.store.take_job(&file.vehicle, &file.opened_at, &entries)?;
    for (number, incoming) in coming {
        incoming.keep_as(id, Some(number))?;
    }
    Ok(id)
}
