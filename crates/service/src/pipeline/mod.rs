//! From a choice to its bytes: memory, then the blob store, then the work itself, once however many ask.

mod intermediates;
mod queue;

use std::{
    sync::Arc,
    time::{Duration, Instant},
};

use axum::http::StatusCode;
use bytes::Bytes;
use kivet_image::{Assets, ImageError, Limits as EngineLimits, Raster, Reduction, Rendition, Task, Timings, Work};
use kivet_recipe::{Choice, Edits, Encoding, Format, Gamut, Plan, Recipe};
use kivet_store::{
    Blob, BlobHead, Blobs, OriginalRecord, Records, Reductions, RenditionRecord, Stage, StoreError, etag_of,
};
use moka::future::Cache;

use crate::{
    config::Limits,
    metrics::Metrics,
    problem::Problem,
    shelves::{Original, image_problem},
};
use intermediates::Intermediates;
use queue::Queue;

/// Part of every key: raised when the engine's output changes, so that no older rendition is taken for a newer one.
const ENGINE_REVISION: u32 = 2;

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
    fn key(&self, overlays: &str) -> String {
        let Choice { moving, format, encoding, effort, flatten, edits, .. } = &self.choice;
        let keep = edits.keep;
        let shaped = format!("{moving} {format} {encoding:?} {effort:?} {flatten:?} {keep:?} {}", self.shape(overlays));
        blake3::hash(shaped.as_bytes()).to_hex().to_string()
    }

    /// All that shapes its pixels: what renditions in several formats share.
    fn shape(&self, overlays: &str) -> String {
        let Choice { plan, edits, gamut, .. } = &self.choice;
        let Plan { turned, crop, drawn, canvas, size, held_back_from: _ } = plan;
        let Edits { filters, scale, sharpen, overlays: names, canvas: _, keep: _ } = edits;
        let scale = if filters.is_empty() { 0.0 } else { *scale };
        let colour = if drawn != size || !filters.is_empty() { edits.canvas } else { None };
        let hash = &self.original.record.hash;
        let names = if names.is_empty() { String::new() } else { format!("{names:?} {overlays}") };
        format!(
            "{ENGINE_REVISION} {hash} {turned:?} {crop:?} {drawn} {canvas:?} {size} {filters:?} {scale} {sharpen} {names} {colour:?} {gamut:?}"
        )
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
    intermediates: Intermediates,
    assets: Arc<Assets>,
    /// A hash of all overlays: renditions with one are made again when any changes.
    overlays: Arc<str>,
    limits: EngineLimits,
    queue: Queue,
    known: Cache<String, Arc<Original>>,
    metrics: Metrics,
}

impl Pipeline {
    /// A pipeline over the given tiers. `overlays` names the state of the overlays in `assets`.
    pub fn new(
        blobs: Blobs,
        reductions: Reductions,
        records: Records,
        (assets, overlays): (Assets, String),
        limits: Limits,
        metrics: Metrics,
    ) -> Self {
        let memory = Cache::builder()
            .max_capacity(limits.memory_mib << 20)
            .weigher(|_, blob: &Arc<Blob>| u32::try_from(blob.bytes.len() + 256).unwrap_or(u32::MAX))
            .build();
        Self {
            memory,
            blobs,
            records,
            intermediates: Intermediates::new(limits.reduction_memory_mib, reductions),
            assets: Arc::new(assets),
            overlays: overlays.into(),
            limits: limits.engine(),
            queue: Queue::new(limits.queue),
            known: Cache::new(10_000),
            metrics,
        }
    }

    /// The overlays that exist, and fonts.
    pub fn assets(&self) -> &Assets {
        &self.assets
    }

    /// An original with all its facts that `recipe` depends on: where attention lies, its borders. Looked at now, once,
    /// if nobody has asked before.
    ///
    /// # Errors
    /// If it cannot be read or decoded.
    pub async fn knowing(&self, original: Arc<Original>, recipe: &Recipe) -> Result<Arc<Original>, PipelineError> {
        let facts = original.facts();
        let looks =
            recipe.wants_subject() && facts.looks.is_none() && !(facts.focus.is_some() && recipe.position.is_none());
        let content = recipe.trim && facts.content.is_none();
        if !looks && !content {
            return Ok(original);
        }
        self.looked_at(original, content).await
    }

    /// An original with its looks, and its content without borders where `content` asks for that.
    ///
    /// # Errors
    /// If it cannot be read or decoded.
    pub async fn looked_at(&self, original: Arc<Original>, content: bool) -> Result<Arc<Original>, PipelineError> {
        let key = format!("{} {} {content}", original.id, original.record.hash);
        let pipeline = self.clone();
        let known = self.known.try_get_with(key, async move {
            let _turn = pipeline.queue.turn().await?;
            let worker = pipeline.clone();
            blocking(move || worker.look(&original, content)).await
        });
        known.await.map_err(|error: Arc<PipelineError>| PipelineError::clone(&error))
    }

    fn look(&self, original: &Original, content: bool) -> Result<Arc<Original>, PipelineError> {
        let image = |source| of_image(original, source);
        let mut facts = original.facts().clone();
        if facts.looks.is_none() {
            let looks = if Reduction::is_worth(&facts) {
                let make = || self.reduce(original, Gamut::Srgb);
                self.intermediates.largest(&original.record.hash, Gamut::Srgb, make)?.look(&facts)
            } else {
                kivet_image::look(&read(original)?, &facts)
            };
            facts.looks = Some(looks.map_err(image)?);
        }
        if content && facts.content.is_none() {
            facts.content = Some(kivet_image::content(&read(original)?, &facts).map_err(image)?);
        }
        let record = OriginalRecord { facts, ..original.record.clone() };
        let store = |error| PipelineError::Store(Arc::new(error));
        self.records.keep_original(original.id.shelf(), original.id.path(), &record).map_err(store)?;
        Ok(Arc::new(Original { record, ..original.clone() }))
    }

    /// The rendition of a job, from the nearest tier that has it, else made now.
    ///
    /// # Errors
    /// See [`PipelineError`]; a failure is told to all who wait and is not kept.
    pub async fn rendition(&self, job: Job) -> Result<(Arc<Blob>, Source), PipelineError> {
        let key = job.key(&self.overlays);
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
        let under_way = self.metrics.begun();
        let (worker, work) = (self.clone(), job.clone());
        let made = blocking(move || {
            let _until_done = (turn, under_way);
            worker.work(&work)
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

    fn work(&self, job: &Job) -> Result<Rendition, PipelineError> {
        let Job { original, choice, .. } = job;
        let facts = original.facts();
        let image = |source| of_image(original, source);
        let still = !choice.moving && !matches!(choice.encoding, Encoding::Vector | Encoding::Original);
        if !still || facts.format == Format::Svg {
            return kivet_image::render(&read(original)?, facts, choice, &self.task(None)).map_err(image);
        }
        let started = Instant::now();
        let raster = self.drawn(job)?;
        let drawn = started.elapsed();
        // The original is read again only for what is kept of its metadata.
        let bytes = if choice.edits.keep.is_some() { read(original)? } else { Vec::new() };
        let made = kivet_image::finish(&raster, &bytes, facts, choice).map_err(image)?;
        Ok(Rendition { timings: Timings { draw: drawn, ..made.timings }, ..made })
    }

    /// The pixels of a still rendition. The original is read only where no intermediate serves.
    fn drawn(&self, job: &Job) -> Result<Arc<Raster>, PipelineError> {
        let Job { original, choice, .. } = job;
        let facts = original.facts();
        self.intermediates.drawn(job.shape(&self.overlays), || {
            let make = || self.reduce(original, choice.gamut);
            let hash = &original.record.hash;
            let reduction = self.intermediates.reduction(hash, facts, &choice.plan, choice.gamut, make)?;
            let bytes = if reduction.is_some() { Vec::new() } else { read(original)? };
            let task = self.task(reduction.as_deref());
            kivet_image::draw_edited(&bytes, facts, choice, &task).map_err(|source| of_image(original, source))
        })
    }

    fn reduce(&self, original: &Original, gamut: Gamut) -> Result<Reduction, PipelineError> {
        let work = Work::within(self.limits);
        Reduction::make(&read(original)?, original.facts(), gamut, self.limits, &work)
            .map_err(|source| of_image(original, source))
    }

    fn task<'a>(&'a self, reduction: Option<&'a Reduction>) -> Task<'a> {
        Task { assets: Some(&self.assets), limits: self.limits, work: Work::within(self.limits), reduction }
    }

    /// True if records and blobs answer.
    pub async fn is_ready(&self) -> bool {
        let records = self.records.clone();
        let answered = tokio::task::spawn_blocking(move || records.totals().is_ok()).await;
        answered.unwrap_or(false) && self.blobs.get("00").await.is_ok()
    }
}

fn of_image(original: &Original, source: ImageError) -> PipelineError {
    PipelineError::Image { id: original.id.to_string(), source }
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
