//! Only pages of this program may talk to it.

use super::problem::Problem;
use axum::extract::Request;
use axum::http::{HeaderMap, HeaderName, HeaderValue, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::net::SocketAddr;

/// Everything from this program itself; styles may be inline for positions computed at run time.
const POLICY: &str = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; \
    font-src 'self'; connect-src 'self'; worker-src 'self' blob:; object-src 'none'; \
    base-uri 'none'; frame-ancestors 'none'; form-action 'self'";
/// Says from where a page asks (W3C Fetch Metadata).
const FROM: HeaderName = HeaderName::from_static("sec-fetch-site");

fn own(at: SocketAddr, host: &str) -> bool {
    let port = at.port();
    if !at.ip().is_loopback() {
        return host == at.to_string();
    }
    [format!("127.0.0.1:{port}"), format!("localhost:{port}"), format!("[::1]:{port}")]
        .iter()
        .any(|h| h == host)
}

fn allowed(at: SocketAddr, headers: &HeaderMap) -> bool {
    // A second line could be the one that somebody else believes.
    let one = |name: HeaderName| {
        let mut all = headers.get_all(name).iter();
        let first = all.next().map(|v: &HeaderValue| v.to_str().unwrap_or(""));
        match all.next() {
            Some(_) => Some(""),
            None => first,
        }
    };
    let host = one(header::HOST).is_some_and(|h| own(at, h));
    let origin =
        one(header::ORIGIN).is_none_or(|o| o.strip_prefix("http://").is_some_and(|h| own(at, h)));
    let from = one(FROM).is_none_or(|from| matches!(from, "same-origin" | "none"));
    host && origin && from
}

/// Refuses foreign hosts and pages; adds the security headers to everything that goes out.
pub async fn check(at: SocketAddr, request: Request, next: Next) -> Response {
    let keep = !request.uri().path().starts_with("/api/");
    let mut response = match allowed(at, request.headers()) {
        true => next.run(request).await,
        false => {
            Problem::foreign(format!("open http://{at}/ itself; other pages may not talk to it"))
                .into_response()
        }
    };
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_SECURITY_POLICY, HeaderValue::from_static(POLICY));
    headers.insert(header::X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff"));
    headers.insert(header::REFERRER_POLICY, HeaderValue::from_static("no-referrer"));
    if !keep && !headers.contains_key(header::CACHE_CONTROL) {
        // Answers hold what customers told.
        headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    }
    response
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_its_own_pages_get_in() {
        let at: SocketAddr = ([127, 0, 0, 1], 8080).into();
        let asked = |lines: &[(&'static str, &'static str)]| {
            let mut headers = HeaderMap::new();
            for (name, value) in lines {
                headers.append(*name, HeaderValue::from_static(value));
            }
            allowed(at, &headers)
        };
        let host = ("host", "localhost:8080");
        assert!(asked(&[host]));
        assert!(asked(&[
            host,
            ("origin", "http://127.0.0.1:8080"),
            ("sec-fetch-site", "same-origin")
        ]));
        assert!(asked(&[host, ("sec-fetch-site", "none")]), "typed into the address line");
        assert!(!asked(&[]));
        assert!(!asked(&[("host", "example.test:8080")]));
        assert!(!asked(&[host, ("host", "example.test")]), "two lines");
        assert!(!asked(&[host, ("origin", "http://example.test")]));
        assert!(!asked(&[host, ("sec-fetch-site", "cross-site")]));
        assert!(!asked(&[host, ("sec-fetch-site", "same-site")]));
    }
}
