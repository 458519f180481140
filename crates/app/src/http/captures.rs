//! Captures of buses: taken in, and looked at.

use super::at::{Answer, App, At, Keeping, at, begin, keep};
use super::extract::{Json, Key, Path, Query};
use super::problem::Problem;
use crate::captures::{Hints, Opened, bus, read};
use crate::shop::Shop;
use ::bus::findings::Kind;
use ::bus::format::FormatError;
use axum::body::Body;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use diagnosis::ledger::{Capture, CaptureOf, Entry};
use diagnosis::tapped;
use http_body_util::BodyExt;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::{IntoParams, ToSchema};

/// Largest file taken in, bytes.
const MOST: u64 = 2 << 30;
/// Longest name kept, letters.
const LONGEST: usize = 120;
/// Columns of a picture, and frames of a page, at most.
const COLUMNS: usize = 4000;
const FRAMES: usize = 500;

/// What comes in.
#[derive(Debug, Deserialize, IntoParams)]
pub struct Coming {
    /// Name of its file.
    name: String,
    /// What it is of.
    #[param(inline)]
    bus: CaptureOf,
    /// Samples a second, for CSV without a time column.
    sample_rate: Option<f64>,
}

/// Takes a capture in: CSV of voltages, a candump log or pcapng as the body. Kept whole or not at all;
/// what cannot be read is refused with its line.
#[utoipa::path(post, path = "/api/jobs/{id}/captures", params(Coming), request_body(content = Vec<u8>, content_type = "application/octet-stream"), responses((status = 200, body = super::at::Kept)))]
pub async fn take_capture(
    State(shop): App,
    Path(id): Path<i64>,
    Query(coming): Query<Coming>,
    key: Key,
    body: Body,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let name = called(&coming.name)?;
    let step_s = coming.sample_rate.map(|r| 1.0 / r);
    if step_s.is_some_and(|s| !s.is_finite() || s <= 0.0) {
        return Err(Problem::field("sample_rate", "it must be above zero").into());
    }
    let (number, bytes, opened) = taken(&shop, id, coming.bus, step_s, body).await?;
    shop.captures.hold(id, number, opened);
    let tapped = None;
    let capture = Capture { number, name, bus: coming.bus, bytes, step_s, tapped };
    keep(&shop, &here.session, vec![Entry::Captured { capture }], key).await
}

/// The name of something that is kept, as it is shown.
pub(super) fn called(name: &str) -> Result<String, Problem> {
    let name: String = name.trim().chars().filter(|c| !c.is_control()).take(LONGEST).collect();
    match name.is_empty() {
        true => Err(Problem::field("name", "say what it is called")),
        false => Ok(name),
    }
}

/// Writes what comes in beside the database, reads it, and gives it its number.
async fn taken(
    shop: &Arc<Shop>,
    job: i64,
    of: CaptureOf,
    step_s: Option<f64>,
    mut body: Body,
) -> Result<(u64, u64, Arc<Opened>), Problem> {
    let mut incoming = shop.captures.kept.begin(job)?;
    while let Some(frame) = body.frame().await {
        // A window that was closed, or a transfer that was given up: nothing of it is kept.
        let frame = frame.map_err(|e| Problem::input(format!("the transfer broke off: {e}")))?;
        if let Ok(data) = frame.into_data() {
            incoming.write(&data)?;
        }
        if incoming.bytes() > MOST {
            return Err(Problem::input("the file is larger than 2 GB; cut it before"));
        }
    }
    if incoming.bytes() == 0 {
        return Err(Problem::input("the file is empty"));
    }
    let path = incoming.path().to_owned();
    let work = move || {
        let content = read(&path, &Hints { step_s, time_unit_s: None });
        let content = content.map_err(|why| match why {
            FormatError::NoTimes => Problem::field("sample_rate", why),
            _ => Problem::input(why),
        })?;
        Opened::of(content, of).map_err(Problem::input)
    };
    let opened = tokio::task::spawn_blocking(work).await??;
    let bytes = incoming.bytes();
    Ok((incoming.keep()?, bytes, Arc::new(opened)))
}

/// A capture as it is listed.
#[derive(Debug, Serialize, ToSchema)]
pub struct CaptureRow {
    /// Number in the job.
    number: u64,
    /// Name of its file.
    name: String,
    /// What it is of.
    bus: String,
    /// Length of the file, bytes.
    bytes: u64,
}

/// The captures of a job.
#[utoipa::path(get, path = "/api/jobs/{id}/captures", responses((status = 200, body = [CaptureRow])))]
pub async fn captures(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<CaptureRow>> {
    let here = at(&shop, id).await?;
    let of = |c: &Capture| CaptureRow {
        number: c.number,
        name: c.name.clone(),
        bus: bus(c.bus).to_owned(),
        bytes: c.bytes,
    };
    Ok(Json(here.case.captures.iter().map(of).collect()))
}

/// A job's capture by its number.
fn known(here: &At, number: u64) -> Result<Capture, Problem> {
    let found = here.case.captures.iter().find(|c| c.number == number);
    found.cloned().ok_or_else(|| Problem::missing(format!("this job has no capture {number}")))
}

pub(super) async fn opened(shop: &Arc<Shop>, id: i64, number: u64) -> Result<Arc<Opened>, Problem> {
    let here = at(shop, id).await?;
    let capture = known(&here, number)?;
    let shop = Arc::clone(shop);
    let work = move || shop.captures.opened(id, &capture);
    tokio::task::spawn_blocking(work).await?.map_err(Problem::input)
}

/// Something wrong with a bus, with the numbers behind it.
#[derive(Debug, Serialize, ToSchema)]
pub struct CaptureFinding {
    /// What kind.
    #[schema(value_type = String)]
    kind: Kind,
    /// In words.
    text: String,
    /// Where to look, seconds.
    at_s: f64,
    /// What was measured, and what it should not be beyond.
    measured: f64,
    limit: f64,
    unit: String,
}

/// A line of a capture.
#[derive(Debug, Serialize, ToSchema)]
pub struct CaptureLine {
    /// As the file calls it.
    name: String,
    /// What it was read as; empty where it was not.
    role: String,
    /// Least value, volts.
    low: f32,
    /// Largest value, volts.
    high: f32,
}

/// What stands in a capture.
#[derive(Debug, Serialize, ToSchema)]
pub struct CaptureContent {
    /// `can`, `can_fd` or `lin`.
    bus: String,
    /// Id of the bus in the vehicle, by where it was tapped or by its identifiers; empty where the vehicle
    /// has none of the kind.
    of_bus: String,
    /// Spot where it was tapped; empty where that is not known.
    tapped_at: String,
    /// Bit rate, bit/s; none where it is not known.
    bit_rate: Option<f64>,
    /// Bit rate of the data phase.
    data_rate: Option<f64>,
    /// The lines; none where the file holds frames alone.
    lines: Vec<CaptureLine>,
    /// Start, seconds.
    from_s: f64,
    /// End, seconds.
    to_s: f64,
    /// Time between two samples, seconds; 0 for frames alone.
    step_s: f64,
    /// Samples of each line.
    samples: usize,
    /// Levels of the bus at rest and dominant, volts.
    levels: Option<[f64; 2]>,
    /// Share of the time that the bus is taken.
    load: f64,
    /// Frames, and how many of them are not right.
    frames: usize,
    wrong: usize,
    /// What is found to be wrong.
    findings: Vec<CaptureFinding>,
    /// Why no frame could be read; empty when one could.
    trouble: String,
}

/// What stands in a capture.
#[utoipa::path(get, path = "/api/jobs/{id}/captures/{number}", responses((status = 200, body = CaptureContent)))]
pub async fn capture(
    State(shop): App,
    Path((id, number)): Path<(i64, u64)>,
) -> Answer<CaptureContent> {
    let opened = opened(&shop, id, number).await?;
    let here = at(&shop, id).await?;
    let tapped = known(&here, number)?.tapped;
    let identifiers: Vec<u32> =
        opened.frames.iter().filter_map(|f| u32::from_str_radix(&f.id, 16).ok()).collect();
    let guess = || tapped::bus_of(&here.model, opened.bus == "lin", &identifiers);
    let of_bus = tapped.as_ref().map(|t| t.bus.clone()).or_else(guess).unwrap_or_default();
    let reading = opened.reading.as_ref();
    let ends = [opened.frames.first(), opened.frames.last()];
    let frames_span = ends.map(|f| f.map_or(0.0, |f| f.span_s[0]));
    let lines = |r: &crate::captures::Reading| {
        let of = |((channel, pyramid), role): ((&bus::Channel, &bus::pyramid::Pyramid), &str)| {
            let all = pyramid.view(&channel.volts, 0, channel.volts.len(), 1);
            let (low, high) = all.first().copied().unwrap_or_default();
            CaptureLine { name: channel.name.clone(), role: role.to_owned(), low, high }
        };
        r.trace.channels.iter().zip(&r.pyramids).zip(r.roles()).map(of).collect()
    };
    let [from_s, to_s] =
        reading.map_or(frames_span, |r| [r.trace.start_s, r.trace.time(r.trace.len() as f64)]);
    let found = opened.findings.iter().map(|f| CaptureFinding {
        kind: f.kind,
        text: f.text.clone(),
        at_s: f.at_s,
        measured: f.measured,
        limit: f.limit,
        unit: f.unit.to_owned(),
    });
    Ok(Json(CaptureContent {
        bus: opened.bus.to_owned(),
        of_bus,
        tapped_at: tapped.map(|t| t.spot).unwrap_or_default(),
        bit_rate: opened.bit_rates.map(|r| r[0]),
        data_rate: opened.bit_rates.map(|r| r[1]),
        lines: reading.map_or(Vec::new(), lines),
        from_s,
        to_s,
        step_s: reading.map_or(0.0, |r| r.trace.step_s),
        samples: reading.map_or(0, |r| r.trace.len()),
        levels: reading.and_then(|r| r.levels),
        load: reading.map_or(0.0, |r| r.load),
        frames: opened.frames.len(),
        wrong: opened.frames.iter().filter(|f| f.is_wrong()).count(),
        findings: found.collect(),
        trouble: opened.trouble.clone(),
    }))
}

/// A stretch of time.
#[derive(Debug, Deserialize, IntoParams)]
pub struct Stretch {
    /// From, seconds.
    from_s: f64,
    /// To, seconds.
    to_s: f64,
    /// Columns of the picture, or frames at most.
    most: usize,
}

/// Least and largest values of the lines over a stretch.
#[derive(Debug, Serialize, ToSchema)]
pub struct CaptureView {
    /// Start of what is shown, seconds.
    from_s: f64,
    /// Its end, seconds.
    to_s: f64,
    /// For each line, least and largest value by turns, column after column, volts.
    lines: Vec<Vec<f32>>,
}

/// A stretch of the voltages, as few thousand values however long it is.
#[utoipa::path(get, path = "/api/jobs/{id}/captures/{number}/view", params(Stretch), responses((status = 200, body = CaptureView)))]
pub async fn capture_view(
    State(shop): App,
    Path((id, number)): Path<(i64, u64)>,
    Query(wanted): Query<Stretch>,
) -> Answer<CaptureView> {
    let opened = opened(&shop, id, number).await?;
    let Some(reading) = &opened.reading else {
        return Err(Problem::input("this capture holds frames alone, and no voltages"));
    };
    let trace = &reading.trace;
    let sample = |s: f64| ((s - trace.start_s) / trace.step_s).clamp(0.0, trace.len() as f64);
    let (from, to) = (sample(wanted.from_s).floor() as usize, sample(wanted.to_s).ceil() as usize);
    let columns = wanted.most.clamp(1, COLUMNS);
    let work = {
        let opened = Arc::clone(&opened);
        move || {
            let reading = opened.reading.as_ref()?;
            let lines = reading.pyramids.iter().zip(&reading.trace.channels);
            let flat = |(p, c): (&bus::pyramid::Pyramid, &bus::Channel)| {
                let pairs = p.view(&c.volts, from, to, columns);
                pairs.into_iter().flat_map(|(low, high)| [low, high]).collect()
            };
            Some(lines.map(flat).collect())
        }
    };
    let lines = tokio::task::spawn_blocking(work).await?.unwrap_or_default();
    let [from_s, to_s] = [from, to].map(|k| trace.time(k as f64));
    Ok(Json(CaptureView { from_s, to_s, lines }))
}

/// A frame as it is shown.
#[derive(Debug, Serialize, ToSchema)]
pub struct CaptureFrame {
    /// Its number in the capture, from 0.
    number: usize,
    /// Where it begins, seconds.
    from_s: f64,
    /// Where it ends, seconds.
    to_s: f64,
    /// Identifier; empty where it is not known.
    id: String,
    /// Data, two digits a byte.
    data: String,
    /// What is wrong with it; empty when nothing is.
    error: String,
}

/// Frames of a stretch, the first ones of it.
#[derive(Debug, Serialize, ToSchema)]
pub struct CaptureFrames {
    /// Frames.
    frames: Vec<CaptureFrame>,
    /// How many there are in the stretch.
    all: usize,
}

/// The frames that lie in a stretch.
#[utoipa::path(get, path = "/api/jobs/{id}/captures/{number}/frames", params(Stretch), responses((status = 200, body = CaptureFrames)))]
pub async fn capture_frames(
    State(shop): App,
    Path((id, number)): Path<(i64, u64)>,
    Query(wanted): Query<Stretch>,
) -> Answer<CaptureFrames> {
    let opened = opened(&shop, id, number).await?;
    let all = &opened.frames;
    let first = all.partition_point(|f| f.span_s[1] < wanted.from_s);
    let last = all.partition_point(|f| f.span_s[0] <= wanted.to_s).max(first);
    let row = |(k, f): (usize, &crate::captures::opened::Shown)| CaptureFrame {
        number: first + k,
        from_s: f.span_s[0],
        to_s: f.span_s[1],
        id: f.id.clone(),
        data: f.data.clone(),
        error: f.error.clone().unwrap_or_default(),
    };
    let most = wanted.most.clamp(1, FRAMES);
    let frames = all[first..last].iter().enumerate().take(most).map(row).collect();
    Ok(Json(CaptureFrames { frames, all: last - first }))
}

/// Which frame.
#[derive(Debug, Deserialize, IntoParams)]
pub struct OfFrame {
    /// Its number in the capture, from 0.
    frame: usize,
}

/// A bit of a frame.
#[derive(Debug, Serialize, ToSchema)]
pub struct CaptureBit {
    /// Where it begins, seconds.
    from_s: f64,
    /// Where it ends, seconds.
    to_s: f64,
    /// It drives the lines.
    dominant: bool,
    /// The field it belongs to.
    field: String,
}

/// The bits of a CAN frame as they lie in the voltages; none where it broke off.
#[utoipa::path(get, path = "/api/jobs/{id}/captures/{number}/bits", params(OfFrame), responses((status = 200, body = [CaptureBit])))]
pub async fn capture_bits(
    State(shop): App,
    Path((id, number)): Path<(i64, u64)>,
    Query(of): Query<OfFrame>,
) -> Answer<Vec<CaptureBit>> {
    let opened = opened(&shop, id, number).await?;
    let bits = opened.bits(of.frame).into_iter().map(|b| CaptureBit {
        from_s: b.span_s[0],
        to_s: b.span_s[1],
        dominant: b.dominant,
        field: b.field.to_owned(),
    });
    Ok(Json(bits.collect()))
}

/// The file as it came in.
#[utoipa::path(get, path = "/api/jobs/{id}/captures/{number}/file", responses((status = 200, body = Vec<u8>, content_type = "application/octet-stream")))]
pub async fn capture_file(
    State(shop): App,
    Path((id, number)): Path<(i64, u64)>,
) -> Result<Response, Problem> {
    let here = at(&shop, id).await?;
    let capture = known(&here, number)?;
    let gone = || Problem::missing(format!("the file of “{}” is gone", capture.name));
    let path = shop.captures.kept.path(id, number).ok_or_else(gone)?;
    let bytes = tokio::fs::read(path).await.map_err(|_| gone())?;
    let plain: String =
        capture.name.chars().filter(|c| c.is_ascii_alphanumeric() || "._-".contains(*c)).collect();
    let head = [
        (header::CONTENT_TYPE, "application/octet-stream".to_owned()),
        (header::CONTENT_DISPOSITION, format!("attachment; filename=\"{plain}\"")),
    ];
    Ok((head, bytes).into_response())
}
