//! The administration interface as a whole, with its OpenAPI description.

use axum::{
    Json, Router,
    http::{HeaderValue, header::CACHE_CONTROL},
    routing::{any, get},
};
use tower_http::set_header::SetResponseHeaderLayer;
use utoipa::{
    OpenApi,
    openapi::{Content, PathItem, Ref, ResponseBuilder},
};
use utoipa_axum::router::OpenApiRouter;

use crate::{
    app::App,
    cache, checks, library, markup, places,
    problem::{Problem, ProblemKind},
    recipes, rewrite, rules, sign_in,
};

#[derive(OpenApi)]
#[openapi(
    info(
        title = "Kivet",
        description = "Administration of a Kivet service. Every call needs the admin token."
    ),
    components(schemas(Problem))
)]
struct Description;

/// All calls, and their description.
fn described() -> (Router<App>, utoipa::openapi::OpenApi) {
    let (router, mut description) = calls().split_for_parts();
    for path in description.paths.paths.values_mut() {
        let PathItem { get, put, post, delete, .. } = path;
        for call in [get, put, post, delete].into_iter().flatten() {
            for (status, what) in REFUSALS {
                let known = call.responses.responses.contains_key(status);
                let response = ResponseBuilder::new()
                    .description(what)
                    .content("application/problem+json", problem());
                if !known {
                    call.responses.responses.insert(status.to_owned(), response.build().into());
                }
            }
        }
    }
    (router, description)
}

/// What every call may be answered with.
const REFUSALS: [(&str, &str); 5] = [
    ("400", "The path, query or body cannot be read"),
    ("401", "Neither the admin token nor a signed-in browser"),
    ("403", "Another site made a signed-in browser call"),
    ("405", "Not a method of this path"),
    ("500", "The service failed; its log says why"),
];

fn problem() -> Content {
    Content::new(Some(Ref::from_schema_name("Problem")))
}

fn calls() -> OpenApiRouter<App> {
    OpenApiRouter::with_openapi(Description::openapi())
        .merge(library::routes())
        .merge(recipes::routes())
        .merge(markup::routes())
        .merge(places::routes())
        .merge(rules::routes())
        .merge(rewrite::routes())
        .merge(cache::routes())
        .merge(checks::routes())
        .merge(sign_in::routes())
}

/// The interface's description (OpenAPI 3.1).
pub fn openapi() -> utoipa::openapi::OpenApi {
    described().1
}

/// All administration routes.
pub(crate) fn routes() -> Router<App> {
    let (router, description) = described();
    router
        .route("/api/openapi.json", get(|| async { Json(description) }))
        .route("/api/{*path}", any(unknown))
        // What is administered is for those who may see it, as it is now.
        .layer(SetResponseHeaderLayer::if_not_present(
            CACHE_CONTROL,
            HeaderValue::from_static("no-store"),
        ))
}

async fn unknown() -> Problem {
    Problem::new(ProblemKind::UnknownCall, "there is no such call; /api/openapi.json lists them")
}

#[cfg(test)]
mod tests {
    /// The console's types are generated from this file: `npm run types` in `web/console` after a
    /// change.
    #[test]
    fn the_description_the_console_is_typed_from_is_current() {
        let file =
            std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web/console/openapi.json");
        let current = super::openapi().to_pretty_json().expect("serialisable") + "\n";
        if std::env::var_os("KIVET_BLESS").is_some() {
            std::fs::write(&file, &current).expect("written");
        }
        let kept = std::fs::read_to_string(&file).expect("web/console/openapi.json");
        assert_eq!(
            kept, current,
            "run this test with KIVET_BLESS=1, then `npm run types` in web/console"
        );
    }
}
