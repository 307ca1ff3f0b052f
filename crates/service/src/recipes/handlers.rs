//! Reading recipes.

use axum::{
    Json,
    extract::{Query, State, rejection::QueryRejection},
};
use kivet_recipe::{Recipe, Request, choose};
use serde::Deserialize;
use utoipa::IntoParams;
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::responses::RecipeResponse;
use crate::{
    app::App, problem::Problem, query::accept_query, queue::Requester, shelves::OriginalId,
    sign_in::Admin,
};

/// The routes of this feature.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(api!(recipe))
}

/// Which recipe to read.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
#[into_params(parameter_in = Query)]
struct Which {
    /// The recipe.
    text: String,
    /// An original, as `shelf/path`, to say what comes out for.
    original: Option<String>,
}

/// Takes a recipe apart.
#[utoipa::path(get, path = "/api/recipe", params(Which), responses(
    (status = 200, body = RecipeResponse),
    (status = 400, body = Problem), (status = 401, body = Problem), (status = 404, body = Problem),
))]
async fn recipe(
    _: Admin,
    State(app): State<App>,
    query: Result<Query<Which>, QueryRejection>,
) -> Result<Json<RecipeResponse>, Problem> {
    let Which { text, original } = accept_query(query)?;
    let recipe: Recipe = text.parse()?;
    let Some(original) = original else {
        return Ok(Json(RecipeResponse::new(&recipe, None)));
    };
    let original = app.shelves.original(&OriginalId::from_text(&original)?).await?;
    let placed = app.places.resolve(&recipe)?;
    let original = app.pipeline.with_facts_for(original, &placed, Requester::default()).await?;
    let curves = app.pipeline.curves(&original).await;
    let choice = choose(&placed, original.facts(), &curves, &Request::ANYTHING, &app.policy)?;
    Ok(Json(RecipeResponse::new(&recipe, Some(&choice))))
}
