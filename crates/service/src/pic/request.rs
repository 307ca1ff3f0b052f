//! What a picture's address asks for, and what is chosen for a request to it.

use std::sync::Arc;

use axum::http::{HeaderMap, StatusCode, Uri};
use kivet_recipe::{
    Choice, ChoiceError, Encoding, Fidelity, Format, Keep, Quality, Recipe, Request, Varies, choose, varies,
};

use super::headers::Vary;
use crate::{
    app::App,
    config::Originals,
    problem::Problem,
    shelves::{Original, OriginalId, image_problem},
};

/// The query keys a picture's address may have.
const QUERY_KEYS: [&str; 1] = ["v"];

/// An address taken apart.
#[derive(Debug)]
pub struct Asked {
    /// The recipe.
    pub recipe: Recipe,
    /// The original.
    pub id: OriginalId,
    /// The version it names, `?v=`.
    pub version: Option<String>,
}

/// What was chosen, and for which original.
pub struct Chosen {
    /// The original, with all facts the choice rests on.
    pub original: Arc<Original>,
    /// The recipe as it stands on this shelf.
    pub recipe: Recipe,
    /// The choice.
    pub choice: Choice,
}

impl Asked {
    /// Reads what stands behind `prefix`: `<recipe>/<shelf>/<path>`, as it was sent.
    ///
    /// # Errors
    /// If a part is missing or cannot be read.
    pub fn read(uri: &Uri, prefix: &str) -> Result<Self, Problem> {
        let address = uri.path().trim_start_matches(prefix);
        let mut parts = address.splitn(3, '/');
        let (Some(recipe), Some(shelf), Some(path)) = (parts.next(), parts.next(), parts.next()) else {
            let detail = format!("`{}` is no picture's address; write {prefix}<recipe>/<shelf>/<path>", uri.path());
            return Err(Problem::new(StatusCode::NOT_FOUND, "incomplete-address", detail));
        };
        Ok(Self {
            recipe: decoded(recipe).parse::<Recipe>()?,
            id: OriginalId::from_address(shelf, path)?,
            version: version(uri)?,
        })
    }

    /// The original that an address names, whatever else is wrong with it.
    pub(super) fn of_path_alone(uri: &Uri, prefix: &str) -> Option<OriginalId> {
        let mut parts = uri.path().trim_start_matches(prefix).splitn(3, '/').skip(1);
        OriginalId::from_address(parts.next()?, parts.next()?).ok()
    }

    /// What of a request the answer can depend on, as far as the address alone tells.
    pub(super) fn vary(&self, app: &App) -> Vary {
        Vary { varies: Varies::by_recipe(&self.recipe, &app.policy), coding: false }
    }

    /// Chooses for a request; `vary` learns what the answer depends on as soon as it is known.
    ///
    /// # Errors
    /// If the address is not answered here, the original cannot be had, or the recipe not be followed for it.
    pub async fn choose(&self, app: &App, request: &Request, vary: &mut Vary) -> Result<Chosen, Problem> {
        app.access.admit(&self.recipe)?;
        let original = app.shelves.original(&self.id).await?;
        let recipe = by_shelf(app, self.recipe.clone(), &original)?;
        let facts = original.facts();
        let varies = varies(&recipe, facts, &app.policy);
        // A vector that goes out as one is text, which is worth packing.
        let coding = facts.format == Format::Svg && recipe.format.is_none() && varies == Varies::default();
        *vary = Vary { varies, coding };
        recipe
            .overlays
            .iter()
            .try_for_each(|name| app.pipeline.assets().overlay(name).map(|_| ()))
            .map_err(|error| image_problem(&error, format!("in the recipe `{recipe}`, {error}")))?;
        let original = app.pipeline.knowing(original, &recipe).await?;
        let curves = app.pipeline.curves(&original).await;
        let choice = choose(&recipe, original.facts(), &curves, request, &app.policy)?;
        let choice = untouched(app, choice, &self.id);
        Ok(Chosen { original, recipe, choice })
    }
}

/// A request's headers as the choice reads them. A header may come in several lines (RFC 9110, section 5.3).
pub fn request_of(headers: &HeaderMap) -> Request {
    Request::read(|name| {
        let lines: Vec<&str> = headers.get_all(name).iter().filter_map(|line| line.to_str().ok()).collect();
        (!lines.is_empty()).then(|| lines.join(","))
    })
}

/// The recipe with what its shelf lays over every picture. The original under an overlay is a rendition in its own format.
fn by_shelf(app: &App, mut recipe: Recipe, original: &Original) -> Result<Recipe, Problem> {
    let settings = app.shelves.settings(original.id.shelf());
    if recipe.original && settings.originals == Originals::Refused {
        let detail = format!(
            "the shelf `{}` does not give out its originals; ask for a rendition, such as 1600w",
            original.id.shelf()
        );
        return Err(Problem::new(StatusCode::FORBIDDEN, "original-refused", detail));
    }
    if let Some(overlay) = settings.overlay.filter(|overlay| !recipe.overlays.contains(overlay)) {
        if std::mem::take(&mut recipe.original) {
            recipe.format = Some(original.facts().format).filter(|format| Format::NAMEABLE.contains(format));
            recipe.quality = Fidelity::new(90).map(Quality::Fidelity);
        }
        recipe.overlays.push(overlay);
    }
    Ok(recipe)
}

/// Where the shelf says so, the original goes out with all it carries.
fn untouched(app: &App, mut choice: Choice, id: &OriginalId) -> Choice {
    let originals = app.shelves.settings(id.shelf()).originals;
    if choice.encoding == Encoding::Original && originals == Originals::Untouched {
        choice.edits.keep = Some(Keep::All);
    }
    choice
}

/// The version an address names; any other query key is a mistake.
fn version(uri: &Uri) -> Result<Option<String>, Problem> {
    let mut version = None;
    for pair in uri.query().unwrap_or_default().split('&').filter(|pair| !pair.is_empty()) {
        match pair.split_once('=').unwrap_or((pair, "")) {
            ("v", value) => version = Some(value.to_owned()),
            (key, _) => return Err(Problem::unknown_query_key(key, &QUERY_KEYS)),
        }
    }
    Ok(version)
}

/// Some clients escape `@` and the like, which need no escape here.
fn decoded(text: &str) -> String {
    percent_encoding::percent_decode_str(text).decode_utf8_lossy().into_owned()
}

impl From<ChoiceError> for Problem {
    fn from(error: ChoiceError) -> Self {
        Self::new(StatusCode::BAD_REQUEST, "impossible-recipe", error.to_string())
    }
}
