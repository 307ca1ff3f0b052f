//! `/demo/`: the sample site as hurried people wrote it, and its originals as they lie, for comparison.

use std::path::Path;

use axum::{Router, response::Redirect, routing::get};
use tower_http::services::ServeDir;

use crate::app::App;

/// Serves `site/` and `originals/` of `folder`, as a plain web server would.
pub fn routes(folder: &Path) -> Router<App> {
    Router::new()
        .route("/demo", get(|| async { Redirect::permanent("/demo/site/") }))
        .route("/demo/", get(|| async { Redirect::permanent("/demo/site/") }))
        .nest_service("/demo/site", ServeDir::new(folder.join("site")))
        .nest_service("/demo/originals", ServeDir::new(folder.join("originals")))
}
