//! Shelves: where originals live, and what is known of them.

mod error;
mod folder;
mod original;

use std::{
    collections::BTreeMap,
    path::{Path, PathBuf},
    sync::Arc,
    time::Duration,
};

use kivet_image::{Limits, probe};
use kivet_recipe::{Position, nearest};
use kivet_store::{OriginalRecord, Records, Stamp};
use moka::future::Cache;

use crate::{
    blocking::blocking,
    config::{Originals, ShelfRules, ShelfSettings, ShelfSource},
    metrics::Metrics,
    queue::{Cost, Queue, Requester},
    revision::Revision,
};
pub use error::{ShelfError, ShelfUnavailable};
use folder::Folder;
pub use original::{Original, OriginalId, PathError};

/// How long a file is taken to be what it was, before it is looked at again: hot answers do not
/// touch the disk.
const TRUSTED_FOR: Duration = Duration::from_secs(1);

/// All shelves.
#[derive(Clone)]
pub struct Shelves {
    shelves: Arc<BTreeMap<String, Shelf>>,
    settings: Arc<BTreeMap<String, ShelfSettings>>,
    records: Records,
    limits: Limits,
    metrics: Metrics,
    revision: Revision,
    queue: Queue,
    known: Cache<OriginalId, Arc<Original>>,
}

enum Shelf {
    Folder(Folder),
    NotYetRead(&'static str),
}

impl Shelves {
    /// The shelves of a configuration. New originals are looked at in the `queue`.
    ///
    /// # Errors
    /// If a folder cannot be found; the error names the shelf.
    pub fn new(
        settings: &BTreeMap<String, ShelfSettings>,
        records: Records,
        limits: Limits,
        (metrics, revision): (Metrics, Revision),
        queue: Queue,
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
        Ok(Self { shelves, settings, records, limits, metrics, revision, queue, known })
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
        self.original_for(id, Requester::default()).await
    }

    /// The same for a request that may be urgent.
    ///
    /// # Errors
    /// If it cannot be had; see [`ShelfError`].
    pub async fn original_for(
        &self,
        id: &OriginalId,
        requester: Requester,
    ) -> Result<Arc<Original>, ShelfError> {
        if let Some(known) = self.known.get(id).await {
            return Ok(known);
        }
        let look = self.clone().look(id.clone(), requester);
        let learnt = self.known.try_get_with(id.clone(), look);
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
        self.revision.advance();
        Ok(())
    }

    /// Invalidates what is cached of an original, so that the file is looked at again.
    pub async fn look_again(&self, id: &OriginalId) {
        self.known.invalidate(id).await;
    }

    /// Forgets what was learnt of an original, whose file turned out to be another.
    pub async fn forget(&self, id: &OriginalId) {
        let (shelves, asked) = (self.clone(), id.clone());
        let forgotten = blocking(move || {
            let gone = shelves.records.forget_original(asked.shelf(), asked.path());
            shelves.metrics.of_store("records", &asked.to_string(), gone);
        });
        if let Err(error) = forgotten.await {
            tracing::error!(%error, "an original could not be forgotten");
        }
        self.look_again(id).await;
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

    /// Looks at the file, and reads it, in the queue with all other work, if its state is not in the
    /// records.
    async fn look(self, id: OriginalId, requester: Requester) -> Result<Arc<Original>, ShelfError> {
        let (shelves, asked) = (self.clone(), id.clone());
        let (file, stamp) = match blocking(move || shelves.seen(&asked)).await?? {
            Seen::Known(original) => return Ok(original),
            Seen::New(file, stamp) => (file, stamp),
        };
        self.limits
            .check_bytes(stamp.bytes)
            .map_err(|source| ShelfError::NotUsable { id: id.clone(), source })?;
        let cost = Cost { pixels: 0, memory: stamp.bytes };
        let permit = self.queue.permit(requester, cost).await?;
        blocking(move || {
            let _until_done = permit;
            self.learn(&id, file, stamp)
        })
        .await?
    }

    /// What the file system and the records say of an original. Blocks.
    fn seen(&self, id: &OriginalId) -> Result<Seen, ShelfError> {
        let folder = self.folder(id.shelf())?;
        let (file, stamp) = match folder.find(id) {
            Ok(found) => found,
            Err(ShelfError::NotFound { .. }) if folder.is_lost() => return self.remembered(id),
            Err(error) => return Err(error),
        };
        // Records that fail know nothing: the file is read, as if for the first time.
        let known = self.records.original(id.shelf(), id.path(), stamp);
        let known = self.metrics.of_store("records", &id.to_string(), known).flatten();
        let Some(record) = known else { return Ok(Seen::New(file, stamp)) };
        // The limits may have been lowered since the record was made.
        if record.facts.format != kivet_recipe::Format::Svg {
            self.limits
                .check(record.facts.size)
                .map_err(|source| ShelfError::NotUsable { id: id.clone(), source })?;
        }
        Ok(Seen::Known(self.of_record(id, file, record)))
    }

    /// An original by its record. Its file may be sent in place of a rendition unless the shelf
    /// refuses originals.
    fn of_record(
        &self,
        id: &OriginalId,
        file: PathBuf,
        mut record: OriginalRecord,
    ) -> Arc<Original> {
        let may_send = self.rules(id.shelf()).originals != Originals::Refused;
        record.facts.bytes = may_send.then_some(record.stamp.bytes);
        Arc::new(Original { id: id.clone(), file, record, is_lost: false })
    }

    /// What was known of an original before its shelf was lost.
    fn remembered(&self, id: &OriginalId) -> Result<Seen, ShelfError> {
        let lost = ShelfUnavailable { name: id.shelf().to_owned() };
        tracing::error!(shelf = lost.name, "the shelf's folder is gone, or empty");
        let known = self.records.last_known(id.shelf(), id.path());
        let known = self.metrics.of_store("records", &id.to_string(), known).flatten();
        let mut record = known.ok_or(lost)?;
        record.facts.bytes = None;
        let original = Original { id: id.clone(), file: PathBuf::new(), record, is_lost: true };
        Ok(Seen::Known(Arc::new(original)))
    }

    /// Reads a file and keeps what it is. Blocks.
    fn learn(
        &self,
        id: &OriginalId,
        file: PathBuf,
        stamp: Stamp,
    ) -> Result<Arc<Original>, ShelfError> {
        let bytes = std::fs::read(&file).map_err(|error| ShelfError::Unreadable {
            id: id.clone(),
            problem: error.to_string(),
        })?;
        if self.folder(id.shelf())?.find(id)?.1 != stamp {
            return Err(ShelfError::Changing { id: id.clone() });
        }
        let mut facts = probe(&bytes, self.limits)
            .map_err(|source| ShelfError::NotUsable { id: id.clone(), source })?;
        let focus = self.records.focus(id.shelf(), id.path());
        facts.focus = self.metrics.of_store("records", &id.to_string(), focus).flatten();
        let record =
            OriginalRecord { stamp, hash: blake3::hash(&bytes).to_hex().to_string(), facts };
        let kept = self.records.keep_original(id.shelf(), id.path(), &record);
        self.metrics.of_store("records", &id.to_string(), kept);
        Ok(self.of_record(id, file, record))
    }
}

/// An original at first sight.
enum Seen {
    /// Its state is in the records.
    Known(Arc<Original>),
    /// It is new, or has changed.
    New(PathBuf, Stamp),
}
