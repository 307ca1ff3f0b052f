//! Reading the library.

use axum::{
    Json,
    extract::{
        Query, State,
        rejection::{JsonRejection, QueryRejection},
    },
};
use kivet_recipe::Position;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::{
    alts::{__path_alt, alt},
    describe::{describe, with_texts},
    export::{__path_export, export},
    responses::{LibraryPage, OriginalResponse},
};
use crate::{
    app::App,
    problem::{Problem, ProblemKind},
    query::{accept_body, accept_query},
    shelves::OriginalId,
    sign_in::Admin,
};

/// Originals on one page if the request does not say.
const PAGE: usize = 60;

/// Originals on one page at most.
const MAX: usize = 500;

/// The routes of this feature.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(api!(library))
        .routes(api!(look))
        .routes(api!(focus))
        .routes(api!(alt))
        .routes(api!(export))
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
    limit: Option<usize>,
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
    let Which { shelf, after, limit } = accept_query(query)?;
    let shelves = app.shelves.names();
    let Some(shelf) = shelf.or_else(|| shelves.first().cloned()) else {
        return Ok(Json(LibraryPage {
            shelves,
            shelf: String::new(),
            originals: Vec::new(),
            next: None,
        }));
    };
    let limit = limit.unwrap_or(PAGE).clamp(1, MAX);
    let mut ids = app.shelves.list(&shelf, after, limit + 1).await?;
    let next = (ids.len() > limit)
        .then(|| ids.swap_remove(limit))
        .and(ids.last())
        .map(|last| last.path().to_owned());
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

/// Analysis at one original: its facts, with dominant colour and soft placeholder.
#[utoipa::path(get, path = "/api/library/look", params(One), responses(
    (status = 200, body = OriginalResponse),
    (status = 400, body = Problem), (status = 401, body = Problem), (status = 404, body = Problem),
))]
async fn look(
    _: Admin,
    State(app): State<App>,
    query: Result<Query<One>, QueryRejection>,
) -> Result<Json<OriginalResponse>, Problem> {
    let One { original } = accept_query(query)?;
    Ok(Json(with_texts(&app, OriginalId::from_text(&original)?).await?))
}

/// Where attention shall lie on an original.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FocusOrder {
    /// The original, as `shelf/path`.
    pub original: String,
    /// Percents across and down the upright picture; absent to take the focus away.
    pub focus: Option<[u8; 2]>,
}

/// Marks what matters on an original: crops without a position keep it.
#[utoipa::path(put, path = "/api/library/focus", request_body = FocusOrder, responses(
    (status = 200, body = OriginalResponse),
    (status = 400, body = Problem), (status = 401, body = Problem), (status = 404, body = Problem),
))]
async fn focus(
    _: Admin,
    State(app): State<App>,
    order: Result<Json<FocusOrder>, JsonRejection>,
) -> Result<Json<OriginalResponse>, Problem> {
    let FocusOrder { original, focus } = accept_body(order)?;
    let original = app.shelves.original(&OriginalId::from_text(&original)?).await?;
    let read = |[x, y]: [u8; 2]| {
        let problem =
            || format!("the focus {x}-{y} lies outside the picture; write percents from 0 to 100");
        Position::new(x, y).ok_or_else(|| Problem::new(ProblemKind::BadFocus, problem()))
    };
    let focus = focus.map(read).transpose()?;
    app.shelves.set_focus(&original.id, focus).await?;
    Ok(Json(describe(&app, original.id.clone()).await))
}
