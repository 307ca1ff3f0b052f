//! The originals of a page's pictures, and what their places offer of them.

use std::{collections::HashMap, path::PathBuf, sync::Arc};

use kivet_page::{
    Loading, Place,
    markup::{Alt, Picture, Use},
    rewrite::{Decided, Fate, Loadings, Wanted},
    rules::{Of, Placed, Rules},
};
use kivet_recipe::PlaceName;

use super::{
    locate::{Located, Locator},
    responses::{PictureChange, RuleVerdict},
};
use crate::{
    app::App,
    blocking::blocking,
    library::{AltChoice, alt_for},
    markup::{Prepared, prepared},
    places::KeptPlace,
    problem::Problem,
    shelves::OriginalId,
};

/// One picture that is rewritten, with everything its markup needs.
pub(super) struct Found {
    /// Its number among what was wanted.
    pub wanted: usize,
    pub placed: Placed,
    pub place: Place,
    pub prepared: Arc<Prepared>,
    pub path: String,
    pub version: Option<String>,
    pub alt: AltChoice,
}

impl Found {
    pub(super) fn decided<'a>(&'a self, wanted: &'a [Wanted], base: &'a str) -> Decided<'a> {
        let picture = Picture {
            base,
            path: &self.path,
            facts: self.prepared.original.facts(),
            version: self.version.as_deref(),
        };
        let alt = match &self.alt {
            AltChoice::Text(text) => Alt::Text(text),
            AltChoice::Decorative => Alt::Decorative,
            AltChoice::Unknown => Alt::Unknown,
        };
        let one = Use { picture, place: &self.place, offered: &self.prepared.offered, alt };
        Decided { wanted: &wanted[self.wanted], placed: &self.placed, one }
    }
}

/// Finds the originals of a document.
pub(super) struct Finder<'a> {
    pub app: &'a App,
    pub rules: &'a Rules,
    pub locator: Locator<'a>,
    pub language: Option<&'a str>,
    pub versioned: bool,
    loadings: Loadings,
    /// The rules of the pictures that load `first`.
    firsts: Vec<usize>,
    known: HashMap<(PlaceName, OriginalId), Arc<Prepared>>,
    pub notes: Vec<String>,
}

impl<'a> Finder<'a> {
    pub(super) fn new(app: &'a App, rules: &'a Rules, folder: Option<PathBuf>) -> Self {
        Self {
            app,
            rules,
            locator: Locator { app, rules, folder },
            language: None,
            versioned: false,
            loadings: Loadings::default(),
            firsts: Vec::new(),
            known: HashMap::new(),
            notes: Vec::new(),
        }
    }

    /// What becomes of each thing wanted; those to be rewritten with their originals.
    pub(super) async fn all(
        &mut self,
        wanted: &[Wanted],
    ) -> Result<(Vec<Found>, Vec<PictureChange>), Problem> {
        let (mut found, mut changes) = (Vec::new(), Vec::new());
        for (number, one) in wanted.iter().enumerate() {
            let mut change = PictureChange {
                line: one.line,
                of: one.of.name().to_owned(),
                address: one.written.clone(),
                rule: one.judged.rule.map(|rule| rule + 1),
                verdicts: RuleVerdict::all(&one.judged),
                ..PictureChange::default()
            };
            match &one.fate {
                Fate::Stays(reason) => change.stays = Some(reason.said().to_owned()),
                Fate::Wait => change.loading = Some("later".to_owned()),
                Fate::Place { placed, near } => match self.one(one, placed, *near).await? {
                    Ok(it) => {
                        change.original = Some(it.prepared.original.id.to_string());
                        change.place = Some(placed.place.to_string());
                        change.loading = Some(it.place.loading().name().to_owned());
                        found.push(Found { wanted: number, ..it });
                    }
                    Err(reason) => change.stays = Some(reason),
                },
            }
            changes.push(change);
        }
        Ok((found, changes))
    }

    /// One picture with its original, or why there is none.
    async fn one(
        &mut self,
        wanted: &Wanted,
        placed: &Placed,
        near: bool,
    ) -> Result<Result<Found, String>, Problem> {
        let id = match self.locator.find(&wanted.address).await? {
            Located::Original(id) => id,
            Located::Nowhere(reason) => return Ok(Err(reason)),
        };
        let (place, kept) = self.place(placed)?;
        let drawing = placed.vector.then(|| vector_of(&id)).flatten();
        let mut prepared = None;
        for id in drawing.iter().chain([&id]) {
            match self.prepared(&place, kept.as_deref(), id).await {
                Ok(known) => {
                    prepared = Some(known);
                    break;
                }
                Err(problem) if drawing.as_ref() == Some(id) => drop(problem),
                Err(problem) if (400..500).contains(&problem.status) => {
                    return Ok(Err(problem.detail));
                }
                Err(problem) => return Err(problem),
            }
        }
        let Some(prepared) = prepared else { return Ok(Err("cannot be read".to_owned())) };
        let is_main = wanted.of == Of::Picture && wanted.source.is_none();
        let place = if is_main {
            let (loading, second) = self.loadings.of(placed, near, &place);
            let rule = wanted.judged.rule;
            if loading == Loading::First {
                self.firsts.extend(rule);
            }
            // Of several that one rule takes, the first of the page is meant.
            if second && !rule.is_some_and(|rule| self.firsts.contains(&rule)) {
                self.notes.push(format!(
                    "line {}: {} would be the second picture to load `first`; it loads `{}`",
                    wanted.line,
                    wanted.written,
                    loading.name()
                ));
            }
            place.with_loading(loading)
        } else {
            let loading = placed.loading.unwrap_or(place.loading());
            place.with_loading(loading)
        };
        let original = &prepared.original;
        let path = original.id.url_path();
        let version = self.versioned.then(|| self.app.pipeline.version(original, None));
        let alt = self.alt(&prepared, &place).await?;
        let placed = placed.clone();
        Ok(Ok(Found { wanted: 0, placed, place, prepared, path, version, alt }))
    }

    fn place(&self, placed: &Placed) -> Result<(Place, Option<Arc<KeptPlace>>), Problem> {
        match self.rules.places.get(&placed.place) {
            // A place that is kept in the same words has its ladders already.
            Some(own) => match self.app.places.named(placed.place.as_str()) {
                Ok(kept) if kept.place == *own => Ok((own.clone(), Some(kept))),
                _ => Ok((own.clone(), None)),
            },
            None => {
                let kept = self.app.places.named(placed.place.as_str())?;
                Ok((kept.place.clone(), Some(kept)))
            }
        }
    }

    async fn prepared(
        &mut self,
        place: &Place,
        kept: Option<&KeptPlace>,
        id: &OriginalId,
    ) -> Result<Arc<Prepared>, Problem> {
        let key = (place.name().clone(), id.clone());
        if let Some(known) = self.known.get(&key) {
            return Ok(Arc::clone(known));
        }
        let made = Arc::new(prepared(self.app, place, kept, id).await?);
        self.known.insert(key, Arc::clone(&made));
        Ok(made)
    }

    async fn alt(&self, prepared: &Prepared, place: &Place) -> Result<AltChoice, Problem> {
        let (records, id) = (self.app.records.clone(), prepared.original.id.clone());
        let texts = blocking(move || records.alts(id.shelf(), id.path())).await??;
        Ok(alt_for(&texts, self.language, place.name().as_str()))
    }
}

/// The drawing of the same name.
fn vector_of(id: &OriginalId) -> Option<OriginalId> {
    let (stem, _) = id.path().rsplit_once('.')?;
    let named: Result<OriginalId, _> = OriginalId::from_text(&format!("{}/{stem}.svg", id.shelf()));
    named.ok().filter(|drawing| drawing != id)
}
