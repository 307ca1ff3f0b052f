//! One handler: read the address, choose, fetch or make, answer.

use std::{io::Write, time::Instant};

use axum::{
    Router,
    body::Body,
    extract::{OriginalUri, State},
    http::{HeaderMap, HeaderValue, StatusCode, Uri, header},
    response::{IntoResponse, Response},
    routing::get,
};
use flate2::{Compression, write::GzEncoder};
use kivet_recipe::{
    Accepted, Choice, ChoiceError, Encoding, Facts, Fidelity, Format, Keep, Quality, Recipe, choose, varies_by_accept,
};

use super::headers::{self, Vary};
use crate::{
    app::App,
    config::Originals,
    pipeline::Job,
    problem::Problem,
    shelves::{Original, OriginalId, image_problem},
};

/// The routes of this feature.
pub fn routes() -> Router<App> {
    Router::new().route("/pic/{*address}", get(answer))
}

async fn answer(State(app): State<App>, OriginalUri(uri): OriginalUri, request: HeaderMap) -> Response {
    // What the answer depends on is known better step by step, and is the same whether it succeeds or not.
    let mut vary = Vary::default();
    let mut response = match picture(&app, &uri, &request, &mut vary).await {
        Ok(response) => response,
        Err(problem) => problem.into_response(),
    };
    headers::add_common(response.headers_mut(), vary);
    app.metrics.answered(response.status().as_u16());
    response
}

async fn picture(app: &App, uri: &Uri, request: &HeaderMap, vary: &mut Vary) -> Result<Response, Problem> {
    let started = Instant::now();
    let (recipe, id) = read_address(uri)?;
    vary.accept = recipe.format.is_none() && !recipe.original;
    refuse_query(uri)?;
    let original = app.shelves.original(&id).await?;
    let recipe = by_shelf(app, recipe, &original)?;
    let facts = original.facts();
    *vary = Vary { accept: varies_by_accept(&recipe, facts), coding: sends_vector(&recipe, facts) };
    recipe
        .overlays
        .iter()
        .try_for_each(|name| app.pipeline.assets().overlay(name).map(|_| ()))
        .map_err(|error| image_problem(&error, format!("in the recipe `{recipe}`, {error}")))?;
    let original = app.pipeline.knowing(original, &recipe).await?;
    let choice =
        choose(&recipe, original.facts(), accepted(request), &app.policy).map_err(|error| choice_problem(&error))?;
    let choice = untouched(app, choice, &id);
    let job = Job { original, recipe, choice };
    let (blob, source) = match app.pipeline.rendition(job.clone()).await {
        Ok(found) => found,
        Err(error) => {
            app.shelves.look_again(&id).await;
            return Err(error.into());
        }
    };
    app.metrics.found(source);
    let packed = vary.coding && accepts_gzip(request);
    let etag = if packed { headers::packed_etag(&blob.head.etag) } else { blob.head.etag.clone() };
    let mut response = if headers::is_current(request, &etag) {
        StatusCode::NOT_MODIFIED.into_response()
    } else {
        let mut response = if packed {
            Body::from(gzip(&blob.bytes)?).into_response()
        } else {
            Body::from(blob.bytes.clone()).into_response()
        };
        headers::add_content(response.headers_mut(), &job, &blob, packed);
        response
    };
    headers::add_caching(response.headers_mut(), &blob, &etag, source, started.elapsed());
    Ok(response)
}

/// The recipe with what its shelf lays over every picture. The original under an overlay is a rendition in its own format.
fn by_shelf(app: &App, recipe: Recipe, original: &Original) -> Result<Recipe, Problem> {
    let (overlay, originals) = app.shelves.settings(original.id.shelf());
    if recipe.original && originals == Originals::Refused {
        let detail = format!(
            "the shelf `{}` does not give out its originals; ask for a rendition, such as 1600w",
            original.id.shelf()
        );
        return Err(Problem::new(StatusCode::FORBIDDEN, "original-refused", detail));
    }
    let Some(overlay) = overlay.filter(|overlay| !recipe.overlays.iter().any(|name| name == overlay)) else {
        return Ok(recipe);
    };
    let mut recipe = recipe;
    if std::mem::take(&mut recipe.original) {
        recipe.format = Some(original.facts().format).filter(|format| Format::NAMEABLE.contains(format));
        recipe.quality = Fidelity::new(90).map(Quality::Fidelity);
    }
    recipe.overlays.push(overlay.to_owned());
    Ok(recipe)
}

/// Where the shelf says so, the original goes out with all it carries.
fn untouched(app: &App, mut choice: Choice, id: &OriginalId) -> Choice {
    if choice.encoding == Encoding::Original && app.shelves.settings(id.shelf()).1 == Originals::Untouched {
        choice.edits.keep = Some(Keep::All);
    }
    choice
}

/// True if a vector goes out as one: text, which is worth packing.
fn sends_vector(recipe: &Recipe, facts: &Facts) -> bool {
    facts.format == Format::Svg && recipe.format.is_none() && !varies_by_accept(recipe, facts)
}

/// True if the request lists gzip and does not refuse it (RFC 9110, section 12.5.3).
fn accepts_gzip(request: &HeaderMap) -> bool {
    let lines = request.get_all(header::ACCEPT_ENCODING).iter().filter_map(|line| line.to_str().ok());
    lines.flat_map(|line| line.split(',')).any(|coding| {
        let mut parts = coding.split(';').map(str::trim);
        let named = parts.next().is_some_and(|name| name.eq_ignore_ascii_case("gzip"));
        named && !parts.any(|part| part.strip_prefix("q=").is_some_and(|q| q.parse() == Ok(0.0)))
    })
}

fn gzip(bytes: &[u8]) -> Result<Vec<u8>, Problem> {
    let mut packer = GzEncoder::new(Vec::new(), Compression::best());
    packer.write_all(bytes).and_then(|()| packer.finish()).map_err(|error| Problem::internal(&error))
}

/// No query key has a meaning for pictures yet, so any is a mistake.
fn refuse_query(uri: &Uri) -> Result<(), Problem> {
    match uri.query().map(|query| query.split(['&', '=']).next().unwrap_or_default()) {
        Some(key) => Err(Problem::unknown_query_key(key, &[])),
        None => Ok(()),
    }
}

/// `/pic/<recipe>/<shelf>/<path>`, from the address as it was sent.
fn read_address(uri: &Uri) -> Result<(Recipe, OriginalId), Problem> {
    let address = uri.path().trim_start_matches("/pic/");
    let mut parts = address.splitn(3, '/');
    let (Some(recipe), Some(shelf), Some(path)) = (parts.next(), parts.next(), parts.next()) else {
        let detail = format!("`{}` is no picture's address; write /pic/<recipe>/<shelf>/<path>", uri.path());
        return Err(Problem::new(StatusCode::NOT_FOUND, "incomplete-address", detail));
    };
    Ok((decoded(recipe).parse::<Recipe>()?, OriginalId::from_address(shelf, path)?))
}

/// Some clients escape `@` and the like, which need no escape here.
fn decoded(text: &str) -> String {
    percent_encoding::percent_decode_str(text).decode_utf8_lossy().into_owned()
}

/// A request may send the header in several lines (RFC 9110, section 5.3).
fn accepted(request: &HeaderMap) -> Accepted {
    let lines: Vec<&str> = request.get_all(header::ACCEPT).iter().filter_map(|line| line.to_str().ok()).collect();
    Accepted::from_header(&lines.join(","))
}

fn choice_problem(error: &ChoiceError) -> Problem {
    match error {
        ChoiceError::TooLong { .. } | ChoiceError::TooMany { .. } | ChoiceError::NotBuilt { .. } => {
            Problem::new(StatusCode::BAD_REQUEST, "impossible-recipe", error.to_string())
        }
    }
}

/// A header value made of parts that are always printable ASCII.
pub(super) fn value(text: String) -> HeaderValue {
    HeaderValue::try_from(text).unwrap_or(HeaderValue::from_static(""))
}
