//! Responses for probes and scrapers.

use axum::{
    Router,
    extract::State,
    http::header,
    response::{IntoResponse, Response},
    routing::get,
};

use crate::{
    app::App,
    problem::{Problem, ProblemKind},
    sign_in::LocalOrAdmin,
};

/// The routes of this feature.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/healthz", get(|| async { "serving\n" }))
        .route("/readyz", get(ready))
        .route("/metrics", get(metrics))
}

async fn ready(State(app): State<App>) -> Response {
    if app.pipeline.is_ready().await {
        "ready\n".into_response()
    } else {
        Problem::new(ProblemKind::NotReady, "records or blobs do not answer; see the log")
            .into_response()
    }
}

/// Open to this machine, and to others with the token.
async fn metrics(_: LocalOrAdmin, State(app): State<App>) -> Result<Response, Problem> {
    let text = app
        .metrics
        .text(app.pipeline.background_tasks())
        .map_err(|error| Problem::internal(&error))?;
    Ok(([(header::CONTENT_TYPE, "text/plain; version=0.0.4")], text).into_response())
}
