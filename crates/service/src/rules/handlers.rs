//! Reading and keeping rules.

use axum::{
    Json,
    extract::{State, rejection::JsonRejection},
};
use kivet_page::rules::{Outcome, RulesDocument};
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::kept::{keep, kept, read};
use crate::{app::App, blocking::blocking, problem::Problem, query::accept_body, sign_in::Admin};

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

/// Keeps rules in the stead of those that were. Their places are kept too; other places stay.
#[utoipa::path(put, path = "/api/rules", request_body = RulesDocument, responses(
    (status = 200, body = RulesDocument),
    (status = 400, body = Problem), (status = 401, body = Problem), (status = 404, body = Problem),
))]
async fn keep_rules(
    admin: Admin,
    State(app): State<App>,
    body: Result<Json<RulesDocument>, JsonRejection>,
) -> Result<Json<RulesDocument>, Problem> {
    let document = accept_body(body)?;
    let keeping = app.clone();
    blocking(move || keep(&keeping, &document)).await??;
    rules(admin, State(app)).await
}
