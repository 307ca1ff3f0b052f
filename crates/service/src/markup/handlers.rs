//! Writing markup.

use axum::{
    Json,
    extract::{Query, State, rejection::QueryRejection},
};
use kivet_page::{Alt, Loading, Picture, img};
use kivet_recipe::{Recipe, nearest};
use serde::Deserialize;
use utoipa::IntoParams;
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::responses::{LadderStepResponse, MarkupResponse};
use crate::{
    app::App,
    problem::{Problem, ProblemKind},
    query::accept_query,
    shelves::OriginalId,
    sign_in::Admin,
};

/// The routes of this feature.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(api!(markup))
}

/// Which markup to write.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
#[into_params(parameter_in = Query)]
struct Which {
    /// The original, as `shelf/path`.
    original: String,
    /// How wide it is shown: the `sizes` attribute.
    sizes: String,
    /// The crop and fidelity, as a recipe; its own width is not used.
    recipe: Option<String>,
    /// What stands in for it; empty if it is decorative.
    alt: Option<String>,
    /// `first`, `near`, `later` (if absent) or `hidden`.
    loading: Option<String>,
    /// What stands before `/pic/`, where pictures come from another host than the page.
    base: Option<String>,
    /// True to name the current version in every address, so that caches keep it for ever.
    versioned: Option<bool>,
}

/// Writes the `img` for an original.
#[utoipa::path(get, path = "/api/markup", params(Which), responses(
    (status = 200, body = MarkupResponse),
    (status = 400, body = Problem), (status = 401, body = Problem), (status = 404, body = Problem),
))]
async fn markup(
    _: Admin,
    State(app): State<App>,
    query: Result<Query<Which>, QueryRejection>,
) -> Result<Json<MarkupResponse>, Problem> {
    let Which { original, sizes, recipe, alt, loading, base, versioned } = accept_query(query)?;
    let recipe: Recipe = recipe
        .filter(|text| !text.is_empty())
        .map_or(Ok(Recipe::default()), |text| text.parse())?;
    let loading = read_loading(loading.as_deref().unwrap_or("later"))?;
    let original = app.shelves.original(&OriginalId::from_text(&original)?).await?;
    let original = app.pipeline.with_facts_for(original, &recipe).await?;
    let address = original.id.url_path();
    let base = base.unwrap_or_default();
    let version = versioned.unwrap_or_default().then(|| app.pipeline.version(&original));
    let picture = Picture {
        base: base.trim_end_matches('/'),
        address: &address,
        facts: original.facts(),
        version: version.as_deref(),
    };
    let alt = match alt.as_deref() {
        Some("") => Alt::Decorative,
        Some(text) => Alt::Text(text),
        None => Alt::Unknown,
    };
    let markup = img(picture, &recipe, &sizes, alt, loading)
        .map_err(|error| Problem::new(ProblemKind::ImpossibleSizes, error.to_string()))?;
    let step = |step: &kivet_recipe::LadderStep| LadderStepResponse {
        recipe: step.recipe.to_string(),
        width: step.size.width,
        height: step.size.height,
    };
    Ok(Json(MarkupResponse {
        ladder: markup.ladder.iter().map(step).collect(),
        html: markup.html,
        notes: markup.notes,
    }))
}

fn read_loading(name: &str) -> Result<Loading, Problem> {
    let names = Loading::NAMES.map(|(name, _)| name);
    Loading::NAMES.iter().find(|(known, _)| *known == name).map(|(_, loading)| *loading).ok_or_else(
        || {
            let detail =
                format!("`{name}` is not a loading policy; use one of {}", names.join(", "));
            Problem::new(ProblemKind::UnknownLoading, detail).with_nearest(nearest(name, names))
        },
    )
}
