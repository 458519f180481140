//! Jobs: listing, opening, showing.

use super::at::{Answer, App, At, at, away};
use super::extract::{Json, Path, Query};
use super::problem::Problem;
use crate::shop::{Assessed, Session, Shop, Standing};
use crate::view::shown::{Changes, Of};
use crate::view::{self, Lists, View};
use axum::extract::State;
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use diagnosis::ledger::{Entry, Intake};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use std::time::Duration;
use store::{Listed, Wanted};
use utoipa::{IntoParams, ToSchema};

/// A job in the list.
#[derive(Debug, Serialize, ToSchema)]
pub struct Summary {
    id: i64,
    vehicle: String,
    opened_at: String,
    vin: String,
    complaint: String,
    reference: String,
    demo: bool,
    signed_off: bool,
    /// What was done; empty before the repair.
    repaired: String,
    entries: u64,
    /// What is wrong with its ledger; empty when nothing is.
    trouble: String,
}

impl Summary {
    fn of(l: Listed) -> Self {
        let (job, s) = (l.job, l.summary);
        Self {
            id: job.id,
            vehicle: job.vehicle,
            opened_at: job.opened_at,
            vin: s.vin,
            complaint: s.complaint,
            reference: s.reference,
            demo: job.demo.is_some(),
            signed_off: s.signed_off,
            repaired: s.repaired,
            entries: s.entries,
            trouble: s.trouble,
        }
    }
}

/// A page of jobs.
#[derive(Debug, Serialize, ToSchema)]
pub struct Jobs {
    /// Newest first.
    jobs: Vec<Summary>,
    /// How many were found, on this page and the others.
    found: u64,
    /// Older ones follow.
    more: bool,
}

/// Jobs on a page.
const PAGE: usize = 50;

/// Which jobs.
#[derive(Debug, Deserialize, IntoParams)]
pub struct Search {
    /// Words that must all be found in complaint, reference, VIN, repair, vehicle or number.
    #[serde(default)]
    search: String,
    /// Only jobs of this VIN.
    #[serde(default)]
    vin: String,
    /// Only jobs older than this one: the last of the page before.
    before: Option<i64>,
    /// At most so many on the page; 50 at most.
    most: Option<usize>,
}

/// Jobs, newest first, a page at a time.
#[utoipa::path(get, path = "/api/jobs", params(Search), responses((status = 200, body = Jobs)))]
pub async fn list(State(shop): App, Query(s): Query<Search>) -> Answer<Jobs> {
    let most = s.most.unwrap_or(PAGE).clamp(1, PAGE);
    let wanted = Wanted { search: s.search, vin: s.vin, before: s.before, most };
    let page = tokio::task::spawn_blocking(move || shop.store.jobs(&wanted)).await??;
    let jobs = page.jobs.into_iter().map(Summary::of).collect();
    Ok(Json(Jobs { jobs, found: page.found, more: page.more }))
}

/// A vehicle file that jobs can be opened on.
#[derive(Debug, Serialize, ToSchema)]
pub struct Offered {
    /// Its id.
    id: String,
    /// Make and model; the id where the file cannot be read.
    name: String,
    /// Why it cannot be read; empty when it can.
    trouble: String,
}

/// Vehicle files.
#[utoipa::path(get, path = "/api/vehicles", responses((status = 200, body = [Offered])))]
pub async fn vehicles(State(shop): App) -> Result<Json<Vec<Offered>>, Problem> {
    let offered = move || {
        let of = |id: String| match shop.vehicles.file(&id) {
            Ok(v) => {
                Offered { name: format!("{} {}", v.make, v.model), trouble: String::new(), id }
            }
            Err(why) => Offered { name: id.clone(), trouble: why.to_string(), id },
        };
        shop.vehicles.ids().into_iter().map(of).collect()
    };
    Ok(Json(tokio::task::spawn_blocking(offered).await?))
}

/// A new job.
#[derive(Debug, Deserialize, ToSchema)]
pub struct NewJob {
    vehicle: String,
    #[serde(default)]
    intake: Intake,
}

/// The number of a new job.
#[derive(Debug, Serialize, ToSchema)]
pub struct Opened {
    pub(super) id: i64,
}

/// Opens a job.
#[utoipa::path(post, path = "/api/jobs", request_body = NewJob, responses((status = 200, body = Opened)))]
pub async fn open(State(shop): App, Json(new): Json<NewJob>) -> Answer<Opened> {
    let work = tokio::task::spawn_blocking(move || {
        super::entries::fits(&shop, &new.vehicle, &new.intake)?;
        let (model, _) = shop.vehicles.model(&new.vehicle, &new.intake.not_fitted)?;
        super::entries::names(&model, &new.intake)?;
        let intake = Entry::Intake { intake: new.intake };
        Ok::<_, Problem>(shop.open_job(&new.vehicle, None, &[intake])?)
    });
    Ok(Json(Opened { id: work.await?? }))
}

/// How a job is wanted.
#[derive(Debug, Deserialize, IntoParams)]
pub struct How {
    /// Wait until suspects and checks follow from everything entered.
    #[serde(default)]
    fresh: bool,
}

/// A job with its suspects and next checks, as far as they are worked out.
#[utoipa::path(get, path = "/api/jobs/{id}", params(How), responses((status = 200, body = View)))]
pub async fn show(
    State(shop): App,
    Path(id): Path<i64>,
    Query(how): Query<How>,
) -> Result<Response, Problem> {
    let here = at(&shop, id).await?;
    if how.fresh {
        assessed(&shop, &here.session).await?;
        let here = at(&shop, id).await?;
        return whole(&shop, &here).await;
    }
    whole(&shop, &here).await
}

async fn whole(shop: &Arc<Shop>, here: &At) -> Result<Response, Problem> {
    let view = away(shop, here, |shop, session, standing| {
        let shown = shown(shop, session, standing)?;
        Ok(shown.whole())
    });
    Ok(Json(view.await?).into_response())
}

/// Since which view.
#[derive(Debug, Deserialize, IntoParams)]
pub struct Since {
    /// Revision of the view that is known; 0 when none is.
    #[serde(default)]
    since: u64,
}

/// What of a job's view differs from one that is known.
#[utoipa::path(get, path = "/api/jobs/{id}/changes", params(Since), responses((status = 200, body = Changes)))]
pub async fn changes(
    State(shop): App,
    Path(id): Path<i64>,
    Query(since): Query<Since>,
) -> Answer<Changes> {
    let here = at(&shop, id).await?;
    let changes = away(&shop, &here, move |shop, session, standing| {
        Ok(shown(shop, session, standing)?.since(since.since))
    });
    Ok(Json(changes.await?))
}

/// Brings what is shown of a job up to date.
pub(super) fn shown<'s>(
    shop: &Shop,
    session: &'s Arc<Session>,
    standing: &Standing,
) -> Result<std::sync::MutexGuard<'s, crate::view::shown::Shown>, Problem> {
    let fresh = shop.is_assessed(session, standing)?;
    let latest = session.assessed();
    let of = Of {
        entries: standing.last(),
        assessed: latest.as_ref().map_or(0, |a| a.upto),
        assessment: latest.as_ref().map_or(0, |a| Arc::as_ptr(a) as usize),
        fresh: fresh.is_some(),
    };
    let mut shown = session.shown.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    if !shown.is_of(of) {
        shown.take(of, &view::view(standing, latest.as_deref(), fresh.is_some()));
    }
    Ok(shown)
}

/// How long somebody waits for an assessment.
const PATIENCE: Duration = Duration::from_secs(120);

/// Waits until a job's assessment follows from everything entered.
pub(super) async fn assessed(
    shop: &Arc<Shop>,
    session: &Arc<Session>,
) -> Result<Arc<Assessed>, Problem> {
    let mut followed = session.follow();
    let wait = async {
        loop {
            let (shop, session) = (Arc::clone(shop), Arc::clone(session));
            let looked = tokio::task::spawn_blocking(move || {
                let standing = session.standing(&shop)?;
                shop.is_assessed(&session, &standing)
            });
            if let Some(assessed) = looked.await?? {
                return Ok(assessed);
            }
            if followed.changed().await.is_err() {
                return Err(Problem::own("the program is stopping"));
            }
        }
    };
    let late =
        |_| Problem::own("working it out takes very long; what was entered is kept, ask again");
    tokio::time::timeout(PATIENCE, wait).await.map_err(late)?
}

/// Everything that can be chosen on a job's vehicle; as long as the view names the same lists they
/// stay the same.
#[utoipa::path(get, path = "/api/jobs/{id}/lists", responses((status = 200, body = Lists)))]
pub async fn lists(
    State(shop): App,
    Path(id): Path<i64>,
    asked: HeaderMap,
) -> Result<Response, Problem> {
    let here = at(&shop, id).await?;
    let tag = format!("\"{}\"", here.lists);
    let head = |response: Response| {
        let mut response = response;
        let headers = response.headers_mut();
        if let Ok(tag) = HeaderValue::from_str(&tag) {
            headers.insert(header::ETAG, tag);
        }
        // No customer's data stands in it.
        headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("private, no-cache"));
        response
    };
    if asked.get(header::IF_NONE_MATCH).is_some_and(|known| *known == *tag) {
        return Ok(head(StatusCode::NOT_MODIFIED.into_response()));
    }
    let lists = away(&shop, &here, |shop, _, standing| {
        Ok(view::lists::lists(&standing.model, &shop.vehicles, &standing.job.vehicle)?)
    });
    Ok(head(Json(lists.await?).into_response()))
}
