//! Answers for probes and scrapers.

use std::net::SocketAddr;

use axum::{
    Router,
    extract::{ConnectInfo, FromRequestParts, Request, State},
    http::{StatusCode, header},
    response::{IntoResponse, Response},
    routing::get,
};

use crate::{
    app::App,
    problem::Problem,
    sign_in::{Admin, is_local},
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
        Problem::new(StatusCode::SERVICE_UNAVAILABLE, "not-ready", "records or blobs do not answer; see the log")
            .into_response()
    }
}

/// Open to this machine, and to others with the token.
async fn metrics(State(app): State<App>, request: Request) -> Result<Response, Problem> {
    let (mut parts, _) = request.into_parts();
    let peer = parts.extensions.get::<ConnectInfo<SocketAddr>>();
    if !is_local(peer, &parts.headers) {
        Admin::from_request_parts(&mut parts, &app).await?;
    }
    let text = app.metrics.text(app.pipeline.background_tasks()).map_err(|error| Problem::internal(&error))?;
    Ok(([(header::CONTENT_TYPE, "text/plain; version=0.0.4")], text).into_response())
}
