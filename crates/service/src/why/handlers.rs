//! One handler: the same reading and choosing as for pictures, told instead of followed.

use axum::{
    Json, Router,
    extract::State,
    http::{HeaderMap, Uri},
    routing::get,
};
use kivet_image::ReplacedFont;
use kivet_recipe::{Recipe, choose, every_step};

use super::responses::{ReplacedFontSeen, WhyResponse, WidthResponse};
use crate::{
    app::App,
    pic::{Chosen, PictureRequest, Vary, request_of},
    pipeline::Job,
    problem::Problem,
    queue::Requester,
    sign_in::LocalOrAdmin,
};

/// The routes of this feature.
pub fn routes() -> Router<App> {
    Router::new().route("/why/{*address}", get(why))
}

/// Open to this machine, and to others with the token.
async fn why(
    _: LocalOrAdmin,
    State(app): State<App>,
    uri: Uri,
    headers: HeaderMap,
) -> Result<Json<WhyResponse>, Problem> {
    let asked = PictureRequest::read(&uri, "/why/")?;
    let request = request_of(&headers);
    let mut vary = Vary::default();
    let Chosen { original, recipe, choice, version } =
        asked.choose(&app, (&request, Requester::default()), &mut vary).await?;
    let curves = app.pipeline.curves(&original).await;
    let width_of =
        |recipe: &Recipe| choose(recipe, original.facts(), &curves, &request, &app.policy).ok();
    let widths = if choice.candidates.is_empty() {
        Vec::new()
    } else {
        every_step(&choice.recipe, original.facts())
    };
    // Those near it: half to twice as wide.
    let near = choice.plan.size.width / 2..=choice.plan.size.width * 2;
    let near = widths.into_iter().filter(|step| near.contains(&step.size.width));
    let widths = near.filter_map(|step| {
        let at = width_of(&step.recipe)?;
        Some(WidthResponse::new(&step, &at, step.size.width == choice.plan.size.width))
    });
    let widths = widths.collect();
    let kind = kivet_recipe::kind(original.facts(), &curves, &app.policy);
    let job = Job { original, recipe, request, choice };
    let ready = app.pipeline.ready(&job).await?;
    let replaced = app.pipeline.replaced_fonts(&job).await?.into_iter();
    let replaced_fonts =
        replaced.map(|ReplacedFont { family, by }| ReplacedFontSeen { family, by });
    let why = WhyResponse::new(&asked, &job, ready.as_deref(), widths, vary, version, kind);
    Ok(Json(WhyResponse { replaced_fonts: replaced_fonts.collect(), ..why }))
}
