//! What modules are set to: shown, written with the way back kept before, taught.

use super::at::{Answer, App, At, Keeping, append, at, begin};
use super::extract::{Json, Key, Path};
use super::problem::Problem;
use crate::bench::BenchError;
use crate::shop::Shop;
use axum::extract::State;
use diagnosis::ledger::Entry;
use diagnosis::plan::{self, AgreesWith};
use diagnosis::setup::{self, FieldChange, RecordWrite, SetupView, Write};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::ToSchema;
use vehicle::vin::DID as VIN;
use vehicle::{PartId, Vehicle, hex};

/// What all modules are set to, and what was left half written.
#[derive(Debug, Serialize, ToSchema)]
pub struct Setups {
    /// By module, those first that something has to be set anew in.
    modules: Vec<SetupView>,
    /// Writes of which nobody knows how they ended.
    half_done: Vec<HalfDone>,
    /// Parts whose replacement wants a plan.
    replaceable: Vec<plan::Replaceable>,
}

/// A write of which nobody knows how it ended.
#[derive(Debug, Serialize, ToSchema)]
pub struct HalfDone {
    /// What it was.
    write: Write,
    /// What it was to change.
    changes: Vec<FieldChange>,
}

/// What modules are set to.
#[utoipa::path(get, path = "/api/jobs/{id}/setup", responses((status = 200, body = Setups)))]
pub async fn setups(State(shop): App, Path(id): Path<i64>) -> Answer<Setups> {
    let here = at(&shop, id).await?;
    let vehicle = &here.model.circuit.vehicle;
    let half = setup::half_done(&here.case).into_iter();
    let half = half
        .map(|w| HalfDone { changes: setup::changes(vehicle, &w.write), write: w.clone() })
        .collect();
    Ok(Json(Setups {
        modules: setup::list(&here.model, &here.case),
        half_done: half,
        replaceable: plan::replaceable(vehicle),
    }))
}

/// A record or an identity of a module.
#[derive(Debug, Deserialize, ToSchema)]
pub struct RecordOf {
    module: PartId,
    /// Identifier; F190 for the vehicle's identity.
    did: u16,
}

/// What writing it would change.
#[derive(Debug, Serialize, ToSchema)]
pub struct WouldChange {
    /// Field by field; empty when it holds already what it should.
    changes: Vec<FieldChange>,
    /// What is there now, hexadecimal.
    old: String,
    /// What it should be.
    new: String,
    /// Where what no field names is from, in words.
    from: String,
    /// Fields of other modules that have to hold the same.
    agrees_with: Vec<AgreesWith>,
}

/// Reads what is there, and what should be.
async fn wanted(
    shop: &Arc<Shop>,
    id: i64,
    here: &At,
    of: RecordOf,
) -> Result<(RecordWrite, String), Problem> {
    let vehicle: &Vehicle = &here.model.circuit.vehicle;
    let old = shop.bench(id).record(vehicle, &of.module, of.did).await.map_err(Problem::bench)?;
    let vin = &here.case.intake.vin;
    let (new, from) = match (of.did, vin.len()) {
        (VIN, 17) => (vin.as_bytes().to_vec(), "the job's vehicle number".to_owned()),
        (VIN, n) => {
            return Err(Problem::field(
                "did",
                format!(
                    "the job's vehicle number has {n} characters, not 17; see to it at the intake"
                ),
            ));
        }
        (did, _) => {
            let (new, from) = plan::to_write(vehicle, &here.case, (&of.module, did), &old);
            (new, from.words())
        }
    };
    let (old, new) = (hex::digits(&old), hex::digits(&new));
    Ok((RecordWrite { module: of.module, did: of.did, old, new }, from))
}

/// Reads a record and tells what writing it as it should be would change; writes nothing.
#[utoipa::path(post, path = "/api/jobs/{id}/would-write", request_body = RecordOf, responses((status = 200, body = WouldChange)))]
pub async fn would_write(
    State(shop): App,
    Path(id): Path<i64>,
    Json(of): Json<RecordOf>,
) -> Answer<WouldChange> {
    let here = at(&shop, id).await?;
    let (write, from) = wanted(&shop, id, &here, of).await?;
    let vehicle = &here.model.circuit.vehicle;
    let changes = setup::changes(vehicle, &write);
    let agrees_with = plan::agree::others(vehicle, &here.case, &write.module, Some(write.did));
    Ok(Json(WouldChange { changes, old: write.old, new: write.new, from, agrees_with }))
}

/// Writes a record or an identity as it should be: what was there is kept before, what is there then is read
/// back.
#[utoipa::path(post, path = "/api/jobs/{id}/write", request_body = RecordOf, responses((status = 200, body = super::at::Kept)))]
pub async fn write(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(of): Json<RecordOf>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let (write, _) = wanted(&shop, id, &here, of).await?;
    if write.old == write.new {
        return Err(Problem::state("it holds that already; nothing was written").into());
    }
    carry_out(&shop, id, &here, write, key).await
}

/// A write to finish, or to put back.
#[derive(Debug, Deserialize, ToSchema)]
pub struct SettleWrite {
    /// Number of its entry.
    of: u64,
    /// What was there before is written back; else it is written again.
    back: bool,
}

/// Finishes a write, or puts back what was there before it.
#[utoipa::path(post, path = "/api/jobs/{id}/settle-write", request_body = SettleWrite, responses((status = 200, body = super::at::Kept)))]
pub async fn settle_write(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(settle): Json<SettleWrite>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let known = here.case.writes.iter().find(|w| w.number == settle.of);
    let Some(begun) = known.map(|w| w.write.clone()) else {
        let why = format!("entry {} is no write", settle.of);
        return Err(Problem::field("of", why).into());
    };
    let vehicle = &here.model.circuit.vehicle;
    let now = shop.bench(id).record(vehicle, &begun.module, begun.did).await;
    let old = hex::digits(&now.map_err(Problem::bench)?);
    let new = if settle.back { begun.old } else { begun.new };
    let write = RecordWrite { module: begun.module, did: begun.did, old, new };
    carry_out(&shop, id, &here, write, key).await
}

/// Keeps what is to be written, writes it, reads it back and keeps that.
async fn carry_out(shop: &Arc<Shop>, id: i64, here: &At, write: RecordWrite, key: Key) -> Keeping {
    let vehicle = &here.model.circuit.vehicle;
    let Some(new) = hex::bytes(&write.new) else {
        return Err(Problem::state("what was to be written cannot be read").into());
    };
    let entry = Entry::Writing { write: write.clone() };
    let begun = append(shop, &here.session, vec![entry], Key::default()).await?.0.number();
    let bench = shop.bench(id);
    let read = bench.write_record(vehicle, &write.module, write.did, &new).await;
    match read {
        Ok(read) => {
            let written = Entry::Written { number: begun, holds: read == new, as_before: false };
            append(shop, &here.session, vec![written], key).await
        }
        Err(why) => {
            // What was there may be there still, or be written already. Where nobody can tell it stays to be
            // settled.
            let is = bench.record(vehicle, &write.module, write.did).await.ok();
            let is = is.map(|data| hex::digits(&data));
            if let Some(is) = is.filter(|is| *is == write.old || *is == write.new) {
                let (holds, as_before) = (is == write.new, is == write.old);
                let written = Entry::Written { number: begun, holds, as_before };
                let kept = append(shop, &here.session, vec![written], key).await?;
                if holds {
                    return Ok(kept);
                }
            }
            Err(Problem::bench(why).into())
        }
    }
}

/// A setting to teach.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Teach {
    setting: String,
}

/// Teaches a module something; a refusal is kept as well.
#[utoipa::path(post, path = "/api/jobs/{id}/teach", request_body = Teach, responses((status = 200, body = super::at::Kept)))]
pub async fn teach(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(wanted): Json<Teach>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let vehicle = &here.model.circuit.vehicle;
    let Some(setting) = vehicle.settings().find(|s| s.id == wanted.setting) else {
        let why = format!("this vehicle has no setting “{}”", wanted.setting);
        return Err(Problem::field("setting", why).into());
    };
    let bench = shop.bench(id);
    // It is proven, not believed: what it should change is read before and after.
    let was = bench.held(vehicle, setting).await;
    let taught = bench.teach(vehicle, setting).await;
    let is = bench.held(vehicle, setting).await;
    let proof = was.zip(is.clone());
    let not_taken = || {
        let is = is.filter(|is| *is != setup::in_word(vehicle, setting, setting.sound))?;
        Some(BenchError::NotTaken(setting.name.clone(), is))
    };
    let trouble = taught.err().or_else(not_taken);
    let entry = Entry::Taught {
        setting: setting.id.clone(),
        trouble: trouble.as_ref().map(ToString::to_string).unwrap_or_default(),
        proof: proof.map(|(was, is)| [was, is]),
    };
    match trouble {
        None => append(&shop, &here.session, vec![entry], key).await,
        Some(why) => {
            append(&shop, &here.session, vec![entry], Key::default()).await?;
            Err(Problem::bench(why).into())
        }
    }
}

/// A module.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Restart {
    module: PartId,
}

/// Lets a module start anew; whether it did is told by its falling silent and answering again, and kept.
#[utoipa::path(post, path = "/api/jobs/{id}/restart", request_body = Restart, responses((status = 200, body = super::at::Kept)))]
pub async fn restart(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(wanted): Json<Restart>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let (vehicle, module) = (&here.model.circuit.vehicle, &wanted.module);
    let seen = shop.bench(id).restart(vehicle, module).await.map_err(Problem::bench)?;
    let entry = Entry::Restarted { module: module.clone(), seen };
    append(&shop, &here.session, vec![entry], key).await
}
