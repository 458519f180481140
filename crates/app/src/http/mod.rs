//! HTTP: plain handlers, one file per subject; problems as RFC 9457.

mod assets;
mod guard;
mod identity;
mod jobs;
mod network;
mod problem;
mod reasoning;
mod scans;
mod sheets;
mod vehicle_side;

use crate::shop::Shop;
use axum::Router;
use axum::extract::DefaultBodyLimit;
use std::net::SocketAddr;
use std::sync::Arc;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

/// Largest body taken, bytes.
const BODY: usize = 256 * 1024;

fn routes() -> OpenApiRouter<Arc<Shop>> {
    OpenApiRouter::new()
        .routes(routes!(jobs::list, jobs::open))
        .routes(routes!(jobs::vehicles))
        .routes(routes!(jobs::show))
        .routes(routes!(jobs::intake))
        .routes(routes!(jobs::symptom))
        .routes(routes!(jobs::reading))
        .routes(routes!(jobs::effect))
        .routes(routes!(jobs::refuse))
        .routes(routes!(jobs::doubt))
        .routes(routes!(jobs::note))
        .routes(routes!(jobs::repair))
        .routes(routes!(jobs::sign_off))
        .routes(routes!(reasoning::found))
        .routes(routes!(reasoning::adjust))
        .routes(routes!(reasoning::overrule))
        .routes(routes!(reasoning::what_if))
        .routes(routes!(reasoning::shared))
        .routes(routes!(reasoning::covers))
        .routes(routes!(reasoning::gate_of))
        .routes(routes!(sheets::sheet))
        .routes(routes!(sheets::face))
        .routes(routes!(sheets::subjects))
        .routes(routes!(jobs::export))
        .routes(routes!(jobs::events))
        .routes(routes!(vehicle_side::live))
        .routes(routes!(vehicle_side::state))
        .routes(routes!(vehicle_side::supply))
        .routes(routes!(scans::scan))
        .routes(routes!(scans::stop))
        .routes(routes!(identity::identify))
        .routes(routes!(identity::table))
        .routes(routes!(identity::announced))
        .routes(routes!(network::table))
        .routes(routes!(scans::compare))
        .routes(routes!(scans::runs))
        .routes(routes!(scans::self_tests))
        .routes(routes!(scans::read_codes))
        .routes(routes!(scans::typed_codes))
        .routes(routes!(network::roll_call, network::call))
        .routes(routes!(network::network))
        .routes(routes!(network::mark))
        .routes(routes!(network::keep_roll_call))
        .routes(routes!(scans::clear))
        .routes(routes!(vehicle_side::drive))
        .routes(routes!(vehicle_side::meter))
        .routes(routes!(vehicle_side::look))
        .routes(routes!(vehicle_side::by_hands))
        .routes(routes!(scans::rescan))
}

/// The OpenAPI description of all routes.
pub fn openapi() -> utoipa::openapi::OpenApi {
    let mut api = routes().split_for_parts().1;
    api.info.title = "Chalkeus".into();
    api.info.description = Some("Jobs, evidence, suspects and the vehicle.".into());
    api
}

/// The application, answering only for its own address.
pub fn router(shop: Arc<Shop>, at: SocketAddr) -> Router {
    let (api, _) = routes().with_state(shop).split_for_parts();
    api.fallback(assets::serve)
        .layer(axum::middleware::from_fn(move |request, next| guard::check(at, request, next)))
        .layer(DefaultBodyLimit::max(BODY))
}
