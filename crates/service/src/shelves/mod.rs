//! Shelves: where originals live, and what is known of them.

mod folder;
mod original;

use std::{collections::BTreeMap, sync::Arc, time::Duration};

use axum::http::StatusCode;
use kivet_image::{ImageError, Limits, probe};
use kivet_recipe::{Position, nearest};
use kivet_store::{OriginalRecord, Records, StoreError};
use moka::future::Cache;

use crate::{
    config::{ShelfRules, ShelfSettings, ShelfSource},
    problem::Problem,
};
use folder::Folder;
pub use original::{Original, OriginalId};

/// How long a file is taken to be what it was, before it is looked at again: hot answers do not touch the disk.
const TRUSTED_FOR: Duration = Duration::from_secs(2);

/// Why an original cannot be had.
#[derive(Clone, Debug, thiserror::Error)]
pub enum ShelfError {
    /// No shelf has that name.
    #[error("there is no shelf `{name}`{}", nearest.as_ref().map_or(String::new(), |nearest| format!("; did you mean `{nearest}`?")))]
    UnknownShelf {
        /// The name asked for.
        name: String,
        /// The nearest that exists.
        nearest: Option<String>,
    },
    /// The shelf is of a kind this version does not read.
    #[error("the shelf `{name}` is {kind}, which this version of Kivet cannot read yet; only folder shelves are")]
    NotYetRead {
        /// The shelf.
        name: String,
        /// What it is.
        kind: &'static str,
    },
    /// The path is not written as a path on a shelf can be.
    #[error("the path `{path}` is not one on a shelf: {problem}")]
    BadPath {
        /// The path as asked for.
        path: String,
        /// What is wrong with it.
        problem: &'static str,
    },
    /// The path leads out of the shelf's folder.
    #[error("`{id}` leads out of its shelf's folder; only files inside it are served")]
    LeavesShelf {
        /// What was asked for.
        id: OriginalId,
    },
    /// Nothing is there.
    #[error("there is no original `{id}`; `kivet library list {}` shows what there is", id.shelf())]
    NotFound {
        /// What was asked for.
        id: OriginalId,
    },
    /// It is there but the system does not let it be read.
    #[error("the original `{id}` cannot be read: {problem}")]
    Unreadable {
        /// What was asked for.
        id: OriginalId,
        /// What the system says.
        problem: String,
    },
    /// It is there but is no picture that can be used.
    #[error("the original `{id}`: {source}")]
    NotUsable {
        /// What was asked for.
        id: OriginalId,
        /// Why.
        source: ImageError,
    },
    /// The records failed.
    #[error(transparent)]
    Store(Arc<StoreError>),
}

impl From<ShelfError> for Problem {
    fn from(error: ShelfError) -> Self {
        let (status, name) = match &error {
            ShelfError::UnknownShelf { .. } => (StatusCode::NOT_FOUND, "unknown-shelf"),
            ShelfError::NotYetRead { .. } => (StatusCode::NOT_FOUND, "shelf-not-yet-read"),
            ShelfError::BadPath { .. } => (StatusCode::BAD_REQUEST, "bad-path"),
            ShelfError::LeavesShelf { .. } => (StatusCode::FORBIDDEN, "leaves-shelf"),
            ShelfError::NotFound { .. } => (StatusCode::NOT_FOUND, "no-such-original"),
            ShelfError::Unreadable { .. } => (StatusCode::FORBIDDEN, "unreadable-original"),
            ShelfError::NotUsable { source, .. } => return image_problem(source, error.to_string()),
            ShelfError::Store(source) => return Self::internal(source),
        };
        let problem = Self::new(status, name, error.to_string());
        match error {
            ShelfError::UnknownShelf { nearest, .. } => problem.with_nearest(nearest),
            _ => problem,
        }
    }
}

/// The answer to a picture that cannot be used.
pub(crate) fn image_problem(error: &ImageError, detail: String) -> Problem {
    let (status, name) = match error {
        ImageError::NotAPicture => (StatusCode::UNSUPPORTED_MEDIA_TYPE, "not-a-picture"),
        ImageError::NotBuilt { .. } => (StatusCode::UNSUPPORTED_MEDIA_TYPE, "not-in-this-build"),
        ImageError::TooHeavy { .. } => (StatusCode::UNPROCESSABLE_ENTITY, "too-many-bytes"),
        ImageError::TooManyFrames { .. } => (StatusCode::UNPROCESSABLE_ENTITY, "too-many-frames"),
        ImageError::TooMuchMemory { .. } => (StatusCode::UNPROCESSABLE_ENTITY, "too-much-memory"),
        ImageError::TooSlow => (StatusCode::UNPROCESSABLE_ENTITY, "too-slow"),
        ImageError::NoOverlay { .. } => (StatusCode::BAD_REQUEST, "unknown-overlay"),
        ImageError::TooLarge { .. } => (StatusCode::UNPROCESSABLE_ENTITY, "too-many-pixels"),
        ImageError::Damaged { .. } => (StatusCode::UNPROCESSABLE_ENTITY, "damaged-original"),
        _ => return Problem::internal(error),
    };
    Problem::new(status, name, detail)
}

/// All shelves.
#[derive(Clone)]
pub struct Shelves {
    shelves: Arc<BTreeMap<String, Shelf>>,
    settings: Arc<BTreeMap<String, ShelfSettings>>,
    records: Records,
    limits: Limits,
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
    pub fn new(settings: &BTreeMap<String, ShelfSettings>, records: Records, limits: Limits) -> std::io::Result<Self> {
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
        Ok(Self { shelves: Arc::new(shelves), settings: Arc::new(kept), records, limits, known })
    }

    /// What holds for one shelf alone.
    pub fn settings(&self, shelf: &str) -> ShelfRules {
        self.settings.get(shelf).map_or_else(ShelfRules::default, |settings| settings.rules.clone())
    }

    /// The names of the shelves that can be read.
    pub fn names(&self) -> Vec<String> {
        let readable = |shelf: &Shelf| matches!(shelf, Shelf::Folder(_));
        self.shelves.iter().filter(|(_, shelf)| readable(shelf)).map(|(name, _)| name.clone()).collect()
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
            async move { off_thread(move || shelves.learn(&id)).await }
        });
        learnt.await.map_err(|error| ShelfError::clone(&error))
    }

    /// Marks what matters on an original, or takes the mark away.
    ///
    /// # Errors
    /// If the records fail.
    pub async fn set_focus(&self, id: &OriginalId, focus: Option<Position>) -> Result<(), ShelfError> {
        let (records, marked) = (self.records.clone(), id.clone());
        let store = |error| ShelfError::Store(Arc::new(error));
        off_thread(move || records.set_focus(marked.shelf(), marked.path(), focus).map_err(store)).await?;
        self.look_again(id).await;
        Ok(())
    }

    /// Forgets for now what was known of an original, so that the file is looked at again.
    pub async fn look_again(&self, id: &OriginalId) {
        self.known.invalidate(id).await;
    }

    /// The paths of a shelf's picture-like files in order, from the first after `after`, at most `most`.
    ///
    /// # Errors
    /// If there is no such shelf.
    pub async fn list(&self, shelf: &str, after: Option<String>, limit: usize) -> Result<Vec<OriginalId>, ShelfError> {
        let name = shelf.to_owned();
        let root = self.folder(shelf)?.clone();
        let paths = off_thread(move || Ok(root.list(after.as_deref(), limit))).await?;
        Ok(paths.into_iter().map(|path| OriginalId::trusted(&name, path)).collect())
    }

    fn folder(&self, shelf: &str) -> Result<&Folder, ShelfError> {
        match self.shelves.get(shelf) {
            Some(Shelf::Folder(folder)) => Ok(folder),
            Some(Shelf::NotYetRead(kind)) => Err(ShelfError::NotYetRead { name: shelf.to_owned(), kind }),
            None => {
                let nearest = nearest(shelf, self.shelves.keys().map(String::as_str)).map(str::to_owned);
                Err(ShelfError::UnknownShelf { name: shelf.to_owned(), nearest })
            }
        }
    }

    /// Analysis at the file, and reads it if its state is not in the records.
    fn learn(&self, id: &OriginalId) -> Result<Arc<Original>, ShelfError> {
        let store = |error| ShelfError::Store(Arc::new(error));
        let (file, stamp) = self.folder(id.shelf())?.find(id)?;
        if let Some(record) = self.records.original(id.shelf(), id.path(), stamp).map_err(store)? {
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
        let bytes = std::fs::read(&file)
            .map_err(|error| ShelfError::Unreadable { id: id.clone(), problem: error.to_string() })?;
        let mut facts =
            probe(&bytes, self.limits).map_err(|source| ShelfError::NotUsable { id: id.clone(), source })?;
        facts.focus = self.records.focus(id.shelf(), id.path()).map_err(store)?;
        let record = OriginalRecord { stamp, hash: blake3::hash(&bytes).to_hex().to_string(), facts };
        self.records.keep_original(id.shelf(), id.path(), &record).map_err(store)?;
        Ok(Arc::new(Original { id: id.clone(), file, record }))
    }
}

/// Runs blocking work off the async threads.
async fn off_thread<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, ShelfError> + Send + 'static,
) -> Result<T, ShelfError> {
    tokio::task::spawn_blocking(work).await.unwrap_or_else(|panic| std::panic::resume_unwind(panic.into_panic()))
}
