//! What a place offers of an original: chosen once for a revision of the place, then kept.

use std::sync::Arc;

use kivet_page::{Offered, Place, Population, Targets, expected_bytes};
use kivet_recipe::{Accepted, Curves, Format, Kind, PlaceName, Policy, Recipe, Request};

use super::KeptPlace;
use crate::{app::App, blocking::blocking, problem::Problem, shelves::Original};

/// What a kept place offers of an original.
///
/// # Errors
/// If the records fail.
pub async fn offered(
    app: &App,
    kept: &KeptPlace,
    original: &Arc<Original>,
) -> Result<Arc<Offered>, Problem> {
    let name = kept.place.name();
    let key = (name.clone(), kept.revision, original.record.hash.clone());
    if let Some(known) = app.places.ladders.get(&key) {
        return Ok(known);
    }
    let (records, name, hash) =
        (app.places.records().clone(), name.to_string(), original.record.hash.clone());
    let read = {
        let (records, name, hash) = (records.clone(), name.clone(), hash.clone());
        blocking(move || records.offered(&name, &hash)).await??
    };
    // A ladder in the form of an earlier version is chosen anew.
    let offered = match read.and_then(|text| serde_json::from_str(&text).ok()) {
        Some(offered) => offered,
        None => {
            // Markup that was written before the place was stored names these widths.
            let offered = Offered::clone(&*offered_once(app, &kept.place, original).await?);
            let text =
                serde_json::to_string(&offered).map_err(|error| Problem::internal(&error))?;
            let revision = kept.revision;
            blocking(move || records.keep_offered(&name, revision, &hash, &text)).await??;
            offered
        }
    };
    let offered = Arc::new(offered);
    app.places.ladders.insert(key, Arc::clone(&offered));
    Ok(offered)
}

/// The ladders of an original in a place that is not stored: chosen once, so that a site that is
/// rewritten again names the same URLs.
///
/// # Errors
/// If choosing fails, or the records fail.
pub async fn offered_once(
    app: &App,
    place: &Place,
    original: &Arc<Original>,
) -> Result<Arc<Offered>, Problem> {
    let Policy { fidelity, density_step, .. } = &app.policy;
    let shaped_by = format!("{}\n{} {density_step}", place.ladder_key(), fidelity.get());
    let layout = format!("own-{}", &blake3::hash(shaped_by.as_bytes()).to_hex()[..32]);
    let name = layout.parse::<PlaceName>().map_err(|error| Problem::internal(&error))?;
    let hash = original.record.hash.clone();
    let key = (name, 0, hash.clone());
    if let Some(known) = app.places.ladders.get(&key) {
        return Ok(known);
    }
    let read = {
        let (records, layout, hash) = (app.places.records().clone(), layout.clone(), hash.clone());
        blocking(move || records.offered(&layout, &hash)).await??
    };
    let offered = match read.and_then(|text| serde_json::from_str(&text).ok()) {
        Some(offered) => offered,
        None => {
            let offered = chosen(app, place, original).await?;
            let text =
                serde_json::to_string(&offered).map_err(|error| Problem::internal(&error))?;
            let records = app.places.records().clone();
            blocking(move || records.keep_offered_once(&layout, &hash, &text)).await??;
            offered
        }
    };
    let offered = Arc::new(offered);
    app.places.ladders.insert(key, Arc::clone(&offered));
    Ok(offered)
}

/// What a place offers by what is known of the original now.
///
/// # Errors
/// If choosing fails.
pub async fn chosen(
    app: &App,
    place: &Place,
    original: &Arc<Original>,
) -> Result<Offered, Problem> {
    let curves = app.pipeline.curves(original).await;
    let (app, place, original) = (app.clone(), place.clone(), Arc::clone(original));
    Ok(blocking(move || choose_widths(&app, &place, &original, &curves)).await?)
}

fn choose_widths(app: &App, place: &Place, original: &Original, curves: &Curves) -> Offered {
    let facts = original.facts();
    // What current browsers ask for.
    let request = Request::accepting(Accepted::from_header("image/avif,image/webp,image/*"));
    let bytes = |recipe: &Recipe| expected_bytes(recipe, (facts, curves), &request, &app.policy);
    // A vector needs a target to have a recipe at all.
    let flat = kivet_recipe::kind(facts, curves, &app.policy) == Kind::Flat;
    let targets = Targets {
        fidelity: app.policy.fidelity,
        density_step: app.policy.density_step,
        lossless: flat && facts.format != Format::Svg,
    };
    Offered::new(place, facts, Population::assumed(), targets, &bytes)
}
