//! What a picture's address asks for, and what is chosen for a request to it.

use std::sync::Arc;

use axum::http::{HeaderMap, Uri};
use kivet_recipe::{
    Choice, Fidelity, Format, Keep, Quality, Reason, Recipe, Request, Varies, choose, varies,
};

use super::headers::Vary;
use crate::{
    app::App,
    config::Originals,
    problem::{Problem, ProblemKind},
    queue::Requester,
    shelves::{Original, OriginalId},
};

/// The query keys a picture's address may have.
const QUERY_KEYS: [&str; 1] = ["v"];

/// An address taken apart.
#[derive(Debug)]
pub struct PictureRequest {
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
    /// The version that makes its URL immutable: of all that shapes the picture.
    pub version: String,
}

impl PictureRequest {
    /// Reads what stands behind `prefix`: `<recipe>/<shelf>/<path>`, as it was sent.
    ///
    /// # Errors
    /// If a part is missing or cannot be read.
    pub fn read(uri: &Uri, prefix: &str) -> Result<Self, Problem> {
        let mut parts = uri.path().strip_prefix(prefix).unwrap_or_default().splitn(3, '/');
        let (Some(recipe), Some(shelf), Some(path)) = (parts.next(), parts.next(), parts.next())
        else {
            let detail = format!(
                "`{}` is not a picture's path; write {prefix}<recipe>/<shelf>/<path>",
                uri.path()
            );
            return Err(Problem::new(ProblemKind::IncompletePath, detail));
        };
        Ok(Self {
            recipe: decoded(recipe).parse::<Recipe>()?,
            id: OriginalId::from_url_path(shelf, path)?,
            version: version(uri)?,
        })
    }

    /// The original that an address names, whatever else is wrong with it.
    pub(super) fn of_path_alone(uri: &Uri, prefix: &str) -> Option<OriginalId> {
        let mut parts = uri.path().strip_prefix(prefix)?.splitn(3, '/').skip(1);
        OriginalId::from_url_path(parts.next()?, parts.next()?).ok()
    }

    /// What of a request the answer can depend on, as far as the address alone tells.
    pub(super) fn vary(&self, app: &App) -> Vary {
        Vary { varies: Varies::by_recipe(&self.recipe, &app.policy), coding: false }
    }

    /// Chooses for a request; `vary` learns what the answer depends on as soon as it is known.
    ///
    /// # Errors
    /// If the address is not answered here, the original cannot be had, or the recipe not be
    /// followed for it.
    pub async fn choose(
        &self,
        app: &App,
        (request, requester): (&Request, Requester),
        vary: &mut Vary,
    ) -> Result<Chosen, Problem> {
        let placed = app.places.resolve(&self.recipe)?;
        app.places.admit(&app.access, &placed)?;
        let original = app.shelves.original_for(&self.id, requester).await?;
        // What a place stands for shapes the picture, too.
        let geometry = self.recipe.place.is_some().then_some(&placed);
        let version = app.pipeline.version(&original, geometry);
        let recipe = by_shelf(app, placed, &original)?;
        let facts = original.facts();
        let varies = varies(&recipe, facts, &app.policy);
        // A vector that goes out as one is text, which is worth packing.
        let coding =
            facts.format == Format::Svg && recipe.format.is_none() && varies == Varies::default();
        *vary = Vary { varies, coding };
        recipe
            .overlays
            .iter()
            .try_for_each(|name| app.pipeline.assets().overlay(name).map(|_| ()))
            .map_err(|error| {
                let kind = ProblemKind::UnknownOverlay;
                Problem::new(kind, format!("in the recipe `{recipe}`, {error}"))
            })?;
        let original = app.pipeline.with_facts_for(original, &recipe, requester).await?;
        let curves = app.pipeline.curves(&original).await;
        let choice = choose(&recipe, original.facts(), &curves, request, &app.policy)?;
        let choice = untouched(app, choice, &self.id);
        Ok(Chosen { original, recipe, choice, version })
    }
}

/// A request's headers as the choice reads them. A header may come in several lines (RFC 9110,
/// section 5.3).
pub fn request_of(headers: &HeaderMap) -> Request {
    Request::read(|name| {
        let lines: Vec<&str> =
            headers.get_all(name).iter().filter_map(|line| line.to_str().ok()).collect();
        (!lines.is_empty()).then(|| lines.join(","))
    })
}

/// The recipe with what its shelf lays over every picture. The original under an overlay is a
/// rendition in its own format.
fn by_shelf(app: &App, recipe: Recipe, original: &Original) -> Result<Recipe, Problem> {
    let rules = app.shelves.rules(original.id.shelf());
    if recipe.original && rules.originals == Originals::Refused {
        let detail = format!(
            "the shelf `{}` does not give out its originals; ask for a rendition, such as 1600w",
            original.id.shelf()
        );
        return Err(Problem::new(ProblemKind::OriginalRefused, detail));
    }
    let Some(overlay) = rules.overlay.filter(|overlay| !recipe.overlays.contains(overlay)) else {
        return Ok(recipe);
    };
    let format = Some(original.facts().format).filter(|format| Format::NAMEABLE.contains(format));
    let laid = recipe.with(|clauses| {
        if std::mem::take(&mut clauses.original) {
            clauses.format = format;
            clauses.quality = Fidelity::new(90).map(Quality::Fidelity);
        }
        clauses.overlays.push(overlay);
    });
    Ok(laid?)
}

/// Where the shelf says so, the original goes out with all it carries.
fn untouched(app: &App, mut choice: Choice, id: &OriginalId) -> Choice {
    let originals = app.shelves.rules(id.shelf()).originals;
    if choice.reason == Reason::Original && originals == Originals::Untouched {
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
