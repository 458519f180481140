//! Questions to the reasoning, and what is found with hands and eyes.

use super::at::{Answer, App, Keeping, Kept, at, away, keep, keep_evidence};
use super::extract::{Json, Key, Path};
use super::problem::Problem;
use crate::shop::{Shop, Standing};
use axum::extract::State;
use circuit::{Instrument, Probe};
use diagnosis::costs::Prices;
use diagnosis::coverage::{self, Coverage};
use diagnosis::evidence::Finding;
use diagnosis::gate::{self, Gate};
use diagnosis::ledger::Entry;
use diagnosis::next::Ask;
use diagnosis::next::why_not::{self, Worth};
use diagnosis::prior::Adjusted;
use diagnosis::shared::{self, Shared};
use diagnosis::what_if::{self, If};
use diagnosis::{Evidence, ModelError, Posterior, Priors, suspects};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::ToSchema;
use vehicle::{Item, OperatingState, PartId};

/// Something found in a state.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Found {
    #[serde(flatten)]
    finding: Finding,
    state: OperatingState,
}

/// Takes what was found by eye, hand, live value or scope, as the ledger keeps it.
#[utoipa::path(post, path = "/api/jobs/{id}/found", request_body = Found, responses((status = 200, body = Kept)))]
pub async fn found(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(new): Json<Found>,
) -> Keeping {
    let here = at(&shop, id).await?;
    let evidence = Evidence::new(new.state, new.finding);
    keep_evidence(&shop, &here, vec![], evidence, "seen", key).await
}

/// The technician's own weight for a suspect.
#[utoipa::path(post, path = "/api/jobs/{id}/adjust", request_body = Adjusted, responses((status = 200, body = Kept)))]
pub async fn adjust(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(adjusted): Json<Adjusted>,
) -> Keeping {
    let here = at(&shop, id).await?;
    if here.model.item(&adjusted.item).is_none() {
        let why = format!("“{}” is no suspect of this vehicle", adjusted.item);
        return Err(Problem::field("item", why).into());
    }
    if !(0.01..=100.0).contains(&adjusted.factor) {
        return Err(Problem::field("factor", "a weight is between 0.01 and 100 times").into());
    }
    if adjusted.reason.trim().is_empty() && adjusted.factor != 1.0 {
        return Err(Problem::field(
            "reason",
            "say why: the reason stands in the ledger and the report",
        )
        .into());
    }
    keep(&shop, &here.session, vec![Entry::Adjusted { adjusted }], key).await
}

/// A module named although points are open.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Override {
    module: PartId,
    reason: String,
}

/// Overrides the gate before a module is condemned.
#[utoipa::path(post, path = "/api/jobs/{id}/override", request_body = Override, responses((status = 200, body = Kept)))]
pub async fn overrule(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(new): Json<Override>,
) -> Keeping {
    if new.reason.trim().is_empty() {
        return Err(Problem::field("reason", "say why: the reason goes into the report").into());
    }
    let here = at(&shop, id).await?;
    if !gate::is_module(&here.model.circuit, &Item::part(&new.module)) {
        let why = format!("“{}” is no module of this vehicle", new.module);
        return Err(Problem::field("module", why).into());
    }
    let entry = Entry::Overridden { module: new.module, reason: new.reason };
    keep(&shop, &here.session, vec![entry], key).await
}

/// What the job knows, ready for questions.
pub(super) struct Asked<'a> {
    pub(super) at: &'a Standing,
    pub(super) evidence: Vec<Evidence>,
    pub(super) priors: Priors,
    pub(super) posterior: Posterior,
    pub(super) prices: Prices,
}

impl Asked<'_> {
    /// What a next check is chosen from.
    pub(super) fn question(&self) -> Ask<'_> {
        Ask {
            model: &self.at.model,
            priors: &self.priors,
            evidence: &self.evidence,
            posterior: &self.posterior,
            present: self.at.case.present,
            now: &self.at.case.state,
            refused: &self.at.case.refused,
            prices: &self.prices,
        }
    }
}

/// Answers a question away from the threads that serve requests, by what the assessment goes by.
pub(super) async fn ask<T: Send + 'static>(
    shop: Arc<Shop>,
    id: i64,
    question: impl FnOnce(&Asked<'_>) -> Result<T, ModelError> + Send + 'static,
) -> Answer<T> {
    let here = at(&shop, id).await?;
    let answer = away(&shop, &here, move |shop, session, at| {
        let (_, known) = shop.standing_known(session)?;
        let evidence = at.case.still();
        let priors = Priors::new(&at.model, &known);
        let posterior = Posterior::given(&at.model, &priors, &evidence)?;
        let prices = known.workshop.prices;
        Ok(question(&Asked { at, evidence, priors, posterior, prices })?)
    });
    Ok(Json(answer.await?))
}

/// A reading somebody has in mind.
#[derive(Debug, Deserialize, ToSchema)]
pub struct InMind {
    quantity: Instrument,
    red: String,
    #[serde(default)]
    black: String,
    state: OperatingState,
    /// Id of a fault that is in mind too.
    #[serde(default)]
    also: Option<String>,
}

/// What it would read, and what it would be worth.
#[derive(Debug, Serialize, ToSchema)]
pub struct Thought {
    /// Under a sound vehicle and each suspect.
    reads: Vec<If>,
    /// Against the best check.
    worth: Worth,
}

/// What one would read here if, and why not this check.
#[utoipa::path(post, path = "/api/jobs/{id}/what-if", request_body = InMind, responses((status = 200, body = Thought)))]
pub async fn what_if(
    State(shop): App,
    Path(id): Path<i64>,
    Json(wanted): Json<InMind>,
) -> Answer<Thought> {
    ask(shop, id, move |k| {
        let probe = Probe { instrument: wanted.quantity, red: wanted.red, black: wanted.black };
        let list = suspects::suspects(&k.at.model, &k.priors, &k.evidence, &k.posterior, 4)?;
        let reads =
            what_if::what_if(&k.at.model, &wanted.state, &probe, &list, wanted.also.as_deref())?;
        let worth = why_not::worth(&k.question(), &wanted.state, &probe)?;
        Ok(Thought { reads, worth })
    })
    .await
}

/// Symptoms to compare.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Chosen {
    /// Numbers of the pieces of evidence.
    pieces: Vec<usize>,
}

/// What symptoms have in common.
#[utoipa::path(post, path = "/api/jobs/{id}/shared", request_body = Chosen, responses((status = 200, body = Shared)))]
pub async fn shared(
    State(shop): App,
    Path(id): Path<i64>,
    Json(chosen): Json<Chosen>,
) -> Answer<Shared> {
    ask(shop, id, move |k| shared::shared(&k.at.model, &k.evidence, &k.posterior, &chosen.pieces))
        .await
}

/// A check by hand somebody has in mind.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Planned {
    /// A fused jumper while an effect is watched.
    Jumper {
        /// Red end.
        red: String,
        /// Black end.
        black: String,
        /// Part watched.
        part: PartId,
        /// State.
        state: OperatingState,
    },
    /// The harness moved.
    Wiggle {
        /// Place or thing.
        at: String,
    },
    /// Insulation between two conductors.
    Insulation {
        /// One conductor.
        a: String,
        /// The other.
        b: String,
    },
}

/// What a check by hand would prove and leave open.
#[utoipa::path(post, path = "/api/jobs/{id}/coverage", request_body = Planned, responses((status = 200, body = Coverage)))]
pub async fn covers(
    State(shop): App,
    Path(id): Path<i64>,
    Json(planned): Json<Planned>,
) -> Answer<Coverage> {
    ask(shop, id, move |k| match &planned {
        Planned::Jumper { red, black, part, state } => {
            coverage::jumper(&k.at.model, &k.posterior, state, red, black, part)
        }
        Planned::Wiggle { at } => coverage::wiggle(&k.at.model, &k.posterior, at),
        Planned::Insulation { a, b } => coverage::insulation(&k.at.model, &k.posterior, a, b),
    })
    .await
}

/// What must be proven before a module is named.
#[utoipa::path(get, path = "/api/jobs/{id}/gate/{module}", responses((status = 200, body = Gate)))]
pub async fn gate_of(State(shop): App, Path((id, module)): Path<(i64, String)>) -> Answer<Gate> {
    ask(shop, id, move |k| {
        let unknown = || ModelError::Unknown { what: "module", id: module.clone() };
        gate::gate(&k.at.model, &k.evidence, &k.posterior, &module)?.ok_or_else(unknown)
    })
    .await
}
