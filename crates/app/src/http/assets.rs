//! The embedded front end.

use super::problem::Problem;
use axum::http::{Uri, header};
use axum::response::{IntoResponse, Response};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../../web/dist"]
struct Assets;

/// A file of the front end; any other path without an ending is a page of the application.
pub async fn serve(uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    let is_page = !path.starts_with("api/")
        && !path.starts_with("assets/")
        && !path.rsplit('/').next().is_some_and(|last| last.contains('.'));
    let (name, file) = match Assets::get(path) {
        None if is_page => ("index.html", Assets::get("index.html")),
        found => (path, found),
    };
    let Some(file) = file else {
        return match name {
            "index.html" => {
                Problem::own("the front end is missing; build it with `cargo xtask demo`")
            }
            _ => Problem::missing(format!("there is no /{path}")),
        }
        .into_response();
    };
    let cache =
        if name.starts_with("assets/") { "max-age=31536000, immutable" } else { "no-cache" };
    let kind = mime_guess::from_path(name).first_or_octet_stream();
    (
        [(header::CONTENT_TYPE, kind.as_ref()), (header::CACHE_CONTROL, cache)],
        file.data.into_owned(),
    )
        .into_response()
}
