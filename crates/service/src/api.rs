//! The administration interface as a whole, with its OpenAPI description.

use axum::{Json, Router, http::StatusCode, routing::get};
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;

use crate::{app::App, library, markup, problem::Problem, recipes, sign_in};

#[derive(OpenApi)]
#[openapi(
    info(title = "Kivet", description = "Administration of a Kivet service. Every call needs the admin token."),
    components(schemas(Problem))
)]
struct Description;

fn described() -> OpenApiRouter<App> {
    OpenApiRouter::with_openapi(Description::openapi())
        .merge(library::routes())
        .merge(recipes::routes())
        .merge(markup::routes())
        .merge(sign_in::routes())
}

/// The interface's description (OpenAPI 3.1).
pub fn openapi() -> utoipa::openapi::OpenApi {
    described().into_openapi()
}

/// All administration routes.
pub(crate) fn routes() -> Router<App> {
    let (router, description) = described().split_for_parts();
    router
        .route("/api/openapi.json", get(|| async { Json(description) }))
        .route("/api/{*path}", get(unknown).post(unknown))
}

async fn unknown() -> Problem {
    Problem::new(StatusCode::NOT_FOUND, "no-such-call", "there is no such call; /api/openapi.json lists them")
}
