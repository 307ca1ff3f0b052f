//! Reading and keeping rules.

use axum::{
    Json,
    extract::{
        Query, State,
        rejection::{JsonRejection, QueryRejection},
    },
};
use kivet_page::rules::{Outcome, RulesDocument};
use serde::Deserialize;
use utoipa::IntoParams;
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::kept::{keep, kept, read};
use crate::{
    app::App,
    blocking::blocking,
    problem::Problem,
    query::{accept_body, accept_query},
    sign_in::Admin,
};

/// The routes of this feature.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(api!(rules, keep_rules))
}

/// The kept rules, with the places that they name.
#[utoipa::path(get, path = "/api/rules", responses(
    (status = 200, body = RulesDocument), (status = 401, body = Problem),
))]
async fn rules(_: Admin, State(app): State<App>) -> Result<Json<RulesDocument>, Problem> {
    let mut document = kept(&app).await?;
    for rule in read(&app, &document)?.rules {
        if let Outcome::Place(placed) = rule.outcome {
            let place = app.places.named(placed.place.as_str())?;
            document.places.insert(placed.place.to_string(), place.document.clone());
        }
    }
    Ok(Json(document))
}

/// How rules are stored.
#[derive(Debug, Default, Deserialize, IntoParams)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
#[into_params(parameter_in = Query)]
struct KeepQuery {
    /// True to replace stored places that have the names of the rules' places.
    replace_places: Option<bool>,
}

/// Replaces the stored rules, and adds their places; other places stay.
#[utoipa::path(put, path = "/api/rules", params(KeepQuery), request_body = RulesDocument, responses(
    (status = 200, body = RulesDocument),
    (status = 400, body = Problem), (status = 401, body = Problem), (status = 404, body = Problem),
    (status = 409, body = Problem),
))]
async fn keep_rules(
    admin: Admin,
    State(app): State<App>,
    query: Result<Query<KeepQuery>, QueryRejection>,
    body: Result<Json<RulesDocument>, JsonRejection>,
) -> Result<Json<RulesDocument>, Problem> {
    let KeepQuery { replace_places } = accept_query(query)?;
    let document = accept_body(body)?;
    let keeping = app.clone();
    blocking(move || keep(&keeping, &document, replace_places.unwrap_or(false))).await??;
    rules(admin, State(app)).await
}
