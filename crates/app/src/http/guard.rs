//! Only pages of this program may talk to it.

use super::problem::Problem;
use axum::extract::Request;
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::net::SocketAddr;

/// Everything from this program itself; styles may be inline for positions computed at run time.
const POLICY: &str = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; \
    font-src 'self'; connect-src 'self'; worker-src 'self' blob:; object-src 'none'; \
    base-uri 'none'; frame-ancestors 'none'; form-action 'self'";

fn own(at: SocketAddr, host: &str) -> bool {
    let port = at.port();
    [format!("127.0.0.1:{port}"), format!("localhost:{port}"), format!("[::1]:{port}")]
        .iter()
        .any(|h| h == host)
}

fn allowed(at: SocketAddr, headers: &HeaderMap) -> bool {
    let text = |name| headers.get(name).and_then(|v: &HeaderValue| v.to_str().ok());
    let host = text(header::HOST).is_some_and(|h| own(at, h));
    let origin = match text(header::ORIGIN) {
        None => true,
        Some(o) => o.strip_prefix("http://").is_some_and(|h| own(at, h)),
    };
    host && origin
}

/// Refuses foreign hosts and origins; adds the security headers.
pub async fn check(at: SocketAddr, request: Request, next: Next) -> Response {
    if !allowed(at, request.headers()) {
        let problem = Problem {
            status: StatusCode::FORBIDDEN.as_u16(),
            title: "Not from here".into(),
            detail: format!("open http://{at}/ itself; other pages may not talk to it"),
        };
        return problem.into_response();
    }
    let mut response = next.run(request).await;
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_SECURITY_POLICY, HeaderValue::from_static(POLICY));
    headers.insert(header::X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff"));
    headers.insert(header::REFERRER_POLICY, HeaderValue::from_static("no-referrer"));
    response
}
