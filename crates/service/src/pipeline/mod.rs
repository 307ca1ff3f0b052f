//! From a choice to its bytes: memory, then the blob store, then the work itself, once however many ask. What was made
//! with the fast preset is followed in the background by what is better.

mod background;
mod improve;
mod intermediates;
mod job;
mod measure;
mod queue;
mod workshop;

use std::{
    sync::Arc,
    time::{Duration, Instant},
};

use axum::http::StatusCode;
use kivet_image::{Assets, ImageError, Timings};
use kivet_recipe::{Accepted, Curves, Format, Policy, Recipe};
use kivet_store::{Blob, Blobs, Records, Reductions, Stage, StoreError};
use moka::future::Cache;

use crate::{
    config::Limits,
    metrics::Metrics,
    problem::Problem,
    shelves::{Original, image_problem},
};
use background::{Background, Task};
use intermediates::Intermediates;
pub use job::Job;
use queue::Queue;
use workshop::{Workshop, of_store};

/// Originals whose curves are kept in memory.
const CURVES_IN_MEMORY: u64 = 20_000;

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
    /// Too much was waiting: another size or format of it that was ready.
    Nearest,
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
    #[error(
        "{waiting} renditions of {megapixels} megapixels in all are already waiting to be made; ask again in a moment"
    )]
    Overloaded {
        /// How many.
        waiting: usize,
        /// Their pixels, in millions.
        megapixels: u64,
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

/// The tiers, the queue and the background. Cheap to clone.
#[derive(Clone)]
pub struct Pipeline {
    workshop: Workshop,
    background: Background,
    known: Cache<String, Arc<Original>>,
    metrics: Metrics,
}

/// What a pipeline is opened over.
pub struct Stores {
    /// Rendition bytes.
    pub blobs: Blobs,
    /// Reductions on disk.
    pub reductions: Reductions,
    /// Everything else.
    pub records: Records,
}

impl Pipeline {
    /// A pipeline over the given tiers. `overlays` names the state of the overlays in `assets`.
    ///
    /// # Errors
    /// If no thread can be had for the background.
    pub fn new(
        stores: Stores,
        (assets, overlays): (Assets, String),
        limits: Limits,
        policy: Policy,
        metrics: Metrics,
    ) -> std::io::Result<Self> {
        let memory = Cache::builder()
            .max_capacity(limits.memory_mib << 20)
            .weigher(|_, blob: &Arc<Blob>| u32::try_from(blob.bytes.len() + 256).unwrap_or(u32::MAX))
            .build();
        let workshop = Workshop {
            memory,
            blobs: stores.blobs,
            records: stores.records,
            intermediates: Intermediates::new(limits.reduction_memory_mib, stores.reductions),
            assets: Arc::new(assets),
            overlays: overlays.into(),
            limits: limits.engine(),
            queue: Queue::new(limits.queue, limits.queue_megapixels),
            policy,
            curves: moka::sync::Cache::new(CURVES_IN_MEMORY),
        };
        let background = Background::start(workshop.clone())?;
        Ok(Self { workshop, background, known: Cache::new(10_000), metrics })
    }

    /// The overlays that exist, and fonts.
    pub fn assets(&self) -> &Assets {
        &self.workshop.assets
    }

    /// A hash of all that shapes every rendition of an original whatever the recipe: what `?v=` names.
    pub fn version(&self, original: &Original) -> String {
        let focus = original.facts().focus;
        let Workshop { policy, overlays, .. } = &self.workshop;
        let all = format!("{} {} {focus:?} {policy:?} {overlays}", job::ENGINE_REVISION, original.record.hash);
        blake3::hash(all.as_bytes()).to_hex()[..12].to_owned()
    }

    /// What is known of an original's curves; empty before it was measured.
    pub async fn curves(&self, original: &Arc<Original>) -> Arc<Curves> {
        if let Some(known) = self.workshop.curves.get(&original.record.hash) {
            return known;
        }
        let (workshop, original) = (self.workshop.clone(), Arc::clone(original));
        blocking(move || Ok(workshop.known_curves(&original))).await.unwrap_or_default()
    }

    /// An original with all its facts that `recipe` depends on: where attention lies, its borders. Looked at now, once,
    /// if nobody has asked before.
    ///
    /// # Errors
    /// If it cannot be read or decoded.
    pub async fn knowing(&self, original: Arc<Original>, recipe: &Recipe) -> Result<Arc<Original>, PipelineError> {
        let facts = original.facts();
        let analysis =
            recipe.wants_subject() && facts.analysis.is_none() && !(facts.focus.is_some() && recipe.position.is_none());
        let content = recipe.trim && facts.trim_box.is_none();
        if !analysis && !content {
            return Ok(original);
        }
        self.looked_at(original, content).await
    }

    /// An original with its looks, and its content without borders where `content` asks for that.
    ///
    /// # Errors
    /// If it cannot be read or decoded.
    pub async fn looked_at(&self, original: Arc<Original>, content: bool) -> Result<Arc<Original>, PipelineError> {
        let key = format!("{} {} {:?} {content}", original.id, original.record.hash, original.facts().focus);
        let workshop = self.workshop.clone();
        let known = self.known.try_get_with(key, async move {
            let turn = workshop.queue.turn(original.facts().size.pixels()).await?;
            blocking(move || {
                let _until_done = turn;
                workshop.look(&original, content)
            })
            .await
        });
        known.await.map_err(|error: Arc<PipelineError>| PipelineError::clone(&error))
    }

    /// The rendition of a job, from the nearest tier that has it, else made now.
    ///
    /// # Errors
    /// See [`PipelineError`]; a failure is told to all who wait and is not kept.
    pub async fn rendition(&self, job: Job) -> Result<(Arc<Blob>, Source), PipelineError> {
        let key = job.key(&self.workshop.overlays);
        if let Some(blob) = self.workshop.memory.get(&key).await {
            self.follow_up(key, &job, &blob);
            return Ok((blob, Source::Memory));
        }
        // On a task of its own: a viewer who leaves must not throw away work that others wait for.
        let pipeline = self.clone();
        let task = tokio::spawn(async move {
            let mut source = Source::Joined;
            let found = {
                let (source, worker, job, key) = (&mut source, pipeline.clone(), job.clone(), key.clone());
                pipeline.workshop.memory.try_get_with(key.clone(), async move {
                    let (blob, from) = worker.find_or_make(&key, job).await?;
                    *source = from;
                    Ok(Arc::new(blob))
                })
            };
            let blob = found.await.map_err(|error: Arc<PipelineError>| PipelineError::clone(&error))?;
            pipeline.follow_up(key, &job, &blob);
            Ok((blob, source))
        });
        task.await.unwrap_or_else(|broken| Err(PipelineError::Broken(broken.to_string())))
    }

    /// What the background has to do once a rendition was sent.
    fn follow_up(&self, key: String, job: &Job, blob: &Blob) {
        if blob.header.stage == Stage::Final {
            return;
        }
        if job.choice.target.is_some() && self.workshop.wants_measuring(&job.original) {
            self.background.add(Task::Measure(Arc::clone(&job.original)));
        }
        self.background.add(Task::Improve { key, job: Box::new(job.clone()) });
    }

    async fn find_or_make(&self, key: &str, job: Job) -> Result<(Blob, Source), PipelineError> {
        let Workshop { records, blobs, .. } = &self.workshop;
        let (reading, wanted) = (records.clone(), key.to_owned());
        let indexed = blocking(move || reading.has_rendition(&wanted).map_err(of_store)).await?;
        if indexed && let Some(blob) = blobs.get(key).await.map_err(of_store)? {
            return Ok((blob, Source::Disk));
        }
        let (blob, spent) = self.make(&job).await?;
        blobs.put(key, &blob).await.map_err(of_store)?;
        let (records, record) = (records.clone(), self.workshop.index_line(key, &job, &blob));
        blocking(move || records.keep_rendition(&record).map_err(of_store)).await?;
        Ok((blob, Source::Made(spent)))
    }

    /// Reads the original and does the work on a thread of its own, once a core is free.
    async fn make(&self, job: &Job) -> Result<(Blob, Spent), PipelineError> {
        let asked = Instant::now();
        let turn = self.workshop.queue.turn(job.choice.plan.size.pixels()).await?;
        let queued = asked.elapsed();
        let under_way = self.metrics.begun();
        let (workshop, work) = (self.workshop.clone(), job.clone());
        let made = blocking(move || {
            let _until_done = (turn, under_way);
            workshop.first(&work)
        });
        let (blob, work) = made.await?;
        let spent = Spent { queued, work };
        self.metrics.made(job.choice.format, blob.bytes.len(), spent);
        Ok((blob, spent))
    }

    /// The rendition of a job if a tier has it.
    ///
    /// # Errors
    /// If the blob store cannot be asked.
    pub async fn ready(&self, job: &Job) -> Result<Option<Arc<Blob>>, PipelineError> {
        let key = job.key(&self.workshop.overlays);
        match self.workshop.memory.get(&key).await {
            Some(blob) => Ok(Some(blob)),
            None => Ok(self.workshop.blobs.get(&key).await.map_err(of_store)?.map(Arc::new)),
        }
    }

    /// The nearest rendition of the same shape that is ready, in a format that is accepted: for when there is no time to
    /// make the one asked for. A larger one is nearer than a smaller one.
    pub async fn nearest_ready(&self, job: &Job, accepted: Accepted) -> Option<(Arc<Blob>, Format)> {
        let (records, family) = (self.workshop.records.clone(), job.family(&self.workshop.overlays));
        let wanted = job.choice.plan.size.width;
        let mut ready = blocking(move || records.family(&family).map_err(of_store)).await.ok()?;
        ready.sort_by_key(|(_, _, width)| (*width < wanted, width.abs_diff(wanted)));
        for (key, format, _) in ready {
            let Some(format) = Format::from_name(&format).filter(|format| self.may_stand_in(*format, job, accepted))
            else {
                continue;
            };
            if let Some(blob) = self.workshop.memory.get(&key).await {
                return Some((blob, format));
            }
            if let Ok(Some(blob)) = self.workshop.blobs.get(&key).await {
                return Some((Arc::new(blob), format));
            }
        }
        None
    }

    fn may_stand_in(&self, format: Format, job: &Job, accepted: Accepted) -> bool {
        job.choice.recipe.format.map_or(accepted.contains(format), |named| named == format)
    }

    /// How many tasks of the background wait or are under way.
    pub fn background_tasks(&self) -> usize {
        self.background.tasks()
    }

    /// True if records and blobs answer.
    pub async fn is_ready(&self) -> bool {
        let records = self.workshop.records.clone();
        let answered = tokio::task::spawn_blocking(move || records.totals().is_ok()).await;
        answered.unwrap_or(false) && self.workshop.blobs.get("00").await.is_ok()
    }
}

/// Runs blocking work off the async threads; a panic in it becomes an error.
async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, PipelineError> + Send + 'static,
) -> Result<T, PipelineError> {
    tokio::task::spawn_blocking(work).await.unwrap_or_else(|broken| Err(PipelineError::Broken(broken.to_string())))
}
