//! Everything a technician enters.

use super::at::{
    App, Keeping, Kept, append, at, away, begin, is_open, keep, keep_evidence, not_before, session,
};
use super::extract::{Json, Key, Path, not_longer};
use super::jobs::assessed;
use super::problem::Problem;
use super::reasoning::ask;
use crate::shop::Shop;
use axum::extract::State;
use circuit::Instrument;
use diagnosis::evidence::{Finding, Present};
use diagnosis::ledger::{Entry, Intake, Suspected};
use diagnosis::suspects::Suspect;
use diagnosis::{Evidence, Model, gate};
use serde::Deserialize;
use std::sync::Arc;
use utoipa::ToSchema;
use vehicle::{Item, OperatingState, Quantity, parse_quantity};

/// Longest text kept in one field, bytes.
const LONGEST: usize = 8000;
/// Longest identity or reference, bytes.
const LONGEST_NAME: usize = 120;

/// What else is suspected when something is repaired is kept from this probability on, and so many of it.
const BESIDE: f64 = 0.03;
const MOST_BESIDE: usize = 6;

/// Most an odometer shows, kilometres.
const LONGEST_WAY: u32 = 9_999_999;

/// Refuses an intake that speaks of equipment the vehicle file does not know, or is too long.
pub(super) fn fits(shop: &Shop, vehicle: &str, intake: &Intake) -> Result<(), Problem> {
    let texts = [
        ("complaint", &intake.complaint),
        ("conditions", &intake.conditions),
        ("lamps", &intake.lamps),
    ];
    for (field, text) in texts {
        not_longer(field, text, LONGEST)?;
    }
    if intake.odometer_km > LONGEST_WAY {
        return Err(Problem::field("odometer_km", "this is more than any vehicle drives"));
    }
    not_longer("vin", &intake.vin, LONGEST_NAME)?;
    not_longer("reference", &intake.reference, LONGEST_NAME)?;
    Ok(shop.vehicles.knows(vehicle, &intake.not_fitted)?)
}

/// Refuses an intake that names what the vehicle as it is equipped does not have.
pub(super) fn names(model: &Model, intake: &Intake) -> Result<(), Problem> {
    let v = &model.circuit.vehicle;
    let unknown = |field: &str, what: &str, id: &str| {
        Err(Problem::field(field, format!("there is no {what} “{id}” in this vehicle")))
    };
    let has_effect = |id: &str| {
        model
            .circuit
            .part(id)
            .is_some_and(|p| v.parts[p].elements.iter().any(|e| e.effect().is_some()))
    };
    let known = v.outputs.iter().any(|o| o.id == intake.output) || has_effect(&intake.output);
    if !intake.output.is_empty() && !known {
        return unknown("output", "output or part with an effect", &intake.output);
    }
    if !intake.shows_in.is_empty() && v.states.iter().all(|s| s.id != intake.shows_in) {
        return unknown("shows_in", "state", &intake.shows_in);
    }
    let known = |at: &str| circuit::place::exists(&model.circuit, at);
    match intake.recent.iter().find(|r| !known(&r.at)) {
        Some(other) => unknown("recent", "place or thing", &other.at),
        None => Ok(()),
    }
}

/// Identity and complaint.
#[utoipa::path(post, path = "/api/jobs/{id}/intake", request_body = Intake, responses((status = 200, body = Kept)))]
pub async fn intake(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(intake): Json<Intake>,
) -> Keeping {
    let here = at(&shop, id).await?;
    let checked = intake.clone();
    away(&shop, &here, move |shop, session, _| {
        let file = &session.job.vehicle;
        fits(shop, file, &checked)?;
        names(&shop.vehicles.model(file, &checked.not_fitted)?.0, &checked)
    })
    .await?;
    keep(&shop, &here.session, vec![Entry::Intake { intake }], key).await
}

/// Whether the symptom is there.
#[derive(Debug, Deserialize, ToSchema)]
pub struct SymptomNow {
    present: Present,
}

/// Symptom present now.
#[utoipa::path(post, path = "/api/jobs/{id}/symptom", request_body = SymptomNow, responses((status = 200, body = Kept)))]
pub async fn symptom(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(now): Json<SymptomNow>,
) -> Keeping {
    let job = session(&shop, id).await?;
    keep(&shop, &job, vec![Entry::Symptom { present: now.present }], key).await
}

/// A typed reading.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Typed {
    quantity: Instrument,
    red: String,
    #[serde(default)]
    black: String,
    /// As typed: `11.8`, `0.2k`, `OL`.
    text: String,
    state: OperatingState,
}

/// Takes a typed reading.
#[utoipa::path(post, path = "/api/jobs/{id}/reading", request_body = Typed, responses((status = 200, body = Kept)))]
pub async fn reading(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(typed): Json<Typed>,
) -> Keeping {
    let here = at(&shop, id).await?;
    let instrument = typed.quantity;
    let wrong = |why: String| Problem::field("text", why);
    let value = match parse_quantity(&typed.text, instrument.unit())
        .map_err(|e| wrong(e.to_string()))?
    {
        Quantity::Value(v) => Some(v),
        // A blown fuse of the tool is typed the same way.
        Quantity::OverLimit
            if matches!(instrument, Instrument::Ohms | Instrument::Shunt | Instrument::Jumper) =>
        {
            None
        }
        Quantity::OverLimit => {
            return Err(wrong(format!(
                "OL on {} means the range was too small; switch the meter's range and type the number",
                instrument.unit()
            )).into());
        }
    };
    let finding = Finding::Reading { instrument, red: typed.red, black: typed.black, value };
    keep_evidence(&shop, &here, vec![], Evidence::new(typed.state, finding), "typed", key).await
}

/// Two values that a meter held, as typed.
#[derive(Debug, Deserialize, ToSchema)]
pub struct TypedRecording {
    quantity: Instrument,
    red: String,
    #[serde(default)]
    black: String,
    /// The lowest value as typed: `0.2`.
    low: String,
    /// The highest.
    high: String,
    state: OperatingState,
}

/// Takes the lowest and the highest value that a meter held.
#[utoipa::path(post, path = "/api/jobs/{id}/recording", request_body = TypedRecording, responses((status = 200, body = Kept)))]
pub async fn recording(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(typed): Json<TypedRecording>,
) -> Keeping {
    let here = at(&shop, id).await?;
    let instrument = typed.quantity;
    let value = |field: &str, text: &str| match parse_quantity(text, instrument.unit()) {
        Ok(Quantity::Value(v)) => Ok(v),
        Ok(Quantity::OverLimit) => {
            Err(Problem::field(field, "the range was too small; record it again in a larger one"))
        }
        Err(e) => Err(Problem::field(field, e.to_string())),
    };
    let (low, high) = (value("low", &typed.low)?, value("high", &typed.high)?);
    if low > high {
        return Err(Problem::field("low", "the lowest value is above the highest").into());
    }
    let (red, black) = (typed.red, typed.black);
    let finding = Finding::Recorded { instrument, red, black, low, high };
    keep_evidence(&shop, &here, vec![], Evidence::new(typed.state, finding), "typed", key).await
}

/// A check that cannot be done.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Refusal {
    check: String,
}

/// Refuses a check.
#[utoipa::path(post, path = "/api/jobs/{id}/refuse", request_body = Refusal, responses((status = 200, body = Kept)))]
pub async fn refuse(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(refusal): Json<Refusal>,
) -> Keeping {
    if refusal.check.trim().is_empty() {
        return Err(Problem::field("check", "say which check cannot be done").into());
    }
    not_longer("check", &refusal.check, LONGEST)?;
    let job = session(&shop, id).await?;
    keep(&shop, &job, vec![Entry::Refused { check: refusal.check.into() }], key).await
}

/// Doubt about an entry.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Doubt {
    number: u64,
    doubted: bool,
}

/// Doubts a piece of evidence, or believes it again.
#[utoipa::path(post, path = "/api/jobs/{id}/doubt", request_body = Doubt, responses((status = 200, body = Kept)))]
pub async fn doubt(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(doubt): Json<Doubt>,
) -> Keeping {
    let job = session(&shop, id).await?;
    let entries = job.entries();
    let meant = entries.iter().find(|e| e.number == doubt.number);
    match meant.map(|e| &e.entry) {
        None => {
            let last = job.last();
            return Err(Problem::field("number", format!("the ledger ends at entry {last}")).into());
        }
        Some(e) if !e.is_evidence() => {
            return Err(Problem::field(
                "number",
                format!("entry {} is no finding; only what was found can be doubted", doubt.number),
            )
            .into());
        }
        Some(_) => {}
    }
    let entry = Entry::Doubted { number: doubt.number, doubted: doubt.doubted };
    keep(&shop, &job, vec![entry], key).await
}

/// A remark.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Remark {
    text: String,
}

/// Writes a remark.
#[utoipa::path(post, path = "/api/jobs/{id}/note", request_body = Remark, responses((status = 200, body = Kept)))]
pub async fn note(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(r): Json<Remark>,
) -> Keeping {
    if r.text.trim().is_empty() {
        return Err(Problem::field("text", "type the remark first").into());
    }
    not_longer("text", &r.text, LONGEST)?;
    let job = session(&shop, id).await?;
    keep(&shop, &job, vec![Entry::Note { text: r.text }], key).await
}

/// A repair.
#[derive(Debug, Deserialize, ToSchema)]
pub struct NewRepair {
    item: Item,
    text: String,
}

/// Writes down the repair; in the demo the hands do it.
#[utoipa::path(post, path = "/api/jobs/{id}/repair", request_body = NewRepair, responses((status = 200, body = Kept)))]
pub async fn repair(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(new): Json<NewRepair>,
) -> Keeping {
    not_longer("text", &new.text, LONGEST)?;
    let here = begin(&shop, id, &key).await?;
    if here.model.item(&new.item).is_none_or(|k| k == here.model.elsewhere()) {
        return Err(Problem::field(
            "item",
            format!("“{}” cannot be repaired; choose a suspect", new.item),
        )
        .into());
    }
    if here.case.repair.as_ref().is_some_and(|r| r.item == new.item && r.text == new.text)
        && here.case.after.is_empty()
    {
        return Err(Problem::state("this repair is written down already; prove it now").into());
    }
    if gate::is_module(&here.model.circuit, &new.item)
        && let Some(module) = new.item.as_part().map(str::to_owned)
    {
        let overridden = here.case.overridden.iter().any(|(_, m, _)| *m == module);
        let of = module.clone();
        let gate = ask(Arc::clone(&shop), id, move |k| {
            gate::gate(&k.at.model, &k.evidence, &k.posterior, &of)
        });
        let open = gate.await?.0.map_or(0, |g| g.open);
        if open > 0 && !overridden {
            return Err(Problem::state(format!(
                "{module} is a module: {open} points are still open before it may be named. Prove them, or override with a reason"
            )).into());
        }
    }
    let before = assessed(&shop, &here.session).await?;
    let bench = shop.bench(id);
    // Where it was decided what goes in its place, that is what the hands put in.
    let decided = here.case.decision.as_ref().map(|(_, d)| d);
    let decided = decided.filter(|d| new.item.as_part() == Some(d.part.as_str()));
    let origin = decided.map(|d| d.origin);
    let differs: Vec<String> = decided.map_or_else(Vec::new, |d| {
        let of = here.model.circuit.vehicle.parts.iter().find(|p| p.id == d.part);
        let variant = of.and_then(|p| p.variants.iter().find(|v| v.number == d.number));
        variant.map_or_else(Vec::new, |v| v.differs.clone())
    });
    bench
        .hands(
            "/repair",
            &serde_json::json!({"item": new.item, "origin": origin, "differs": differs}),
        )
        .await
        .map_err(Problem::vehicle)?;
    let a = &before.assessment;
    let is_other = |s: &&Suspect| s.repair_item != new.item && s.repair_item != Item::Elsewhere;
    let others = a.suspects.iter().filter(is_other).filter(|s| s.probability >= BESIDE);
    let beside = others.take(MOST_BESIDE).map(|s| Suspected {
        item: s.repair_item.clone(),
        text: s.text.clone(),
        probability: s.probability,
    });
    let beside = beside.collect();
    let entry = Entry::Repaired {
        beside,
        probability: a.halos.get(&new.item).copied().unwrap_or(0.0),
        proven: a.certain.as_ref().is_some_and(|c| c.item == new.item && c.proven),
        item: new.item,
        text: new.text,
    };
    keep(&shop, &here.session, vec![entry], key).await
}

/// How a job is signed off.
#[derive(Debug, Default, Deserialize, ToSchema)]
pub struct SigningOff {
    /// Why, where something that was to be proven is not.
    #[serde(default)]
    reason: String,
}

/// Signs the job off; what is not proven is named with it.
#[utoipa::path(post, path = "/api/jobs/{id}/sign-off", request_body = Option<SigningOff>, responses((status = 200, body = Kept)))]
pub async fn sign_off(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    with: Option<Json<SigningOff>>,
) -> Keeping {
    let reason = with.map(|w| w.0.reason.trim().to_owned()).unwrap_or_default();
    not_longer("reason", &reason, LONGEST)?;
    let job = session(&shop, id).await?;
    let told = |e: &Entry| !matches!(e, Entry::Intake { .. } | Entry::State { .. });
    if !job.entries().iter().any(|e| told(&e.entry)) {
        return Err(Problem::state(
            "nothing was found or written down yet; write at least a note of why it is closed",
        )
        .into());
    }
    not_before(&shop, &job, &key).await?;
    is_open(&job)?;
    let view = super::report::whole(&shop, id).await?;
    if view.wants_reason && reason.is_empty() {
        let open = view.unproven.first().map_or("", String::as_str);
        let why =
            format!("something is not proven ({open}); say why it is signed off all the same");
        return Err(Problem::field("reason", why).into());
    }
    keep(&shop, &job, vec![Entry::SignedOff { open: view.unproven, reason }], key).await
}

/// Why a job is opened again.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Comeback {
    reason: String,
}

/// Opens a job again that was signed off.
#[utoipa::path(post, path = "/api/jobs/{id}/reopen", request_body = Comeback, responses((status = 200, body = Kept)))]
pub async fn reopen(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(new): Json<Comeback>,
) -> Keeping {
    if new.reason.trim().is_empty() {
        return Err(Problem::field("reason", "say why it is opened again").into());
    }
    not_longer("reason", &new.reason, LONGEST)?;
    let job = session(&shop, id).await?;
    not_before(&shop, &job, &key).await?;
    if !job.signed_off() {
        return Err(Problem::state("this job is open").into());
    }
    append(&shop, &job, vec![Entry::Reopened { reason: new.reason }], key).await
}
