//! HTTP: plain handlers, one file per subject; problems as RFC 9457.

mod assets;
mod at;
mod captures;
mod course;
mod entries;
mod events;
mod extract;
mod follow;
mod guard;
mod identity;
mod job_file;
mod jobs;
mod levels;
mod network;
mod pictures;
mod plan;
pub(crate) mod problem;
mod proves;
mod reasoning;
mod recordings;
mod report;
mod requests;
mod scans;
mod scope;
mod self_tests;
mod setup;
mod sheets;
mod strict;
mod values;
mod vehicle_side;
mod workshop;

use crate::presence;
use crate::shop::Shop;
use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::http::{Method, StatusCode, Uri};
use problem::Problem;
use std::net::SocketAddr;
use std::sync::Arc;
use utoipa::openapi::{ContentBuilder, Ref, RefOr, ResponseBuilder};
use utoipa::{PartialSchema, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

/// Largest body taken, bytes.
const BODY: usize = 256 * 1024;

fn routes() -> OpenApiRouter<Arc<Shop>> {
    OpenApiRouter::new()
        .routes(routes!(jobs::list, jobs::open))
        .routes(routes!(jobs::vehicles))
        .routes(routes!(jobs::show))
        .routes(routes!(jobs::changes))
        .routes(routes!(jobs::lists))
        .routes(routes!(entries::intake))
        .routes(routes!(entries::symptom))
        .routes(routes!(entries::reading))
        .routes(routes!(entries::recording))
        .routes(routes!(vehicle_side::record))
        .routes(routes!(captures::take_capture, captures::captures))
        .routes(routes!(captures::capture))
        .routes(routes!(scope::take))
        .routes(routes!(scope::watch))
        .routes(routes!(scope::keep_sweep))
        .routes(routes!(captures::capture_view))
        .routes(routes!(captures::capture_frames))
        .routes(routes!(captures::capture_bits))
        .routes(routes!(captures::capture_file))
        .routes(routes!(levels::capture_levels, levels::weigh_levels))
        .routes(routes!(entries::refuse))
        .routes(routes!(entries::doubt))
        .routes(routes!(entries::note))
        .routes(routes!(entries::repair))
        .routes(routes!(entries::sign_off))
        .routes(routes!(entries::reopen))
        .routes(routes!(reasoning::found))
        .routes(routes!(reasoning::adjust))
        .routes(routes!(reasoning::overrule))
        .routes(routes!(reasoning::what_if))
        .routes(routes!(reasoning::shared))
        .routes(routes!(reasoning::covers))
        .routes(routes!(reasoning::gate_of))
        .routes(routes!(workshop::workshop, workshop::settle))
        .routes(routes!(sheets::sheet))
        .routes(routes!(sheets::face))
        .routes(routes!(sheets::subjects))
        .routes(routes!(job_file::export))
        .routes(routes!(job_file::take_in))
        .routes(routes!(pictures::take_picture))
        .routes(routes!(pictures::picture))
        .routes(routes!(report::page))
        .routes(routes!(report::ledger))
        .routes(routes!(events::events))
        .routes(routes!(vehicle_side::live))
        .routes(routes!(values::signals))
        .routes(routes!(values::values))
        .routes(routes!(values::read_values))
        .routes(routes!(values::chart))
        .routes(routes!(course::go_through))
        .routes(routes!(recordings::take_recording, recordings::recordings))
        .routes(routes!(recordings::recording))
        .routes(routes!(requests::functions))
        .routes(routes!(requests::chain))
        .routes(routes!(proves::proves))
        .routes(routes!(self_tests::testable))
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
        .routes(routes!(self_tests::self_tests))
        .routes(routes!(self_tests::testing))
        .routes(routes!(setup::setups))
        .routes(routes!(setup::would_write))
        .routes(routes!(setup::write))
        .routes(routes!(setup::settle_write))
        .routes(routes!(setup::teach))
        .routes(routes!(setup::restart))
        .routes(routes!(plan::choices))
        .routes(routes!(plan::decide))
        .routes(routes!(plan::steps))
        .routes(routes!(plan::keep_records))
        .routes(routes!(follow::procedures))
        .routes(routes!(follow::start))
        .routes(routes!(follow::following))
        .routes(routes!(follow::stop))
        .routes(routes!(self_tests::end_tests))
        .routes(routes!(scans::read_codes))
        .routes(routes!(scans::typed_codes))
        .routes(routes!(network::roll_call, network::call))
        .routes(routes!(network::network))
        .routes(routes!(network::statics))
        .routes(routes!(network::plan))
        .routes(routes!(network::who_answers))
        .routes(routes!(network::mark))
        .routes(routes!(network::spots))
        .routes(routes!(network::plan_progress))
        .routes(routes!(network::keep_roll_call))
        .routes(routes!(scans::clear))
        .routes(routes!(vehicle_side::drive))
        .routes(routes!(vehicle_side::leave))
        .routes(routes!(vehicle_side::meter))
        .routes(routes!(vehicle_side::look))
        .routes(routes!(vehicle_side::by_hands))
        .routes(routes!(scans::rescan))
}

/// The OpenAPI description of all routes. Each may refuse, in the same way.
pub fn openapi() -> utoipa::openapi::OpenApi {
    let mut api = routes().split_for_parts().1;
    api.info.title = "Chalkeus".into();
    api.info.description = Some(
        "Jobs, evidence, suspects and the vehicle. What cannot be done is refused as RFC 9457 says; \
         what adds to a ledger takes an `Idempotency-Key`."
            .into(),
    );
    let components = api.components.get_or_insert_default();
    for (name, schema) in
        [(Problem::name(), Problem::schema()), (problem::Field::name(), problem::Field::schema())]
    {
        components.schemas.insert(name.into(), schema);
    }
    let refusal = RefOr::T(
        ResponseBuilder::new()
            .description("Refused: what happened and what to do")
            .content(
                "application/problem+json",
                ContentBuilder::new().schema(Some(Ref::from_schema_name("Problem"))).build(),
            )
            .build(),
    );
    for item in api.paths.paths.values_mut() {
        for operation in [&mut item.get, &mut item.post].into_iter().flatten() {
            operation.responses.responses.insert("default".into(), refusal.clone());
        }
    }
    api
}

/// Refuses a method that a path does not know.
async fn wrong_method(method: Method, uri: Uri) -> Problem {
    Problem::form(
        StatusCode::METHOD_NOT_ALLOWED,
        format!(
            "{} does not take {method}; the OpenAPI description says what it takes",
            uri.path()
        ),
    )
}

/// The application, answering only for its own address.
pub fn router(shop: Arc<Shop>, at: SocketAddr) -> Router {
    let windows = axum::middleware::from_fn_with_state(Arc::clone(&shop), presence::of_window);
    let (api, _) = routes().with_state(shop).split_for_parts();
    api.layer(windows)
        .fallback(assets::serve)
        .method_not_allowed_fallback(wrong_method)
        .layer(axum::middleware::from_fn(move |request, next| guard::check(at, request, next)))
        .layer(DefaultBodyLimit::max(BODY))
}

/// What a second person looks on with: the pages, and how the procedure stands that is followed. Nothing can be
/// done there, and nothing of the customer is told.
pub fn beside(shop: Arc<Shop>, at: SocketAddr) -> Router {
    Router::new()
        .route("/api/jobs/{id}/following", axum::routing::get(follow::looked_on))
        .with_state(shop)
        .fallback(assets::serve)
        .method_not_allowed_fallback(wrong_method)
        .layer(axum::middleware::from_fn(move |request, next| guard::check(at, request, next)))
}
