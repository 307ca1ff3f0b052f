//! `/console/`: the web console, built from `web/console` and carried in the binary.

use axum::{
    Router,
    http::{HeaderName, HeaderValue, StatusCode, header},
    response::{Html, IntoResponse, Redirect, Response},
    routing::get,
};
use rust_embed::RustEmbed;
use tower_http::{compression::CompressionLayer, set_header::SetResponseHeaderLayer};

use crate::{app::App, query::Path};

#[derive(RustEmbed)]
#[folder = "../../web/console/dist"]
#[allow_missing = true]
struct Files;

const NOT_BUILT: &str = "<!doctype html><title>Kivet</title><p>This binary was built without its console. \
    <code>cargo xtask demo</code> builds both.";

/// The routes of this feature.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/", get(|| async { Redirect::temporary("/console/") }))
        .route("/console", get(|| async { Redirect::permanent("/console/") }))
        .route("/console/", get(page))
        .route("/console/{*path}", get(file))
        .layer(CompressionLayer::new())
        .layer(header("content-security-policy", POLICY))
        .layer(header("x-frame-options", "DENY"))
        .layer(header("referrer-policy", "same-origin"))
        .layer(header("x-content-type-options", "nosniff"))
}

/// The console runs its own scripts and shows its own pictures; styles are also written by its
/// component library.
const POLICY: &str = "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; \
    object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'";

fn header(name: &'static str, value: &'static str) -> SetResponseHeaderLayer<HeaderValue> {
    SetResponseHeaderLayer::overriding(
        HeaderName::from_static(name),
        HeaderValue::from_static(value),
    )
}

/// The one page; it finds its own way by the address.
async fn page() -> Response {
    match Files::get("index.html") {
        Some(page) => ([(header::CACHE_CONTROL, "no-cache")], Html(page.data)).into_response(),
        None => (StatusCode::NOT_FOUND, Html(NOT_BUILT)).into_response(),
    }
}

/// A file of the console, named after its contents; any other address is a place within the page.
async fn file(Path(path): Path<String>) -> Response {
    let Some(file) = Files::get(&path) else { return page().await };
    let kind = file.metadata.mimetype().to_owned();
    let lasting = if path.starts_with("assets/") {
        "public, max-age=31536000, immutable"
    } else {
        "no-cache"
    };
    ([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, lasting.to_owned())], file.data)
        .into_response()
}
