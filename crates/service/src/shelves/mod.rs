//! Shelves: where originals live, and what is known of them.

mod error;
mod folder;
mod original;

use std::{collections::BTreeMap, path::Path, sync::Arc, time::Duration};

use kivet_image::{Limits, probe};
use kivet_recipe::{Position, nearest};
use kivet_store::{OriginalRecord, Records};
use moka::future::Cache;

use crate::{
    blocking::blocking,
    config::{ShelfRules, ShelfSettings, ShelfSource},
    metrics::Metrics,
};
pub use error::ShelfError;
use folder::Folder;
pub use original::{Original, OriginalId, PathError};

/// How long a file is taken to be what it was, before it is looked at again: hot answers do not
/// touch the disk.
const TRUSTED_FOR: Duration = Duration::from_secs(2);

/// All shelves.
#[derive(Clone)]
pub struct Shelves {
    shelves: Arc<BTreeMap<String, Shelf>>,
    settings: Arc<BTreeMap<String, ShelfSettings>>,
    records: Records,
    limits: Limits,
    metrics: Metrics,
    known: Cache<OriginalId, Arc<Original>>,
}

enum Shelf {
    Folder(Folder),
    NotYetRead(&'static str),
}

impl Shelves {
    /// The shelves of a configuration.
    ///
    /// # Errors
    /// If a folder cannot be found; the error names the shelf.
    pub fn new(
        settings: &BTreeMap<String, ShelfSettings>,
        records: Records,
        limits: Limits,
        metrics: Metrics,
    ) -> std::io::Result<Self> {
        let kept = settings.clone();
        let mut shelves = BTreeMap::new();
        for (name, settings) in settings {
            let shelf = match &settings.source {
                ShelfSource::Folder(path) => Shelf::Folder(Folder::open(path)?),
                ShelfSource::Web(_) => Shelf::NotYetRead("a web server"),
                ShelfSource::Bucket(_) => Shelf::NotYetRead("a bucket"),
            };
            if let Shelf::NotYetRead(kind) = shelf {
                tracing::warn!(
                    shelf = name,
                    "is {kind}, which this version cannot read yet; requests to it are refused"
                );
            }
            shelves.insert(name.clone(), shelf);
        }
        let known = Cache::builder().max_capacity(50_000).time_to_live(TRUSTED_FOR).build();
        let (shelves, settings) = (Arc::new(shelves), Arc::new(kept));
        Ok(Self { shelves, settings, records, limits, metrics, known })
    }

    /// What holds for one shelf alone.
    pub fn rules(&self, shelf: &str) -> ShelfRules {
        self.settings.get(shelf).map_or_else(ShelfRules::default, |settings| settings.rules.clone())
    }

    /// The names of the shelves that can be read.
    pub fn names(&self) -> Vec<String> {
        let readable = |shelf: &Shelf| matches!(shelf, Shelf::Folder(_));
        self.shelves
            .iter()
            .filter(|(_, shelf)| readable(shelf))
            .map(|(name, _)| name.clone())
            .collect()
    }

    /// What is known of an original, learnt now if it is new or has changed.
    ///
    /// # Errors
    /// If it cannot be had; see [`ShelfError`].
    pub async fn original(&self, id: &OriginalId) -> Result<Arc<Original>, ShelfError> {
        if let Some(known) = self.known.get(id).await {
            return Ok(known);
        }
        let shelves = self.clone();
        let learnt = self.known.try_get_with(id.clone(), {
            let id = id.clone();
            async move { blocking(move || shelves.learn(&id)).await? }
        });
        learnt.await.map_err(|error| ShelfError::clone(&error))
    }

    /// Marks what matters on an original, or takes the mark away.
    ///
    /// # Errors
    /// If the records fail.
    pub async fn set_focus(
        &self,
        id: &OriginalId,
        focus: Option<Position>,
    ) -> Result<(), ShelfError> {
        let (records, marked) = (self.records.clone(), id.clone());
        blocking(move || records.set_focus(marked.shelf(), marked.path(), focus)).await??;
        self.look_again(id).await;
        Ok(())
    }

    /// Invalidates what is cached of an original, so that the file is looked at again.
    pub async fn look_again(&self, id: &OriginalId) {
        self.known.invalidate(id).await;
    }

    /// The paths of a shelf's picture-like files in order, from the first after `after`, at most
    /// `most`.
    ///
    /// # Errors
    /// If there is no such shelf.
    pub async fn list(
        &self,
        shelf: &str,
        after: Option<String>,
        limit: usize,
    ) -> Result<Vec<OriginalId>, ShelfError> {
        let name = shelf.to_owned();
        let root = self.folder(shelf)?.clone();
        let paths = blocking(move || root.list(after.as_deref(), limit)).await?;
        Ok(paths.into_iter().map(|path| OriginalId::trusted(&name, path)).collect())
    }

    /// The original that a file on this machine is, if a shelf's folder holds it. Blocks.
    pub fn holding(&self, file: &Path) -> Option<OriginalId> {
        let file = file.canonicalize().ok()?;
        self.shelves.iter().find_map(|(name, shelf)| match shelf {
            Shelf::Folder(folder) => {
                let path = folder.path_of(&file)?;
                Some(OriginalId::trusted(name, path))
            }
            Shelf::NotYetRead(_) => None,
        })
    }

    fn folder(&self, shelf: &str) -> Result<&Folder, ShelfError> {
        match self.shelves.get(shelf) {
            Some(Shelf::Folder(folder)) => Ok(folder),
            Some(Shelf::NotYetRead(kind)) => {
                Err(ShelfError::UnreadShelf { name: shelf.to_owned(), kind })
            }
            None => {
                let nearest =
                    nearest(shelf, self.shelves.keys().map(String::as_str)).map(str::to_owned);
                Err(ShelfError::UnknownShelf { name: shelf.to_owned(), nearest })
            }
        }
    }

    /// Looks at the file, and reads it if its state is not in the records.
    fn learn(&self, id: &OriginalId) -> Result<Arc<Original>, ShelfError> {
        let (file, stamp) = self.folder(id.shelf())?.find(id)?;
        // Records that fail know nothing: the file is read, as if for the first time.
        let known = self.records.original(id.shelf(), id.path(), stamp);
        if let Some(record) = self.metrics.kept("records", &id.to_string(), known).flatten() {
            // The limits may have been lowered since the record was made.
            if record.facts.format != kivet_recipe::Format::Svg {
                self.limits
                    .check(record.facts.size)
                    .map_err(|source| ShelfError::NotUsable { id: id.clone(), source })?;
            }
            return Ok(Arc::new(Original { id: id.clone(), file, record }));
        }
        let refused = |source| ShelfError::NotUsable { id: id.clone(), source };
        self.limits.check_bytes(stamp.bytes).map_err(refused)?;
        let bytes = std::fs::read(&file).map_err(|error| ShelfError::Unreadable {
            id: id.clone(),
            problem: error.to_string(),
        })?;
        let mut facts = probe(&bytes, self.limits)
            .map_err(|source| ShelfError::NotUsable { id: id.clone(), source })?;
        let focus = self.records.focus(id.shelf(), id.path());
        facts.focus = self.metrics.kept("records", &id.to_string(), focus).flatten();
        let record =
            OriginalRecord { stamp, hash: blake3::hash(&bytes).to_hex().to_string(), facts };
        let kept = self.records.keep_original(id.shelf(), id.path(), &record);
        self.metrics.kept("records", &id.to_string(), kept);
        Ok(Arc::new(Original { id: id.clone(), file, record }))
    }
}
