//! All places, held in memory: looking one up touches neither SQLite nor disk.

use std::{
    collections::BTreeMap,
    sync::{Arc, PoisonError, RwLock},
};

use kivet_page::{Loading, Offered, Place, PlaceDocument, markup::preview_recipe};
use kivet_recipe::{
    Access, Fidelity, PlaceName, PlaceRecipes, Policy, Recipe, RecipeError, nearest,
};
use kivet_store::{PlaceRecord, Records, StoreError};
use moka::sync::Cache;

use crate::{
    problem::{Problem, ProblemKind},
    revision::Revision,
};

/// Ladders held in memory.
const LADDERS: u64 = 20_000;

/// All places. Cheap to clone.
#[derive(Clone)]
pub struct Places {
    records: Records,
    policy: Policy,
    current: Arc<RwLock<Arc<Snapshot>>>,
    revision: Revision,
    pub(super) ladders: Cache<(PlaceName, i64, String), Arc<Offered>>,
}

/// A place as it is kept.
#[derive(Debug)]
pub struct KeptPlace {
    /// The place.
    pub place: Place,
    /// As it was written.
    pub document: PlaceDocument,
    /// Counts its changes.
    pub revision: i64,
}

#[derive(Default)]
struct Snapshot {
    by_name: BTreeMap<PlaceName, Arc<KeptPlace>>,
    recipes: Vec<PlaceRecipes>,
}

impl Places {
    /// Reads the places from the records. Blocks.
    ///
    /// # Errors
    /// If the records fail.
    pub fn open(records: Records, policy: Policy, revision: Revision) -> Result<Self, StoreError> {
        let ladders = Cache::new(LADDERS);
        let places = Self { records, policy, current: Arc::default(), revision, ladders };
        places.read_again()?;
        Ok(places)
    }

    /// All of them, by name.
    pub fn all(&self) -> Vec<Arc<KeptPlace>> {
        self.snapshot().by_name.values().cloned().collect()
    }

    /// The place of that name.
    ///
    /// # Errors
    /// If it is unknown; names the nearest.
    pub fn named(&self, name: &str) -> Result<Arc<KeptPlace>, Problem> {
        let snapshot = self.snapshot();
        let found =
            name.parse::<PlaceName>().ok().and_then(|name| snapshot.by_name.get(&name).cloned());
        found.ok_or_else(|| {
            let near = snapshot.nearest(name);
            let way_out = near.as_ref().map_or_else(
                || "`kivet place list` shows what there is".to_owned(),
                |near| format!("did you mean `{near}`?"),
            );
            let detail = format!("unknown place `{name}`; {way_out}");
            Problem::new(ProblemKind::UnknownPlace, detail).with_nearest(near)
        })
    }

    /// The recipe with its place, if it names one, replaced by what that stands for.
    ///
    /// # Errors
    /// If the place is unknown, or the two do not go together.
    pub fn resolve(&self, recipe: &Recipe) -> Result<Recipe, RecipeError> {
        let Some(name) = &recipe.place else { return Ok(recipe.clone()) };
        let snapshot = self.snapshot();
        match snapshot.by_name.get(name) {
            Some(kept) => recipe.in_place(&kept.place.recipe()),
            None => Err(RecipeError {
                recipe: recipe.to_string(),
                clause: format!("@{name}"),
                problem: "names an unknown place".to_owned(),
                nearest: snapshot.nearest(name.as_str()).map(|near| format!("@{near}")),
            }),
        }
    }

    /// How urgent the pictures of the place are that a recipe names (RFC 9218, section 4.1): as its
    /// markup loads them.
    pub fn urgency(&self, recipe: &Recipe) -> Option<u8> {
        let name = recipe.place.as_ref()?;
        let loading = self.snapshot().by_name.get(name)?.place.loading();
        Some(match loading {
            Loading::First => 1,
            Loading::Near => 3,
            Loading::Later => 5,
            Loading::Hidden => 6,
        })
    }

    /// Refuses a resolved recipe that neither the list nor any place names.
    ///
    /// # Errors
    /// Names the nearest recipe that is answered.
    pub fn admit(&self, access: &Access, recipe: &Recipe) -> Result<(), RecipeError> {
        if *access == Access::Open {
            return Ok(());
        }
        access.admit(recipe, &self.snapshot().recipes)
    }

    /// Keeps places, all or none. Blocks.
    ///
    /// # Errors
    /// If one of them cannot be used, or the records fail.
    pub fn keep(&self, documents: &BTreeMap<PlaceName, PlaceDocument>) -> Result<(), Problem> {
        for (name, document) in documents {
            document.checked(name)?;
        }
        let written = |(name, document): (&PlaceName, &PlaceDocument)| {
            let document = serde_json::to_string(document);
            document.map(|document| (name.to_string(), document))
        };
        let rows: Result<Vec<_>, _> = documents.iter().map(written).collect();
        self.records.keep_places(&rows.map_err(|error| Problem::internal(&error))?)?;
        Ok(self.read_again()?)
    }

    /// Removes a place. Blocks.
    ///
    /// # Errors
    /// If the place is unknown, or the records fail.
    pub fn remove(&self, name: &str) -> Result<(), Problem> {
        let kept = self.named(name)?;
        self.records.remove_place(kept.place.name().as_str())?;
        Ok(self.read_again()?)
    }

    pub(super) const fn records(&self) -> &Records {
        &self.records
    }

    fn snapshot(&self) -> Arc<Snapshot> {
        Arc::clone(&self.current.read().unwrap_or_else(PoisonError::into_inner))
    }

    fn read_again(&self) -> Result<(), StoreError> {
        // Held while reading, so that of two changes the later one stays.
        let mut current = self.current.write().unwrap_or_else(PoisonError::into_inner);
        let places = self.records.places()?.into_iter().filter_map(read);
        let by_name: BTreeMap<_, _> =
            places.map(|kept| (kept.place.name().clone(), Arc::new(kept))).collect();
        let Policy { fidelity, density_step, .. } = self.policy;
        let of_places =
            by_name.values().flat_map(|kept| kept.place.recipes(fidelity, density_step));
        let preview = PlaceRecipes {
            geometry: preview_recipe().in_any_format(),
            targets: Fidelity::DEFAULT..=Fidelity::DEFAULT,
        };
        let recipes = of_places.chain([preview]).collect();
        *current = Arc::new(Snapshot { by_name, recipes });
        self.revision.advance();
        Ok(())
    }
}

impl Snapshot {
    fn nearest(&self, name: &str) -> Option<String> {
        nearest(name, self.by_name.keys().map(PlaceName::as_str)).map(str::to_owned)
    }
}

/// A record as a place. One that this version cannot use stays in the records, and the log says
/// why.
fn read(record: PlaceRecord) -> Option<KeptPlace> {
    let PlaceRecord { name, revision, document } = record;
    let complain = |problem: String| {
        tracing::error!(place = name, problem, "this place cannot be used; set it again");
    };
    let parsed: PlaceDocument =
        serde_json::from_str(&document).map_err(|error| complain(error.to_string())).ok()?;
    let plain: PlaceName = name.parse().ok()?;
    let place = parsed.checked(&plain).map_err(|error| complain(error.to_string())).ok()?;
    Some(KeptPlace { place, document: parsed, revision })
}
