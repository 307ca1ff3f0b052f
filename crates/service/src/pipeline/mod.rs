//! From a choice to its bytes: memory, then the blob store, then the work itself, once however many ask.

mod queue;

use std::{
    sync::Arc,
    time::{Duration, Instant},
};

use axum::http::StatusCode;
use bytes::Bytes;
use kivet_image::{ImageError, Timings, render};
use kivet_recipe::{Choice, Plan, Recipe};
use kivet_store::{Blob, BlobHead, Blobs, Records, RenditionRecord, Stage, StoreError, etag_of};
use moka::future::Cache;

use crate::{
    config::Limits,
    metrics::Metrics,
    problem::Problem,
    shelves::{Original, image_problem},
};
use queue::Queue;

/// Part of every key: raised when the engine's output changes, so that no older rendition is taken for a newer one.
const ENGINE_REVISION: u32 = 1;

/// What is to be made of which original.
#[derive(Clone, Debug)]
pub struct Job {
    /// The original.
    pub original: Arc<Original>,
    /// The recipe.
    pub recipe: Recipe,
    /// What was chosen for the request.
    pub choice: Choice,
}

impl Job {
    /// The name of the rendition in every tier: a hash of all that shapes its bytes.
    fn key(&self) -> String {
        let Choice { plan, format, encoding, flatten, .. } = &self.choice;
        let Plan { crop, drawn, canvas, size, held_back_from: _ } = plan;
        let surround = plan.surround(&self.recipe);
        let hash = &self.original.record.hash;
        let shaped = format!(
            "{ENGINE_REVISION} {hash} {crop:?} {drawn} {canvas:?} {size} {surround:?} {format} {encoding:?} {flatten:?}"
        );
        blake3::hash(shaped.as_bytes()).to_hex().to_string()
    }
}

/// Where a rendition came from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Source {
    /// The memory tier.
    Memory,
    /// The blob store.
    Disk,
    /// Made now, for this request.
    Made(Spent),
    /// Made now for another request that asked first.
    Joined,
}

/// Where the time of a made rendition went.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Spent {
    /// Waiting for a free core.
    pub queued: Duration,
    /// Drawing and encoding.
    pub work: Timings,
}

/// Why no rendition could be had.
#[derive(Clone, Debug, thiserror::Error)]
pub enum PipelineError {
    /// The picture cannot be decoded or encoded.
    #[error("the original `{id}`: {source}")]
    Image {
        /// The original.
        id: String,
        /// Why.
        source: ImageError,
    },
    /// Too many renditions are waiting to be made.
    #[error("{waiting} renditions are already waiting to be made; ask again in a moment")]
    Overloaded {
        /// How many.
        waiting: usize,
    },
    /// The file was replaced between being looked at and being read.
    #[error("the original `{id}` was being replaced; ask again")]
    Changed {
        /// The original.
        id: String,
    },
    /// The file could not be read any more.
    #[error("the original `{id}` cannot be read: {problem}")]
    Unreadable {
        /// The original.
        id: String,
        /// What the system says.
        problem: String,
    },
    /// Records or blobs failed.
    #[error(transparent)]
    Store(Arc<StoreError>),
    /// The work itself broke down.
    #[error("making the rendition broke down: {0}")]
    Broken(String),
}

impl From<PipelineError> for Problem {
    fn from(error: PipelineError) -> Self {
        let again = |name, seconds| {
            let mut problem = Self::new(StatusCode::SERVICE_UNAVAILABLE, name, error.to_string());
            problem.retry_after = Some(seconds);
            problem
        };
        match &error {
            PipelineError::Image { source, .. } => image_problem(source, error.to_string()),
            PipelineError::Overloaded { .. } => again("overloaded", 2),
            PipelineError::Changed { .. } => again("original-changed", 1),
            PipelineError::Unreadable { .. } => {
                Self::new(StatusCode::FORBIDDEN, "unreadable-original", error.to_string())
            }
            PipelineError::Store(_) | PipelineError::Broken(_) => Self::internal(&error),
        }
    }
}

/// The tiers and the queue. Cheap to clone.
#[derive(Clone)]
pub struct Pipeline {
    memory: Cache<String, Arc<Blob>>,
    blobs: Blobs,
    records: Records,
    queue: Queue,
    metrics: Metrics,
}

impl Pipeline {
    /// A pipeline over the given tiers.
    pub fn new(blobs: Blobs, records: Records, limits: Limits, metrics: Metrics) -> Self {
        let memory = Cache::builder()
            .max_capacity(limits.memory_mib << 20)
            .weigher(|_, blob: &Arc<Blob>| u32::try_from(blob.bytes.len() + 256).unwrap_or(u32::MAX))
            .build();
        Self { memory, blobs, records, queue: Queue::new(limits.queue), metrics }
    }

    /// The rendition of a job, from the nearest tier that has it, else made now.
    ///
    /// # Errors
    /// See [`PipelineError`]; a failure is told to all who wait and is not kept.
    pub async fn rendition(&self, job: Job) -> Result<(Arc<Blob>, Source), PipelineError> {
        let key = job.key();
        if let Some(blob) = self.memory.get(&key).await {
            return Ok((blob, Source::Memory));
        }
        // On a task of its own: a viewer who leaves must not throw away work that others wait for.
        let pipeline = self.clone();
        let task = tokio::spawn(async move {
            let mut source = Source::Joined;
            let found = {
                let (source, key) = (&mut source, key.clone());
                let worker = pipeline.clone();
                pipeline.memory.try_get_with(key.clone(), async move {
                    let (blob, from) = worker.find_or_make(&key, job).await?;
                    *source = from;
                    Ok(Arc::new(blob))
                })
            };
            let blob = found.await.map_err(|error: Arc<PipelineError>| PipelineError::clone(&error))?;
            Ok((blob, source))
        });
        task.await.unwrap_or_else(|broken| Err(PipelineError::Broken(broken.to_string())))
    }

    async fn find_or_make(&self, key: &str, job: Job) -> Result<(Blob, Source), PipelineError> {
        let store = |error| PipelineError::Store(Arc::new(error));
        let (records, wanted) = (self.records.clone(), key.to_owned());
        let indexed = blocking(move || records.has_rendition(&wanted).map_err(store)).await?;
        if indexed && let Some(blob) = self.blobs.get(key).await.map_err(store)? {
            return Ok((blob, Source::Disk));
        }
        let (blob, spent) = self.make(&job).await?;
        self.blobs.put(key, &blob).await.map_err(store)?;
        let (records, record) = (self.records.clone(), index_line(key, &job, &blob));
        blocking(move || records.keep_rendition(&record).map_err(store)).await?;
        Ok((blob, Source::Made(spent)))
    }

    /// Reads the original and does the work on a thread of its own, once a core is free.
    async fn make(&self, job: &Job) -> Result<(Blob, Spent), PipelineError> {
        let asked = Instant::now();
        let turn = self.queue.turn().await?;
        let queued = asked.elapsed();
        let (original, choice, canvas) = (Arc::clone(&job.original), job.choice.clone(), job.recipe.canvas);
        let under_way = self.metrics.begun();
        let made = blocking(move || {
            let _until_done = (turn, under_way);
            let bytes = read(&original)?;
            render(&bytes, original.facts(), &choice, canvas)
                .map_err(|source| PipelineError::Image { id: original.id.to_string(), source })
        });
        let made = made.await?;
        let spent = Spent { queued, work: made.timings };
        self.metrics.made(made.format, made.bytes.len(), spent);
        let head = BlobHead {
            media_type: made.format.media_type().to_owned(),
            etag: etag_of(&made.bytes),
            width: made.size.width,
            height: made.size.height,
            stage: Stage::Final,
        };
        Ok((Blob { head, bytes: Bytes::from(made.bytes) }, spent))
    }

    /// True if records and blobs answer.
    pub async fn is_ready(&self) -> bool {
        let records = self.records.clone();
        let answered = tokio::task::spawn_blocking(move || records.totals().is_ok()).await;
        answered.unwrap_or(false) && self.blobs.get("00").await.is_ok()
    }
}

/// The original's bytes, if they are still those its facts were learnt from.
fn read(original: &Original) -> Result<Vec<u8>, PipelineError> {
    let id = || original.id.to_string();
    let bytes = std::fs::read(&original.file)
        .map_err(|error| PipelineError::Unreadable { id: id(), problem: error.to_string() })?;
    if blake3::hash(&bytes).to_hex().as_str() == original.record.hash {
        Ok(bytes)
    } else {
        Err(PipelineError::Changed { id: id() })
    }
}

fn index_line(key: &str, job: &Job, blob: &Blob) -> RenditionRecord {
    RenditionRecord {
        key: key.to_owned(),
        shelf: job.original.id.shelf().to_owned(),
        path: job.original.id.path().to_owned(),
        recipe: job.recipe.to_string(),
        format: job.choice.format.name().to_owned(),
        width: blob.head.width,
        height: blob.head.height,
        bytes: blob.bytes.len() as u64,
    }
}

/// Runs blocking work off the async threads; a panic in it becomes an error.
async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, PipelineError> + Send + 'static,
) -> Result<T, PipelineError> {
    tokio::task::spawn_blocking(work).await.unwrap_or_else(|broken| Err(PipelineError::Broken(broken.to_string())))
}
