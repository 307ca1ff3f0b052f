//! What is told of an original.

use std::sync::Arc;

use super::responses::{AltResponse, FactsResponse, OriginalResponse};
use crate::{
    app::App,
    blocking::blocking,
    problem::Problem,
    queue::Requester,
    shelves::{Original, OriginalId},
};

async fn facts_of(app: &App, original: &Arc<Original>) -> FactsResponse {
    let curves = app.pipeline.curves(original).await;
    FactsResponse::of(original, kivet_recipe::kind(original.facts(), &curves, &app.policy))
}

/// An original with all that is known of it: analysed, with its alternative texts.
pub(super) async fn with_texts(app: &App, id: OriginalId) -> Result<OriginalResponse, Problem> {
    let original = app.shelves.original(&id).await?;
    let original = app.pipeline.analysed(original, false, Requester::default()).await?;
    let facts = Some(facts_of(app, &original).await);
    let (records, kept) = (app.records.clone(), id.clone());
    let texts = blocking(move || records.alts(kept.shelf(), kept.path())).await??;
    Ok(OriginalResponse {
        id: id.to_string(),
        address: id.url_path(),
        facts,
        alts: texts.into_iter().map(AltResponse::of).collect(),
        problem: None,
    })
}

/// An original as lists show it; one that cannot be used says why.
pub(super) async fn describe(app: &App, id: OriginalId) -> OriginalResponse {
    let (facts, problem) = match app.shelves.original(&id).await {
        Ok(original) => (Some(facts_of(app, &original).await), None),
        Err(error) => (None, Some(error.to_string())),
    };
    OriginalResponse {
        id: id.to_string(),
        address: id.url_path(),
        facts,
        alts: Vec::new(),
        problem,
    }
}
