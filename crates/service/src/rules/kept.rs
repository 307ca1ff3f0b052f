//! The rules that are kept.

use std::collections::BTreeMap;

use kivet_page::{
    PlaceDocument,
    rules::{Outcome, Rules, RulesDocument},
};
use kivet_recipe::PlaceName;

use crate::{
    app::App,
    blocking::blocking,
    problem::{Problem, ProblemKind},
};

/// The kept rules as they were written, without places; none if none are kept.
///
/// # Errors
/// If the records fail, or hold rules of another version.
pub async fn kept(app: &App) -> Result<RulesDocument, Problem> {
    let records = app.records.clone();
    let Some(text) = blocking(move || records.rules()).await?? else {
        return Ok(RulesDocument::default());
    };
    serde_json::from_str(&text).map_err(|error| Problem::internal(&error))
}

/// Checks rules, and that every place they name is theirs or kept.
///
/// # Errors
/// Names the rule and what is wrong with it, or the place that is unknown.
pub fn read(app: &App, document: &RulesDocument) -> Result<Rules, Problem> {
    let rules = document.checked()?;
    for rule in &rules.rules {
        if let Outcome::Place(placed) = &rule.outcome
            && !rules.places.contains_key(&placed.place)
        {
            app.places.named(placed.place.as_str())?;
        }
    }
    Ok(rules)
}

/// Stores rules, and their places among the others. Blocks. Places of these names that are stored
/// otherwise are replaced only if `replaces` says so.
///
/// # Errors
/// If something of them cannot be used, would replace a place, or the records fail.
pub(super) fn keep(app: &App, document: &RulesDocument, replaces: bool) -> Result<(), Problem> {
    read(app, document)?;
    let differs = |(name, place): &(&String, &PlaceDocument)| {
        app.places.named(name).is_ok_and(|kept| kept.document != **place)
    };
    let taken: Vec<&str> =
        document.places.iter().filter(differs).map(|(name, _)| name.as_str()).collect();
    if !replaces && !taken.is_empty() {
        let detail = format!(
            "other places of these names are stored: {}; give those of the rules other names, or replace the stored ones with `kivet rules set --replace-places` (`?replace-places=true`)",
            taken.join(", ")
        );
        return Err(Problem::new(ProblemKind::PlaceTaken, detail));
    }
    let named: BTreeMap<PlaceName, _> = document
        .places
        .iter()
        .filter_map(|(name, place)| Some((name.parse().ok()?, place.clone())))
        .collect();
    app.places.keep(&named)?;
    let rules = RulesDocument { places: BTreeMap::new(), ..document.clone() };
    let text = serde_json::to_string(&rules).map_err(|error| Problem::internal(&error))?;
    Ok(app.records.keep_rules(&text)?)
}
