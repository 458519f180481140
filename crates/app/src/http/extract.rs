//! What comes in, refused in one way: path, query and body as [`Problem`]s that name the place.

use super::problem::{Field, Problem};
use super::strict::Strict;
use axum::body::{Body, Bytes};
use axum::extract::rejection::BytesRejection;
use axum::extract::{FromRequest, FromRequestParts, OptionalFromRequest, Request};
use axum::http::request::Parts;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use http_body_util::BodyExt;
use serde::Serialize;
use serde::de::DeserializeOwned;

/// Parts of the path.
#[derive(Debug)]
pub struct Path<T>(pub T);

impl<S: Send + Sync, T: DeserializeOwned + Send> FromRequestParts<S> for Path<T> {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Problem> {
        let path = axum::extract::Path::<T>::from_request_parts(parts, state).await;
        path.map(|p| Self(p.0)).map_err(|_| {
            Problem::missing(format!(
                "there is nothing at {}; a job has a number",
                parts.uri.path()
            ))
        })
    }
}

/// What follows the question mark.
#[derive(Debug)]
pub struct Query<T>(pub T);

impl<S: Send + Sync, T: DeserializeOwned + Send> FromRequestParts<S> for Query<T> {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Problem> {
        let query = axum::extract::Query::<T>::from_request_parts(parts, state).await;
        query.map(|q| Self(q.0)).map_err(|e| {
            let why = std::error::Error::source(&e).map_or_else(|| e.to_string(), short);
            Problem::form(StatusCode::BAD_REQUEST, format!("the address cannot be read: {why}"))
        })
    }
}

/// JSON, in and out.
#[derive(Debug)]
pub struct Json<T>(pub T);

impl<S: Send + Sync, T: DeserializeOwned> FromRequest<S> for Json<T> {
    type Rejection = Problem;

    async fn from_request(request: Request, state: &S) -> Result<Self, Problem> {
        if !is_json(request.headers()) {
            return Err(Problem::form(
                StatusCode::UNSUPPORTED_MEDIA_TYPE,
                "the body must be JSON; send it with content-type: application/json",
            ));
        }
        let body = Bytes::from_request(request, state).await.map_err(too_large)?;
        parse(&body).map(Self)
    }
}

impl<S: Send + Sync, T: DeserializeOwned> OptionalFromRequest<S> for Json<T> {
    type Rejection = Problem;

    async fn from_request(request: Request, state: &S) -> Result<Option<Self>, Problem> {
        if !request.headers().contains_key(header::CONTENT_TYPE) {
            return Ok(None);
        }
        <Self as FromRequest<S>>::from_request(request, state).await.map(Some)
    }
}

impl<T: Serialize> IntoResponse for Json<T> {
    fn into_response(self) -> Response {
        axum::Json(self.0).into_response()
    }
}

fn is_json(headers: &HeaderMap) -> bool {
    let kind = headers.get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or("");
    let kind = kind.split(';').next().unwrap_or("").trim();
    kind.eq_ignore_ascii_case("application/json")
}

fn too_large(e: BytesRejection) -> Problem {
    match e.into_response().status() {
        StatusCode::PAYLOAD_TOO_LARGE => Problem::form(
            StatusCode::PAYLOAD_TOO_LARGE,
            format!("this is too large; at most {} kB are taken at once", super::BODY / 1024),
        ),
        _ => Problem::form(StatusCode::BAD_REQUEST, "the body did not arrive whole; send it again"),
    }
}

fn parse<T: DeserializeOwned>(body: &[u8]) -> Result<T, Problem> {
    let json: serde_json::Value = serde_json::from_slice(body).map_err(|why| {
        Problem::form(
            StatusCode::BAD_REQUEST,
            format!("the body is no whole JSON document: {}", short(&why)),
        )
    })?;
    serde_path_to_error::deserialize(Strict(&json)).map_err(|e| {
        let path = e.path().to_string();
        let why = e.into_inner();
        let field = path.replace(['.', '['], "/").replace(']', "");
        let field = field.trim_matches('/');
        let at = if field.is_empty() {
            String::new()
        } else {
            format!("{}: ", field.replace('/', ", "))
        };
        let detail = short(&why);
        Problem::input(format!("{at}{detail}")).at([Field { pointer: format!("/{field}"), detail }])
    })
}

/// Longest reason shown, characters.
const LONGEST: usize = 240;

/// A reason without the place in the text, which says nothing to whoever filled in a field.
fn short(why: &(impl std::fmt::Display + ?Sized)) -> String {
    let why = why.to_string();
    let why = why.split(" at line ").next().unwrap_or_default();
    match why.char_indices().nth(LONGEST) {
        Some((end, _)) => format!("{} …", &why[..end]),
        None => why.to_owned(),
    }
}

/// The key under which an entry is kept, so that the same request sent again adds nothing
/// (`Idempotency-Key`); none when none was sent.
#[derive(Debug, Default)]
pub struct Key(pub Option<String>);

/// Longest key, characters.
const LONGEST_KEY: usize = 100;

impl<S: Send + Sync> FromRequestParts<S> for Key {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, _: &S) -> Result<Self, Problem> {
        let Some(key) = parts.headers.get("idempotency-key") else { return Ok(Self(None)) };
        let key = key.to_str().unwrap_or("");
        if key.is_empty() || key.len() > LONGEST_KEY {
            return Err(Problem::form(
                StatusCode::BAD_REQUEST,
                format!("an idempotency key has 1 to {LONGEST_KEY} visible characters"),
            ));
        }
        Ok(Self(Some(key.to_owned())))
    }
}

/// A body that comes as it is, up to so many bytes; `larger` says what to do about one that is larger.
///
/// # Errors
/// [`Problem`], when it is larger or breaks off.
pub async fn whole(mut body: Body, most: usize, larger: &str) -> Result<Vec<u8>, Problem> {
    let mut bytes = Vec::new();
    while let Some(frame) = body.frame().await {
        let frame = frame.map_err(|e| Problem::input(format!("the transfer broke off: {e}")))?;
        if let Ok(data) = frame.into_data() {
            bytes.extend_from_slice(&data);
        }
        if bytes.len() > most {
            return Err(Problem::input(larger));
        }
    }
    Ok(bytes)
}

/// Refuses texts that are no remark any more.
pub fn not_longer(field: &str, text: &str, most: usize) -> Result<(), Problem> {
    match text.len() > most {
        true => Err(Problem::field(field, format!("this is too long; at most {most} letters"))),
        false => Ok(()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde::Deserialize;

    #[derive(Debug, Deserialize, PartialEq)]
    struct Inner {
        #[serde(default)]
        km: u32,
    }

    #[derive(Debug, Deserialize, PartialEq)]
    struct Outer {
        #[serde(default)]
        list: Vec<Inner>,
    }

    #[test]
    fn a_wrong_field_is_named() {
        let problem = parse::<Outer>(br#"{"list": [{"km": 1}, {"km": 12345678901}]}"#).unwrap_err();
        assert_eq!(problem.status, 422);
        assert_eq!(problem.errors[0].pointer, "/list/1/km");
        assert!(problem.detail.contains("km"), "{}", problem.detail);
    }

    #[test]
    fn a_list_is_no_object_and_half_a_document_none_at_all() {
        assert_eq!(parse::<Outer>(b" []").unwrap_err().status, 422);
        let nested = parse::<Outer>(br#"{"list": [[]]}"#).unwrap_err();
        assert_eq!((nested.status, nested.errors[0].pointer.as_str()), (422, "/list/0"));
        assert_eq!(parse::<Outer>(b"{\"list\": ").unwrap_err().status, 400);
        assert_eq!(parse::<Outer>(b"{} {}").unwrap_err().status, 400);
        assert_eq!(parse::<Outer>(b"{}").unwrap(), Outer { list: vec![] });
    }
}
