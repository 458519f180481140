//! What a driver can ask for, and the chain from wish to effect.

use super::at::{Answer, App, at, away};
use super::extract::{Json, Path};
use super::problem::Problem;
use axum::extract::State;
use diagnosis::request::{self, Chain};
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::PartId;

/// Something a driver can ask for.
#[derive(Debug, Serialize, ToSchema)]
pub struct FunctionRow {
    /// Id.
    id: String,
    /// Name.
    name: String,
    /// Module that decides.
    module: PartId,
    /// Name of the module.
    module_name: String,
    /// Name of the part whose effect is wished for.
    load_name: String,
    /// Conditions that must permit it.
    permits: usize,
}

/// What the driver of this vehicle can ask for.
#[utoipa::path(get, path = "/api/jobs/{id}/functions", responses((status = 200, body = [FunctionRow])))]
pub async fn functions(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<FunctionRow>> {
    let here = at(&shop, id).await?;
    let v = &here.model.circuit.vehicle;
    let name = |id: &PartId| {
        v.parts.iter().find(|p| p.id == *id).map(|p| p.name.clone()).unwrap_or_default()
    };
    let of = |f: &vehicle::Function| {
        let output = v.outputs.iter().find(|o| o.id == f.output)?;
        Some(FunctionRow {
            id: f.id.clone(),
            name: f.name.clone(),
            module: output.module.clone(),
            module_name: name(&output.module),
            load_name: name(&output.load),
            permits: f.permits.len(),
        })
    };
    Ok(Json(v.functions.iter().filter_map(of).collect()))
}

/// A chain with what was said of it just now.
#[derive(Debug, Serialize, ToSchema)]
pub struct ChainNow {
    /// The chain.
    chain: Chain,
    /// What is wrong with the link; empty when nothing is.
    trouble: String,
}

/// The chain of a function, its values read now.
#[utoipa::path(get, path = "/api/jobs/{id}/functions/{function}", responses((status = 200, body = ChainNow)))]
pub async fn chain(
    State(shop): App,
    Path((id, function)): Path<(i64, String)>,
) -> Answer<ChainNow> {
    let here = at(&shop, id).await?;
    let v = &here.model.circuit.vehicle;
    let missing = || Problem::missing(format!("this vehicle has no function “{function}”"));
    let f = v.functions.iter().find(|f| f.id == function).ok_or_else(missing)?;
    let wanted = request::signals(&here.model, f);
    let (read, trouble) = match shop.bench(id).values(v, &wanted).await {
        Ok(read) => (read, String::new()),
        Err(e) => (crate::bench::Values::default(), e.to_string()),
    };
    let said = read.values.into_iter().filter_map(|(k, v)| Some((k, v.ok()?))).collect();
    let name = function.clone();
    let made = away(&shop, &here, move |_, _, at| {
        let evidence: Vec<_> = at.case.evidence.iter().map(|(_, e)| e.clone()).collect();
        Ok(request::chain(&at.model, &name, &at.case.state, &said, &evidence))
    });
    let chain = made.await?.ok_or_else(missing)?;
    Ok(Json(ChainNow { chain, trouble }))
}
