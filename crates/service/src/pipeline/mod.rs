//! From a choice to its bytes, in four rooms: the rendition store (memory, blobs, index), the
//! renderer (decode cache, drawing, encoding), the improver (curves and final renditions), and the
//! background that drives it. In front of them [`Flights`](flights::Flights) makes each rendition
//! once, however many ask.

mod background;
mod curve_store;
mod decode_cache;
mod error;
mod eviction;
mod flights;
mod held;
mod improver;
mod job;
mod key;
mod low_priority;
mod measurer;
mod renderer;
mod rendition_store;
mod source;

use std::{
    sync::{Arc, Mutex, PoisonError},
    time::Duration,
};

use kivet_image::{Assets, ReplacedFont};
use kivet_recipe::{Accepted, Curves, Encoding, Format, Policy, Reason, Recipe};
use kivet_store::{Blob, Blobs, HeldOf, Records, Reductions, Stage};
use moka::future::Cache;

use crate::{
    blocking::blocking,
    config::Limits,
    metrics::Metrics,
    queue::{Cost, Queue, Requester},
    revision::Revision,
    shelves::{Original, ShelfUnavailable},
};
use background::{Background, Task};
use curve_store::CurveStore;
use decode_cache::DecodeCache;
pub use error::PipelineError;
use flights::{Control, Flights};
use improver::Improver;
pub use job::Job;
pub use key::RenditionKey;
use low_priority::LowPriority;
use renderer::Renderer;
use rendition_store::RenditionStore;
pub use source::{MadeTimings, Source};

/// Originals whose analysis is kept in memory.
const ANALYSED_IN_MEMORY: u64 = 10_000;

/// The rooms together. Cheap to clone.
#[derive(Clone)]
pub struct Pipeline {
    store: RenditionStore,
    renderer: Renderer,
    queue: Queue,
    flights: Flights,
    background: Background,
    thread: LowPriority,
    analysed: Cache<String, Arc<Original>>,
    records: Records,
    limits: Limits,
    policy: Policy,
    metrics: Metrics,
}

/// Bytes of memory that a pixel of a rendition takes while it is made: as linear light, as the encoder
/// sees it, and in the encoder.
const BYTES_PER_PIXEL: u64 = 32;

/// What a first rendition takes: its pixels, and the file they come from.
fn cost(job: &Job) -> Cost {
    let pixels = job.choice.plan.size.pixels();
    Cost { pixels, memory: pixels * BYTES_PER_PIXEL + job.original.record.stamp.bytes }
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
        (metrics, revision): (Metrics, Revision),
        queue: Queue,
    ) -> std::io::Result<Self> {
        let Stores { blobs, reductions, records } = stores;
        let overlays: Arc<str> = overlays.into();
        let store = RenditionStore::new(
            limits,
            blobs,
            records.clone(),
            Arc::clone(&overlays),
            metrics.clone(),
        );
        let renderer = Renderer {
            decoded: DecodeCache::new(limits.reduction_memory_mib, reductions),
            assets: Arc::new(assets),
            overlays,
            limits: limits.engine(),
            curves: CurveStore::new(records.clone(), revision.clone()),
            improve: policy.improve,
        };
        let thread = LowPriority::start()?;
        let improver = Improver {
            store: store.clone(),
            renderer: renderer.clone(),
            queue: queue.clone(),
            thread: thread.clone(),
            policy,
            revision,
        };
        Ok(Self {
            store,
            renderer,
            queue,
            flights: Flights::default(),
            background: Background::start(improver),
            thread,
            analysed: Cache::new(ANALYSED_IN_MEMORY),
            records,
            limits,
            policy,
            metrics,
        })
    }

    /// The overlays that exist, and fonts.
    pub fn assets(&self) -> &Assets {
        &self.renderer.assets
    }

    /// A hash of all that shapes every rendition of an original whatever the recipe: what `?v=`
    /// names.
    pub fn version(&self, original: &Original, placed: Option<&Recipe>) -> String {
        key::version(original, placed, &self.policy, &self.renderer.overlays)
    }

    /// What is known of an original's curves; empty before it was measured.
    pub async fn curves(&self, original: &Arc<Original>) -> Arc<Curves> {
        if let Some(known) = self.renderer.curves.in_memory(original) {
            return known;
        }
        let (curves, original) = (self.renderer.curves.clone(), Arc::clone(original));
        blocking(move || curves.known(&original)).await.unwrap_or_default()
    }

    /// An original with all the facts that `recipe` depends on: its analysis, its trim box. Found
    /// now, once, if they are not known yet.
    ///
    /// # Errors
    /// If it cannot be read or decoded.
    pub async fn with_facts_for(
        &self,
        original: Arc<Original>,
        recipe: &Recipe,
        requester: Requester,
    ) -> Result<Arc<Original>, PipelineError> {
        let facts = original.facts();
        let analysis = recipe.wants_subject()
            && facts.analysis.is_none()
            && !(facts.focus.is_some() && recipe.position.is_none());
        let trim = recipe.trim && facts.trim_box.is_none();
        if (!analysis && !trim) || original.is_lost {
            return Ok(original);
        }
        self.analysed(original, trim, requester).await
    }

    /// An original with its analysis, and its trim box where `trim` asks for that.
    ///
    /// # Errors
    /// If it cannot be read or decoded.
    pub async fn analysed(
        &self,
        original: Arc<Original>,
        trim: bool,
        requester: Requester,
    ) -> Result<Arc<Original>, PipelineError> {
        let focus = original.facts().focus.map_or(String::new(), |focus| focus.to_string());
        let key = format!("{} {} {focus} {trim}", original.id, original.record.hash);
        let pipeline = self.clone();
        let analysed = self.analysed.try_get_with(key, async move {
            let cost = Cost {
                pixels: original.facts().size.pixels(),
                memory: original.record.stamp.bytes,
            };
            let permit = pipeline.queue.permit(requester, cost).await?;
            let renderer = pipeline.renderer.clone();
            blocking(move || {
                let _until_done = permit;
                let record = renderer.analysed(&original, trim)?;
                let id = &original.id;
                let kept = pipeline.records.keep_original(id.shelf(), id.path(), &record);
                pipeline.metrics.of_store("records", &id.to_string(), kept);
                Ok(Arc::new(Original { record, ..Original::clone(&original) }))
            })
            .await?
        });
        analysed.await.map_err(|error: Arc<PipelineError>| PipelineError::clone(&error))
    }

    /// The rendition of a job, from the nearest tier that has it, else made now.
    ///
    /// # Errors
    /// See [`PipelineError`]; a failure is told to all who wait and is not kept.
    pub async fn rendition(
        &self,
        job: Job,
        requester: Requester,
    ) -> Result<(Arc<Blob>, Source), PipelineError> {
        let key = RenditionKey::of(&job, &self.renderer.overlays);
        if let Some(blob) = self.store.in_memory(&key) {
            self.follow_up(key, &job, &blob);
            return Ok((blob, Source::Memory));
        }
        let source = Arc::new(Mutex::new(Source::Joined));
        let (pipeline, wanted, own, found) =
            (self.clone(), key.clone(), job.clone(), Arc::clone(&source));
        let make = |control| async move {
            let (blob, from) = pipeline.find_or_make(&wanted, (&own, requester), control).await?;
            *found.lock().unwrap_or_else(PoisonError::into_inner) = from;
            pipeline.follow_up(wanted, &own, &blob);
            Ok(blob)
        };
        let (result, begun) = self.flights.join(&key, self.renderer.limits, make).await;
        let source = if begun {
            *source.lock().unwrap_or_else(PoisonError::into_inner)
        } else {
            Source::Joined
        };
        Ok((result?, source))
    }

    /// What the background has to do once a rendition was sent.
    fn follow_up(&self, key: RenditionKey, job: &Job, blob: &Blob) {
        // A rendition of half a file is not improved.
        let is_whole = !job.original.facts().truncated && !job.original.is_lost;
        let is_final = blob.header.stage == Stage::Final;
        let is_lossless = job.original.facts().storage.is_lossless();
        // Only an expectation says that no rendition is lighter: measured, one may be.
        let is_lighter = job.choice.reason == Reason::LighterOriginal;
        if !is_whole || is_final && !is_lossless && !is_lighter {
            return;
        }
        let (curves, facts) = (self.renderer.curves.known(&job.original), job.original.facts());
        if is_lighter && measurer::wants_measuring(&curves, facts, &self.policy) {
            self.background.add(Task::Measure(Arc::clone(&job.original)));
        }
        // One that was made for a recipe that names its format may not be compared with a lossless one.
        if is_final && job.choice.lossless_trials(facts, &curves).is_empty() {
            return;
        }
        let open = matches!(job.choice.encoding, Encoding::Lossy { .. } | Encoding::Lossless);
        if open && measurer::wants_measuring(&curves, facts, &self.policy) {
            self.background.add(Task::Measure(Arc::clone(&job.original)));
        }
        self.background.add(Task::Improve { key, job: Box::new(job.clone()) });
    }

    async fn find_or_make(
        &self,
        key: &RenditionKey,
        (job, requester): (&Job, Requester),
        control: Control,
    ) -> Result<(Arc<Blob>, Source), PipelineError> {
        if let Some(found) = self.store.get(key).await? {
            return Ok(found);
        }
        if job.original.is_lost {
            let name = job.original.id.shelf().to_owned();
            return Err(PipelineError::Lost(ShelfUnavailable { name }));
        }
        let (blob, timings) = self.make((job, requester), control).await?;
        Ok((self.store.put(key, job, blob).await?, Source::Made(timings)))
    }

    /// Makes a first rendition on a thread of its own, once a core is free.
    async fn make(
        &self,
        (job, requester): (&Job, Requester),
        control: Control,
    ) -> Result<(Blob, MadeTimings), PipelineError> {
        let asked = std::time::Instant::now();
        let permit = Arc::new(self.queue.permit(requester, cost(job)).await?);
        let queued = asked.elapsed();
        let under_way = self.metrics.begun();
        let (renderer, own) = (self.renderer.clone(), job.clone());
        let made = blocking(move || {
            let _until_done = (Arc::clone(&permit), under_way);
            let work = control.work.giving_way(move || permit.give_way());
            if !control.begin() {
                return Err(PipelineError::of_image(
                    &own.original,
                    kivet_image::ImageError::Stopped,
                ));
            }
            renderer.first(&own, &work)
        });
        let (blob, work) = made.await??;
        let timings = MadeTimings { queued, work };
        self.metrics.made(job.choice.format, blob.bytes.len(), timings);
        Ok((blob, timings))
    }

    /// The name of a job's rendition in the tiers.
    pub fn key(&self, job: &Job) -> RenditionKey {
        RenditionKey::of(job, &self.renderer.overlays)
    }

    /// The rendition of that name, if a tier has it.
    pub async fn stored(&self, key: &RenditionKey) -> Option<(Arc<Blob>, Source)> {
        self.store.stored(key).await
    }

    /// The rendition of a job if a tier has it.
    ///
    /// # Errors
    /// If the blob store cannot be asked.
    pub async fn ready(&self, job: &Job) -> Result<Option<Arc<Blob>>, PipelineError> {
        let key = RenditionKey::of(job, &self.renderer.overlays);
        Ok(self.store.get(&key).await?.map(|(blob, _)| blob))
    }

    /// The font families that a vector drawn as pixels names and that are not installed.
    ///
    /// # Errors
    /// If the original cannot be read.
    pub async fn replaced_fonts(&self, job: &Job) -> Result<Vec<ReplacedFont>, PipelineError> {
        if job.original.facts().format != Format::Svg || !job.is_drawn() {
            return Ok(Vec::new());
        }
        let (renderer, job) = (self.renderer.clone(), job.clone());
        blocking(move || renderer.replaced_fonts(&job)).await?
    }

    /// The nearest rendition of the same shape that is ready, in a format that is accepted: for
    /// when there is no time to make the one asked for.
    pub async fn nearest_ready(
        &self,
        job: &Job,
        accepted: Accepted,
    ) -> Option<(Arc<Blob>, Format)> {
        self.store.nearest(job, accepted).await
    }

    /// What renditions of each shelf in each format take on disk.
    ///
    /// # Errors
    /// If the records fail.
    pub async fn held_by_shelf(&self) -> Result<Vec<HeldOf>, PipelineError> {
        let records = self.records.clone();
        Ok(blocking(move || records.held_by_shelf()).await??)
    }

    /// Makes the index of renditions anew from the blobs.
    ///
    /// # Errors
    /// If records or blobs fail.
    pub async fn rebuild(&self) -> Result<(), PipelineError> {
        self.store.rebuild().await
    }

    /// The bounds it works within.
    pub const fn limits(&self) -> &Limits {
        &self.limits
    }

    /// How many tasks of the background wait or are under way.
    pub fn background_tasks(&self) -> usize {
        self.background.tasks()
    }

    /// Waits for work, then until it has ended and none came for as long as `pause`.
    pub async fn quiet_after_work(&self, pause: Duration) {
        self.queue.worked().await;
        while self.queue.works_within(pause).await || self.background_tasks() > 0 {}
    }

    /// Forgets what only work under way needs, and calls `give_back` on the thread of the background,
    /// whose own free memory no other thread can give back.
    ///
    /// # Errors
    /// If it panics.
    pub async fn give_back(&self, give_back: fn()) -> Result<(), PipelineError> {
        let decoded = self.renderer.decoded.clone();
        let tidied = self.thread.run(move || {
            decoded.forget();
            give_back();
            Ok(())
        });
        tidied.await
    }

    /// True if records and blobs answer.
    pub async fn is_ready(&self) -> bool {
        self.store.is_ready().await
    }
}
