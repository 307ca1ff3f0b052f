//! One handler: read the address, choose, fetch or make, answer.

use std::time::Instant;

use axum::{
    Router,
    body::Body,
    extract::{OriginalUri, State},
    http::{HeaderMap, HeaderValue, StatusCode, Uri, header},
    response::{IntoResponse, Response},
    routing::get,
};
use kivet_recipe::{Accepted, ChoiceError, Recipe, choose, varies_by_accept};

use super::headers;
use crate::{app::App, pipeline::Job, problem::Problem, shelves::OriginalId};

/// The routes of this feature.
pub fn routes() -> Router<App> {
    Router::new().route("/pic/{*address}", get(answer))
}

async fn answer(State(app): State<App>, OriginalUri(uri): OriginalUri, request: HeaderMap) -> Response {
    let mut response = match picture(&app, &uri, &request).await {
        Ok(response) => response,
        Err(problem) => problem.into_response(),
    };
    let varies = recipe_of(&uri).is_none_or(|recipe| varies_by_accept(&recipe));
    headers::add_common(response.headers_mut(), varies);
    app.metrics.answered(response.status().as_u16());
    response
}

async fn picture(app: &App, uri: &Uri, request: &HeaderMap) -> Result<Response, Problem> {
    let started = Instant::now();
    refuse_query(uri)?;
    let (recipe, id) = read_address(uri)?;
    let original = app.shelves.original(&id).await?;
    let choice = choose(&recipe, original.facts(), accepted(request)).map_err(|error| choice_problem(&error))?;
    let job = Job { original, recipe, choice };
    let (blob, source) = match app.pipeline.rendition(job.clone()).await {
        Ok(found) => found,
        Err(error) => {
            app.shelves.look_again(&id).await;
            return Err(error.into());
        }
    };
    app.metrics.found(source);
    let mut response = if headers::is_current(request, &blob.head.etag) {
        StatusCode::NOT_MODIFIED.into_response()
    } else {
        let mut response = Body::from(blob.bytes.clone()).into_response();
        headers::add_content(response.headers_mut(), &job, &blob);
        response
    };
    headers::add_caching(response.headers_mut(), &blob, source, started.elapsed());
    Ok(response)
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

fn recipe_of(uri: &Uri) -> Option<Recipe> {
    decoded(uri.path().trim_start_matches("/pic/").split('/').next()?).parse().ok()
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
        ChoiceError::TooLong { .. } => Problem::new(StatusCode::BAD_REQUEST, "impossible-recipe", error.to_string()),
    }
}

/// A header value made of parts that are always printable ASCII.
pub(super) fn value(text: String) -> HeaderValue {
    HeaderValue::try_from(text).unwrap_or(HeaderValue::from_static(""))
}
