//! Reading the library.

use axum::{
    Json,
    extract::{Query, State, rejection::QueryRejection},
};
use serde::Deserialize;
use utoipa::IntoParams;
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::answers::{FactsAnswer, LibraryPage, OriginalAnswer};
use crate::{app::App, problem::Problem, query::accept_query, shelves::OriginalId, sign_in::Admin};

/// Originals on one page if the request does not say.
const PAGE: usize = 60;

/// Originals on one page at most.
const MOST: usize = 500;

/// The routes of this feature.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(api!(library)).routes(api!(look))
}

/// Which originals to list.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
#[into_params(parameter_in = Query)]
struct Which {
    /// The shelf; the first one if absent.
    shelf: Option<String>,
    /// The path after which to begin.
    after: Option<String>,
    /// How many, 1 to 500; 60 if absent.
    most: Option<usize>,
}

/// Lists originals with their facts.
#[utoipa::path(get, path = "/api/library", params(Which), responses(
    (status = 200, body = LibraryPage),
    (status = 400, body = Problem), (status = 401, body = Problem), (status = 404, body = Problem),
))]
async fn library(
    _: Admin,
    State(app): State<App>,
    query: Result<Query<Which>, QueryRejection>,
) -> Result<Json<LibraryPage>, Problem> {
    let Which { shelf, after, most } = accept_query(query)?;
    let shelves = app.shelves.names();
    let Some(shelf) = shelf.or_else(|| shelves.first().cloned()) else {
        return Ok(Json(LibraryPage { shelves, shelf: String::new(), originals: Vec::new(), next: None }));
    };
    let most = most.unwrap_or(PAGE).clamp(1, MOST);
    let mut ids = app.shelves.list(&shelf, after, most + 1).await?;
    let next = (ids.len() > most).then(|| ids.swap_remove(most)).and(ids.last()).map(|last| last.path().to_owned());
    let mut originals = Vec::with_capacity(ids.len());
    for id in ids {
        originals.push(describe(&app, id).await);
    }
    Ok(Json(LibraryPage { shelves, shelf, originals, next }))
}

/// Which original to look at.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
#[into_params(parameter_in = Query)]
struct One {
    /// The original, as `shelf/path`.
    original: String,
}

/// Looks at one original: its facts, with dominant colour and soft placeholder.
#[utoipa::path(get, path = "/api/library/look", params(One), responses(
    (status = 200, body = OriginalAnswer),
    (status = 400, body = Problem), (status = 401, body = Problem), (status = 404, body = Problem),
))]
async fn look(
    _: Admin,
    State(app): State<App>,
    query: Result<Query<One>, QueryRejection>,
) -> Result<Json<OriginalAnswer>, Problem> {
    let One { original } = accept_query(query)?;
    let original = app.shelves.original(&OriginalId::from_text(&original)?).await?;
    let original = app.pipeline.looked_at(original, false).await?;
    let facts = Some(FactsAnswer::of(&original));
    Ok(Json(OriginalAnswer { id: original.id.to_string(), address: original.id.address(), facts, problem: None }))
}

async fn describe(app: &App, id: OriginalId) -> OriginalAnswer {
    let (facts, problem) = match app.shelves.original(&id).await {
        Ok(original) => (Some(FactsAnswer::of(&original)), None),
        Err(error) => (None, Some(error.to_string())),
    };
    OriginalAnswer { id: id.to_string(), address: id.address(), facts, problem }
}
