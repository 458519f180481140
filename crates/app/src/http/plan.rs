//! The plan of a replacement: what can go in, what was decided, what the old unit holds kept, the steps.

use super::at::{Answer, App, At, Keeping, at, away, begin, keep};
use super::extract::{Json, Key, Path, Query, not_longer};
use super::problem::Problem;
use crate::bench::{BenchError, Unanswered};
use crate::shop::Shop;
use axum::extract::State;
use diagnosis::ledger::Entry;
use diagnosis::plan::{self, Decision, KeptRecord, RecordSource, Replacement, ReplacementPlan};
use diagnosis::setup;
use serde::Deserialize;
use std::sync::Arc;
use utoipa::{IntoParams, ToSchema};
use vehicle::{PartId, hex};

/// Longest name of who agreed, characters.
const LONGEST: usize = 200;

/// A part.
#[derive(Debug, Deserialize, IntoParams)]
pub struct OfPart {
    /// Its id.
    #[param(value_type = String)]
    part: PartId,
}

fn is_part(here: &At, part: &PartId) -> Result<(), Problem> {
    match here.model.circuit.part(part) {
        Some(_) => Ok(()),
        None => Err(Problem::field("part", format!("this vehicle has no part “{part}”"))),
    }
}

/// What can go in the place of a part, each with its cost and what follows from it.
#[utoipa::path(get, path = "/api/jobs/{id}/choices", params(OfPart), responses((status = 200, body = [Replacement])))]
pub async fn choices(
    State(shop): App,
    Path(id): Path<i64>,
    Query(of): Query<OfPart>,
) -> Answer<Vec<Replacement>> {
    let here = at(&shop, id).await?;
    is_part(&here, &of.part)?;
    let prices = shop.workshop().prices;
    let solved =
        away(&shop, &here, move |_, _, at| Ok(plan::choices(&at.model, &prices, &of.part)));
    Ok(Json(solved.await?))
}

/// What was decided.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Decide {
    /// The part that is replaced.
    part: PartId,
    /// Part number that goes in; empty: as built.
    #[serde(default)]
    number: String,
    /// It is in already: it was replaced before the vehicle came.
    #[serde(default)]
    already: bool,
    /// Who agreed; empty where nobody was asked.
    #[serde(default)]
    agreed_by: String,
}

/// Writes down what goes in the place of a part, with its cost and what follows from it as they are told now. The
/// plan follows from it.
#[utoipa::path(post, path = "/api/jobs/{id}/decide", request_body = Decide, responses((status = 200, body = super::at::Kept)))]
pub async fn decide(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(wanted): Json<Decide>,
) -> Keeping {
    not_longer("agreed_by", &wanted.agreed_by, LONGEST)?;
    let here = begin(&shop, id, &key).await?;
    is_part(&here, &wanted.part)?;
    let (prices, part) = (shop.workshop().prices, wanted.part.clone());
    let all = away(&shop, &here, move |_, _, at| Ok(plan::choices(&at.model, &prices, &part)));
    let chosen = all.await?.into_iter().find(|c| c.number == wanted.number).ok_or_else(|| {
        let why = format!("nothing with the number “{}” goes in there", wanted.number);
        Problem::field("number", why)
    })?;
    if chosen.discontinued {
        let why = format!("{} is no longer to be had; choose another", chosen.number);
        return Err(Problem::field("number", why).into());
    }
    let decision = Decision {
        part: wanted.part,
        number: chosen.number,
        origin: chosen.origin,
        already: wanted.already,
        cost: chosen.cost,
        currency: chosen.currency,
        consequences: chosen.consequences,
        agreed_by: wanted.agreed_by.trim().to_owned(),
    };
    keep(&shop, &here.session, vec![Entry::Decided { decision }], key).await
}

/// The plan of what was decided last; none where nothing was.
#[utoipa::path(get, path = "/api/jobs/{id}/plan", responses((status = 200, body = Option<ReplacementPlan>)))]
pub async fn steps(State(shop): App, Path(id): Path<i64>) -> Answer<Option<ReplacementPlan>> {
    let here = at(&shop, id).await?;
    Ok(Json(plan::plan(&here.model, &here.case)))
}

/// A module.
#[derive(Debug, Deserialize, ToSchema)]
pub struct OfModule {
    module: PartId,
}

/// Keeps what a unit holds before it is unplugged: read from itself; where it is silent from the copy that another
/// module keeps; else built from the equipment, and marked as that.
#[utoipa::path(post, path = "/api/jobs/{id}/keep-records", request_body = OfModule, responses((status = 200, body = super::at::Kept)))]
pub async fn keep_records(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(of): Json<OfModule>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    is_part(&here, &of.module)?;
    let all = plan::records(&here.model.circuit.vehicle, &of.module);
    if all.is_empty() {
        return Err(Problem::field("module", format!("{} holds no record", of.module)).into());
    }
    let mut records = Vec::new();
    for (did, _) in all {
        if let Some(kept) = record(&shop, id, &here, &of.module, did).await? {
            records.push(kept);
        }
    }
    if records.is_empty() {
        let why = format!("{} is silent, and nobody keeps a copy of what it holds", of.module);
        return Err(Problem::vehicle(why).into());
    }
    keep(&shop, &here.session, vec![Entry::Kept { records }], key).await
}

/// A record from wherever it can be had; none of an identity that cannot be read: that is the job's own.
async fn record(
    shop: &Arc<Shop>,
    id: i64,
    here: &At,
    module: &PartId,
    did: u16,
) -> Result<Option<KeptRecord>, Problem> {
    let (bench, vehicle) = (shop.bench(id), &here.model.circuit.vehicle);
    let kept = |data: Vec<u8>, from| {
        let (module, data) = (module.clone(), hex::digits(&data));
        Some(KeptRecord { module, did, data, from })
    };
    let own = match bench.record(vehicle, module, did).await {
        Ok(data) => return Ok(kept(data, RecordSource::Unit)),
        Err(e) => e,
    };
    // Without a link nobody is silent: nothing is known.
    if !matches!(own, BenchError::Unanswered(Unanswered::Silent(_))) {
        return Err(Problem::bench(own));
    }
    let copies = vehicle.record_copies.iter().filter(|c| c.module == *module && c.did == did);
    for copy in copies {
        if let Ok(data) = bench.record(vehicle, &copy.kept_by, copy.kept_did).await {
            return Ok(kept(data, RecordSource::Copy { of: copy.kept_by.clone() }));
        }
    }
    Ok(setup::built(vehicle, module, did).and_then(|data| kept(data, RecordSource::Equipment)))
}
