//! The levels of a capture: shown beside what is predicted where it was tapped, and let count.

use super::at::{Answer, App, At, Keeping, at, begin, keep};
use super::captures::opened;
use super::extract::{Json, Key, Path, Query};
use super::problem::Problem;
use crate::captures::Opened;
use axum::extract::State;
use diagnosis::ledger::Entry;
use diagnosis::tapped::{self, Seen, Tap};
use diagnosis::{Evidence, words};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use utoipa::{IntoParams, ToSchema};
use vehicle::PartId;

/// Where a capture was taken, and what its levels are compared with.
#[derive(Debug, Deserialize, IntoParams)]
pub struct Tapped {
    /// The bus.
    bus: String,
    /// The member at whose pins it was tapped, or the spot.
    at: String,
    /// A fault whose levels are wanted beside the expected ones.
    #[serde(default)]
    under: Option<String>,
}

/// A level of the bus, as measured and as predicted where it was tapped.
#[derive(Debug, Serialize, ToSchema)]
pub struct CaptureLevel {
    /// Number of the span it was measured over.
    span: usize,
    /// Part that drives; none while nobody does.
    sender: Option<PartId>,
    /// Its name; empty while nobody drives.
    name: String,
    /// Identifiers of its frames in the capture.
    identifiers: Vec<String>,
    /// Frames it was measured in; 0 for the resting level.
    frames: usize,
    /// As measured, volts.
    measured: f64,
    /// On a sound vehicle, volts.
    expected: f64,
    /// Under the fault asked for, volts.
    under: Option<f64>,
}

/// How long a bus takes from nine tenths to one tenth of its step on the way back to rest.
#[derive(Debug, Serialize, ToSchema)]
pub struct CaptureReturns {
    /// As measured, seconds.
    measured_s: f64,
    /// On a sound vehicle, seconds.
    expected_s: f64,
    /// Under the fault asked for, seconds.
    under_s: Option<f64>,
}

/// Levels of a capture.
#[derive(Debug, Serialize, ToSchema)]
pub struct CaptureLevels {
    /// What was measured there, red and black lead each.
    spans: Vec<[String; 2]>,
    /// Span by span the resting level, then each sender's.
    rows: Vec<CaptureLevel>,
    /// The way back to rest; none for LIN.
    returns: Option<CaptureReturns>,
    /// Frames whose identifier the vehicle file does not have.
    unknown: usize,
    /// Findings that weighing them would keep.
    findings: Vec<String>,
}

/// What a capture shows where it was tapped.
fn seen(here: &At, opened: &Opened, bus: &str, at: &str) -> Result<(Tap, Seen), Problem> {
    let model = &here.model;
    let tap = Tap::of(model, bus, at).map_err(|why| Problem::field("at", why))?;
    let is_lin = opened.bus == "lin";
    if is_lin != tap.is_lin() {
        let is = if is_lin { "LIN" } else { "CAN" };
        return Err(Problem::field("bus", format!("this capture is of {is}, and that bus is not")));
    }
    let reading = opened.reading.as_ref();
    let seen = reading.and_then(|r| Seen::of(model, bus, &r.levels_of));
    let state = &here.case.state;
    let seen = seen.zip(reading).map(|(s, r)| match is_lin {
        true => s.with_unanswered(model, state, bus, &r.unanswered),
        false => s.with_missing(model, state, bus, opened.seconds()),
    });
    let none = "levels need both lines of a CAN bus, or the one of LIN, as voltages, with frames that could be read";
    let seen = seen.ok_or_else(|| Problem::input(none))?;
    if let Some(part) = tapped::asleep(model, &here.case.state, &seen) {
        let now = words::state(model, &here.case.state);
        let why = format!(
            "{part} sends in the capture and does not work now ({now}); set the state it was taken in"
        );
        return Err(Problem::state(why));
    }
    Ok((tap, seen))
}

/// The identifiers that each sender has in a capture, as they are shown.
fn identifiers(
    model: &diagnosis::Model,
    bus: &str,
    opened: &Opened,
) -> BTreeMap<PartId, Vec<String>> {
    let shown: BTreeSet<&str> = opened.frames.iter().map(|f| f.id.as_str()).collect();
    let mut out: BTreeMap<PartId, Vec<String>> = BTreeMap::new();
    for id in shown {
        let number = u32::from_str_radix(id, 16).ok();
        let part = number.and_then(|n| tapped::sender_of(model, bus, n));
        if let Some(part) = part {
            out.entry(part).or_default().push(id.to_owned());
        }
    }
    out
}

/// Levels of a capture beside those predicted at the pins of the member where it was tapped, in the state
/// the vehicle is in.
#[utoipa::path(get, path = "/api/jobs/{id}/captures/{number}/levels", params(Tapped), responses((status = 200, body = CaptureLevels)))]
pub async fn capture_levels(
    State(shop): App,
    Path((id, number)): Path<(i64, u64)>,
    Query(tapped): Query<Tapped>,
) -> Answer<CaptureLevels> {
    let opened = opened(&shop, id, number).await?;
    let here = at(&shop, id).await?;
    let work = move || {
        let (model, state) = (&here.model, &here.case.state);
        let (tap, seen) = seen(&here, &opened, &tapped.bus, &tapped.at)?;
        let fault = tapped.under.as_deref().filter(|id| !id.is_empty());
        let fault = fault.map(|id| circuit::fault::by_id(&model.circuit, id)).transpose();
        let fault = fault.map_err(|why| Problem::field("under", why))?;
        let under = fault.as_ref().map(|f| &f.changes[..]);
        let rows = tapped::compared(model, state, &tap, &seen, under).map_err(Problem::input)?;
        let sets: Vec<&[circuit::Change]> = std::iter::once(&[][..]).chain(under).collect();
        let measured = opened.reading.as_ref().and_then(|r| r.returns_s);
        let predicted = measured.map(|_| tapped::edges::returns(model, state, &tap.bus, &sets));
        let predicted = predicted.transpose().map_err(Problem::input)?.flatten();
        let returns = measured.zip(predicted).map(|(measured_s, all)| CaptureReturns {
            measured_s,
            expected_s: all[0],
            under_s: all.get(1).copied(),
        });
        let name = |id: &PartId| {
            model
                .circuit
                .part(id)
                .map_or_else(String::new, |p| model.circuit.vehicle.parts[p].name.clone())
        };
        let own = identifiers(model, &tapped.bus, &opened);
        let rows = rows.into_iter().map(|r| CaptureLevel {
            identifiers: r.sender.as_ref().and_then(|p| own.get(p)).cloned().unwrap_or_default(),
            span: r.span,
            name: r.sender.as_ref().map_or_else(String::new, name),
            sender: r.sender,
            frames: r.frames,
            measured: r.measured,
            expected: r.expected,
            under: r.under,
        });
        let told = |finding| words::evidence(model, &Evidence::new(state.clone(), finding));
        Ok(CaptureLevels {
            rows: rows.collect(),
            unknown: seen.unknown,
            findings: seen.findings(&tap).into_iter().map(told).collect(),
            spans: tap.spans,
            returns,
        })
    };
    tokio::task::spawn_blocking(work).await?.map(Json)
}

/// Where a capture was tapped.
#[derive(Debug, Deserialize, ToSchema)]
pub struct WeighedLevels {
    /// The bus.
    bus: String,
    /// The member at whose pins it was tapped, or the spot.
    at: String,
}

/// Keeps the telling levels of a capture as findings.
#[utoipa::path(post, path = "/api/jobs/{id}/captures/{number}/levels", request_body = WeighedLevels, responses((status = 200, body = super::at::Kept)))]
pub async fn weigh_levels(
    State(shop): App,
    Path((id, number)): Path<(i64, u64)>,
    key: Key,
    Json(tapped): Json<WeighedLevels>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let opened = opened(&shop, id, number).await?;
    // What is expected of a sender is solved: not on the threads that serve requests.
    let work = move || {
        let (tap, seen) = seen(&here, &opened, &tapped.bus, &tapped.at)?;
        let found = |finding| Entry::Found {
            evidence: Evidence::new(here.case.state.clone(), finding),
            by: format!("capture {number}"),
        };
        let entries: Vec<Entry> = seen.findings(&tap).into_iter().map(found).collect();
        Ok::<_, Problem>((here, entries))
    };
    let (here, entries) = tokio::task::spawn_blocking(work).await.map_err(Problem::from)??;
    keep(&shop, &here.session, entries, key).await
}
