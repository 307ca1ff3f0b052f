//! `/demo/`: the sample site as hurried people wrote it, and its originals as they lie, for
//! comparison.

use std::path::Path;

use axum::{
    Router,
    http::{HeaderName, HeaderValue},
    response::Redirect,
    routing::get,
};
use tower_http::{services::ServeDir, set_header::SetResponseHeaderLayer};

use crate::app::App;

/// The hints a page must ask for (RFC 8942, section 3.1) so that its pictures' requests carry them.
const HINTS: HeaderValue =
    HeaderValue::from_static("Sec-CH-Width, Sec-CH-DPR, Sec-CH-Viewport-Width");

/// Serves `site/` and `originals/` of `folder`, as a plain web server would.
pub fn routes(folder: &Path) -> Router<App> {
    Router::new()
        .route("/demo", get(|| async { Redirect::permanent("/demo/site/") }))
        .route("/demo/", get(|| async { Redirect::permanent("/demo/site/") }))
        .nest_service("/demo/site", ServeDir::new(folder.join("site")))
        .nest_service("/demo/originals", ServeDir::new(folder.join("originals")))
        .layer(SetResponseHeaderLayer::overriding(HeaderName::from_static("accept-ch"), HINTS))
}
