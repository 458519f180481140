//! Pictures attached to what was found and done.

use super::at::{App, Keeping, at, begin, keep};
use super::extract::{Key, Path, Query, whole};
use super::problem::Problem;
use crate::picture;
use axum::body::Body;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use diagnosis::ledger::{Entry, Picture};
use serde::Deserialize;
use utoipa::IntoParams;

/// Largest picture taken in, bytes.
const MOST: usize = 24 << 20;
/// Most pictures of a job: a report with more is read by nobody.
const MOST_PICTURES: usize = 60;
/// Longest text beside a picture, characters.
const LONGEST: usize = 200;

/// What comes in.
#[derive(Debug, Deserialize, IntoParams)]
pub struct Coming {
    /// Number of the entry it shows something of; none: of the job.
    of: Option<u64>,
    /// What it shows.
    #[serde(default)]
    text: String,
}

/// Takes a picture in, JPEG or PNG: made smaller where it is large, and without what the camera says of place and
/// time.
#[utoipa::path(post, path = "/api/jobs/{id}/pictures", params(Coming), request_body(content = Vec<u8>, content_type = "image/jpeg"), responses((status = 200, body = super::at::Kept)))]
pub async fn take_picture(
    State(shop): App,
    Path(id): Path<i64>,
    Query(coming): Query<Coming>,
    key: Key,
    body: Body,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    if here.case.pictures.len() >= MOST_PICTURES {
        let why =
            format!("the job has {MOST_PICTURES} pictures already, which is all that it takes");
        return Err(Problem::input(why).into());
    }
    if coming.of.is_some_and(|of| of == 0 || of > here.last()) {
        return Err(Problem::field("of", "there is no such entry").into());
    }
    let bytes = whole(body, MOST, "the picture is larger than 24 MB; make a smaller one").await?;
    let made = tokio::task::spawn_blocking(move || picture::prepared(&bytes)).await;
    let made = made.map_err(Problem::own)?.map_err(Problem::input)?;
    let text = coming.text.trim().chars().filter(|c| !c.is_control()).take(LONGEST).collect();
    let mut incoming = shop.captures.kept.begin(id)?;
    incoming.write(&made.jpeg)?;
    let (width, height) = (made.width, made.height);
    let picture = Picture { number: incoming.keep()?, of: coming.of, text, width, height };
    keep(&shop, &here.session, vec![Entry::Pictured { picture }], key).await
}

/// A picture as it was kept.
#[utoipa::path(get, path = "/api/jobs/{id}/pictures/{number}", responses((status = 200, body = Vec<u8>, content_type = "image/jpeg")))]
pub async fn picture(
    State(shop): App,
    Path((id, number)): Path<(i64, u64)>,
) -> Result<Response, Problem> {
    let here = at(&shop, id).await?;
    if !here.case.pictures.iter().any(|(_, p)| p.number == number) {
        return Err(Problem::missing(format!("this job has no picture {number}")));
    }
    let gone = || Problem::missing(format!("the file of picture {number} is gone"));
    let path = shop.captures.kept.path(id, number).ok_or_else(gone)?;
    let bytes = tokio::fs::read(path).await.map_err(|_| gone())?;
    Ok(([(header::CONTENT_TYPE, "image/jpeg")], bytes).into_response())
}
