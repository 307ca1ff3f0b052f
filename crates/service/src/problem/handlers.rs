//! `/problems/<name>`: what a problem's `type` points to.

use axum::{
    Router,
    response::{Html, IntoResponse, Response},
    routing::get,
};

use super::{Problem, ProblemKind, reference};
use crate::{app::App, query::Path};

/// The routes of this feature.
pub fn routes() -> Router<App> {
    Router::new().route("/problems/{name}", get(problem))
}

async fn problem(Path(name): Path<String>) -> Response {
    match ProblemKind::from_name(&name) {
        Some(kind) => Html(reference::page(kind)).into_response(),
        None => {
            let nearest =
                kivet_recipe::nearest(&name, ProblemKind::ALL.iter().map(|kind| kind.name()));
            let detail = format!("there is no kind of problem called `{name}`");
            Problem::new(ProblemKind::UnknownPath, detail).with_nearest(nearest).into_response()
        }
    }
}
