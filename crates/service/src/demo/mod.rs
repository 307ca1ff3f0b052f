//! `/demo/`: the sample site as hurried people wrote it, and its originals as they lie, for
//! comparison.

use std::{collections::BTreeMap, path::Path};

use axum::{
    Router,
    http::{HeaderName, HeaderValue},
    response::Redirect,
    routing::get,
};
use kivet_page::PlaceDocument;
use kivet_recipe::PlaceName;
use tower_http::{services::ServeDir, set_header::SetResponseHeaderLayer};

use crate::{app::App, places::Places, start_error::StartError};

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

/// Keeps the places of `places.toml` in `folder` that are not there yet. Blocks.
///
/// # Errors
/// If the file cannot be read, or a place in it cannot be used.
pub fn add_places(folder: &Path, places: &Places) -> Result<(), StartError> {
    let file = folder.join("places.toml");
    let failed = |problem: String| StartError::Places { file: file.clone(), problem };
    let text = std::fs::read_to_string(&file).map_err(|error| failed(error.to_string()))?;
    let mut written: BTreeMap<PlaceName, PlaceDocument> =
        toml::from_str(&text).map_err(|error| failed(error.to_string()))?;
    written.retain(|name, _| places.named(name.as_str()).is_err());
    places.keep(&written).map_err(|problem| failed(problem.detail))
}
