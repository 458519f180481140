//! What a test that passes proves.

use super::at::{Answer, App, at, away};
use super::extract::{Json, Path};
use super::problem::Problem;
use axum::extract::State;
use diagnosis::proven::{self, Proven};
use serde::Deserialize;
use utoipa::ToSchema;
use vehicle::{OutputId, PartId};

/// A test.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Test {
    /// A module's own, in the state as it is.
    SelfTest {
        /// The module.
        module: PartId,
    },
    /// An output driven, and its effect looked at.
    Output {
        /// The output.
        output: OutputId,
    },
}

/// What a test proves if it passes, and what it does not touch.
#[utoipa::path(post, path = "/api/jobs/{id}/proves", request_body = Test, responses((status = 200, body = Proven)))]
pub async fn proves(
    State(shop): App,
    Path(id): Path<i64>,
    Json(test): Json<Test>,
) -> Answer<Proven> {
    let here = at(&shop, id).await?;
    let answer = away(&shop, &here, move |_, _, at| {
        let (model, state) = (&at.model, &at.case.state);
        Ok(match &test {
            Test::SelfTest { module } => proven::self_test(model, state, module)?,
            Test::Output { output } => {
                let known = model.circuit.vehicle.outputs.iter().find(|o| o.id == *output);
                let known = known.ok_or_else(|| {
                    Problem::field("output", format!("this vehicle has no output “{output}”"))
                })?;
                let mut driven = state.clone();
                driven.outputs.insert(output.clone());
                proven::effect(model, &driven, &known.load)?
            }
        })
    });
    Ok(Json(answer.await?))
}
