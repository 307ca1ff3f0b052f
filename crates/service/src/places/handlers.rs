//! Listing, keeping and removing places.

use std::collections::BTreeMap;

use axum::{
    Json,
    extract::{State, rejection::JsonRejection},
    http::{HeaderMap, StatusCode, header::IF_NONE_MATCH},
};
use kivet_page::PlaceDocument;
use kivet_recipe::PlaceName;
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::responses::{PlaceList, PlaceResponse};
use crate::{
    app::App,
    blocking::blocking,
    problem::{Problem, ProblemKind},
    query::{Path, accept_body},
    sign_in::Admin,
};

/// The routes of this feature.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(api!(list, keep_all)).routes(api!(show, keep, remove))
}

/// Lists all places.
#[utoipa::path(get, path = "/api/places", operation_id = "places", responses(
    (status = 200, body = Vec<PlaceResponse>), (status = 401, body = Problem),
))]
async fn list(_: Admin, State(app): State<App>) -> Json<Vec<PlaceResponse>> {
    Json(app.places.all().iter().map(|kept| PlaceResponse::of(kept)).collect())
}

/// Keeps several places, all or none. Others stay.
#[utoipa::path(post, path = "/api/places", operation_id = "keep_places", request_body = PlaceList, responses(
    (status = 200, body = Vec<PlaceResponse>),
    (status = 400, body = Problem), (status = 401, body = Problem),
))]
async fn keep_all(
    _: Admin,
    State(app): State<App>,
    body: Result<Json<PlaceList>, JsonRejection>,
) -> Result<Json<Vec<PlaceResponse>>, Problem> {
    let PlaceList { places } = accept_body(body)?;
    let names: Vec<String> = places.keys().cloned().collect();
    let named = places.into_iter().map(|(name, place)| Ok((read_name(&name)?, place)));
    let named: BTreeMap<_, _> = named.collect::<Result<_, Problem>>()?;
    let places = app.places.clone();
    blocking(move || places.keep(&named)).await??;
    names
        .iter()
        .map(|name| Ok(PlaceResponse::of(&*app.places.named(name)?)))
        .collect::<Result<Vec<_>, Problem>>()
        .map(Json)
}

/// One place.
#[utoipa::path(get, path = "/api/places/{name}", operation_id = "place", responses(
    (status = 200, body = PlaceResponse), (status = 401, body = Problem), (status = 404, body = Problem),
), params(("name" = String, Path, description = "The place's name.")))]
async fn show(
    _: Admin,
    State(app): State<App>,
    Path(name): Path<String>,
) -> Result<Json<PlaceResponse>, Problem> {
    Ok(Json(PlaceResponse::of(&*app.places.named(&name)?)))
}

/// Makes a place, or replaces it; with `If-None-Match: *` only where there is none of that name (RFC
/// 9110, section 13.1.2).
#[utoipa::path(put, path = "/api/places/{name}", operation_id = "keep_place", request_body = PlaceDocument, responses(
    (status = 200, body = PlaceResponse), (status = 400, body = Problem), (status = 401, body = Problem),
    (status = 409, body = Problem),
), params(("name" = String, Path, description = "The place's name.")))]
async fn keep(
    _: Admin,
    State(app): State<App>,
    Path(name): Path<String>,
    headers: HeaderMap,
    body: Result<Json<PlaceDocument>, JsonRejection>,
) -> Result<Json<PlaceResponse>, Problem> {
    let only_new = headers.get(IF_NONE_MATCH).is_some_and(|value| value == "*");
    if only_new && app.places.named(&name).is_ok() {
        let detail =
            format!("a place `{name}` is stored already; change that one, or choose another name");
        return Err(Problem::new(ProblemKind::PlaceTaken, detail));
    }
    let one = BTreeMap::from([(read_name(&name)?, accept_body(body)?)]);
    let places = app.places.clone();
    blocking(move || places.keep(&one)).await??;
    Ok(Json(PlaceResponse::of(&*app.places.named(&name)?)))
}

/// Removes a place. Markup that was written for it stays as it is; recipes that name it are refused.
#[utoipa::path(delete, path = "/api/places/{name}", operation_id = "remove_place", responses(
    (status = 204), (status = 401, body = Problem), (status = 404, body = Problem),
), params(("name" = String, Path, description = "The place's name.")))]
async fn remove(
    _: Admin,
    State(app): State<App>,
    Path(name): Path<String>,
) -> Result<StatusCode, Problem> {
    let places = app.places.clone();
    blocking(move || places.remove(&name)).await??;
    Ok(StatusCode::NO_CONTENT)
}

fn read_name(name: &str) -> Result<PlaceName, Problem> {
    let refused = |error: kivet_recipe::PlaceNameError| {
        Problem::new(ProblemKind::BadPlace, error.to_string())
    };
    name.parse().map_err(refused)
}
