//! The job a request is about, and how something is kept in it.

use super::extract::{Json, Key};
use super::problem::Problem;
use crate::shop::{Session, Shop, Standing};
use axum::extract::State;
use axum::response::{IntoResponse, Response};
use diagnosis::Evidence;
use diagnosis::ledger::Entry;
use serde::Serialize;
use std::ops::Deref;
use std::sync::Arc;
use utoipa::ToSchema;

pub(super) type Answer<T> = Result<Json<T>, Problem>;
/// Outcome of a request that keeps something.
pub(super) type Keeping = Result<Json<Kept>, Stop>;
pub(super) type App = State<Arc<Shop>>;

/// A job and what its ledger adds up to.
pub(super) struct At {
    pub(super) session: Arc<Session>,
    pub(super) standing: Arc<Standing>,
}

impl Deref for At {
    type Target = Standing;

    fn deref(&self) -> &Standing {
        &self.standing
    }
}

/// A job that was opened; its vehicle is not looked at.
pub(super) async fn session(shop: &Arc<Shop>, id: i64) -> Result<Arc<Session>, Problem> {
    let shop = Arc::clone(shop);
    Ok(tokio::task::spawn_blocking(move || shop.session(id)).await??)
}

/// A job with what its ledger adds up to; what takes time is done away from the threads that serve
/// requests.
pub(super) async fn at(shop: &Arc<Shop>, id: i64) -> Result<At, Problem> {
    let session = session(shop, id).await?;
    if let Some(standing) = session.standing_now() {
        return Ok(At { session, standing });
    }
    let shop = Arc::clone(shop);
    let made = tokio::task::spawn_blocking(move || {
        let standing = session.standing(&shop)?;
        Ok::<_, Problem>(At { session, standing })
    });
    made.await?
}

/// Does something with a job away from the threads that serve requests.
pub(super) async fn away<T: Send + 'static>(
    shop: &Arc<Shop>,
    at: &At,
    work: impl FnOnce(&Shop, &Arc<Session>, &Standing) -> Result<T, Problem> + Send + 'static,
) -> Result<T, Problem> {
    let (shop, session, standing) =
        (Arc::clone(shop), Arc::clone(&at.session), Arc::clone(&at.standing));
    tokio::task::spawn_blocking(move || work(&shop, &session, &standing)).await?
}

/// What was kept: it is on the disk, and what follows from it is told by event.
#[derive(Debug, Serialize, ToSchema)]
pub struct Kept {
    /// Number of the last entry that was kept.
    number: u64,
    /// It had been kept before under the same key; nothing was added now.
    before: bool,
}

impl Kept {
    /// Number of the last entry that was kept.
    pub(super) fn number(&self) -> u64 {
        self.number
    }
}

/// Why a request that would keep something goes no further.
#[derive(Debug)]
pub enum Stop {
    /// It is refused.
    Refused(Problem),
    /// It was done before: whoever sends a request again gets the first answer.
    Before(Kept),
}

impl<E: Into<Problem>> From<E> for Stop {
    fn from(e: E) -> Self {
        Self::Refused(e.into())
    }
}

impl IntoResponse for Stop {
    fn into_response(self) -> Response {
        match self {
            Self::Refused(problem) => problem.into_response(),
            Self::Before(kept) => Json(kept).into_response(),
        }
    }
}

/// Stops where something was kept under the same key before.
pub(super) async fn not_before(
    shop: &Arc<Shop>,
    session: &Arc<Session>,
    key: &Key,
) -> Result<(), Stop> {
    let Some(key) = key.0.clone() else { return Ok(()) };
    let (shop, id) = (Arc::clone(shop), session.job.id);
    match tokio::task::spawn_blocking(move || shop.store.kept(id, &key)).await?? {
        Some(k) => Err(Stop::Before(Kept { number: k.last, before: true })),
        None => Ok(()),
    }
}

/// A job that something is done in before it is kept: it is open, and it was not done before.
pub(super) async fn begin(shop: &Arc<Shop>, id: i64, key: &Key) -> Result<At, Stop> {
    let here = at(shop, id).await?;
    not_before(shop, &here.session, key).await?;
    is_open(&here.session)?;
    Ok(here)
}

/// Refuses to add to a job that is signed off.
pub(super) fn is_open(session: &Session) -> Result<(), Problem> {
    match session.signed_off() {
        true => Err(Problem::state("this job is signed off; open it again first, with the reason")),
        false => Ok(()),
    }
}

/// Appends entries, all or none, whatever the job's state.
pub(super) async fn append(
    shop: &Arc<Shop>,
    session: &Arc<Session>,
    entries: Vec<Entry>,
    key: Key,
) -> Keeping {
    let (shop, session) = (Arc::clone(shop), Arc::clone(session));
    let kept =
        tokio::task::spawn_blocking(move || shop.append(&session, &entries, key.0.as_deref()))
            .await??;
    Ok(Json(Kept { number: kept.last, before: kept.before }))
}

/// Keeps entries in a job that is open.
pub(super) async fn keep(
    shop: &Arc<Shop>,
    session: &Arc<Session>,
    entries: Vec<Entry>,
    key: Key,
) -> Keeping {
    not_before(shop, session, &key).await?;
    is_open(session)?;
    append(shop, session, entries, key).await
}

/// Keeps evidence, after `before`; refuses what does not fit the vehicle before it gets into the
/// ledger.
pub(super) async fn keep_evidence(
    shop: &Arc<Shop>,
    at: &At,
    mut before: Vec<Entry>,
    evidence: Evidence,
    by: &str,
    key: Key,
) -> Keeping {
    let evidence = Evidence { present: at.case.present, ..evidence };
    evidence.check(&at.model)?;
    before.push(Entry::Found { evidence, by: by.to_owned() });
    keep(shop, &at.session, before, key).await
}
