//! Where finished renditions are: memory, then blobs, with the index in the records.

use std::{collections::HashSet, pin::pin, sync::Arc, time::Duration};

use futures::StreamExt;
use kivet_recipe::{Accepted, Format};
use kivet_store::{Blob, Blobs, Records, RenditionRecord};
use moka::future::Cache;

use super::{
    Job, PipelineError, RenditionKey, Source,
    eviction::{self, Budget, Eviction, Use},
    held::{Held, Weighs, held},
    key::family,
};
use crate::{blocking::blocking, config::Limits, metrics::Metrics};

/// Bytes a blob takes in memory beside its picture.
const BLOB_OVERHEAD: usize = 256;

/// What a rendition takes, nearly, and the memory from which on it is worth a part of its own that
/// cores need not share; the largest are far smaller.
const USUAL: u64 = 32 << 10;
const PART: u64 = 64 << 20;
const MAX_PARTS: usize = 16;

/// How long the stores count as ready, or not, without being asked again.
const READY_FOR: Duration = Duration::from_secs(2);

/// Lines of the index written in one go.
const LISTED_AT_ONCE: usize = 256;

const SECONDS_A_DAY: u64 = 24 * 3600;

impl Weighs for Blob {
    fn weight(&self) -> usize {
        self.bytes.len() + BLOB_OVERHEAD
    }
}

/// The tiers. Cheap to clone.
#[derive(Clone)]
pub(super) struct RenditionStore {
    memory: Arc<Held<RenditionKey, Blob>>,
    blobs: Blobs,
    records: Records,
    /// A hash of all overlays, part of what families share.
    overlays: Arc<str>,
    metrics: Metrics,
    usage: Use,
    ready: Cache<(), bool>,
    _eviction: Arc<Eviction>,
}

impl RenditionStore {
    pub(super) fn new(
        limits: Limits,
        blobs: Blobs,
        records: Records,
        overlays: Arc<str>,
        metrics: Metrics,
    ) -> Self {
        let memory = limits.memory_mib << 20;
        let parts = usize::try_from(memory / PART).unwrap_or(usize::MAX).clamp(1, MAX_PARTS);
        let usage = Use::default();
        let eviction = eviction::start(
            (records.clone(), blobs.clone(), metrics.clone()),
            Budget {
                bytes: limits.disk_mib << 20,
                unused_for: Duration::from_secs(limits.unused_days * SECONDS_A_DAY),
            },
            usage.clone(),
        );
        let (ready, eviction) =
            (Cache::builder().time_to_live(READY_FOR).build(), Arc::new(eviction));
        let memory = held(memory, USUAL, parts);
        Self { memory, blobs, records, overlays, metrics, usage, ready, _eviction: eviction }
    }

    /// The rendition under `key`, if memory has it.
    pub(super) fn in_memory(&self, key: &RenditionKey) -> Option<Arc<Blob>> {
        let blob = self.memory.get(key)?;
        self.usage.of(key.as_str());
        Some(blob)
    }

    /// The rendition under `key` and the tier that had it; one from the blobs is in memory
    /// afterwards. Blobs are asked only for what the index lists, unless the index fails; blobs that
    /// fail have none.
    pub(super) async fn get(
        &self,
        key: &RenditionKey,
    ) -> Result<Option<(Arc<Blob>, Source)>, PipelineError> {
        if let Some(blob) = self.in_memory(key) {
            return Ok(Some((blob, Source::Memory)));
        }
        let (records, wanted) = (self.records.clone(), key.clone());
        let listed = blocking(move || records.has_rendition(wanted.as_str())).await?;
        if self.metrics.of_store("records", key.as_str(), listed) == Some(false) {
            return Ok(None);
        }
        Ok(self.on_disk(key).await.map(|blob| (blob, Source::Disk)))
    }

    /// The same of a rendition that was sent a moment ago, without asking the index.
    pub(super) async fn stored(&self, key: &RenditionKey) -> Option<(Arc<Blob>, Source)> {
        match self.in_memory(key) {
            Some(blob) => Some((blob, Source::Memory)),
            None => self.on_disk(key).await.map(|blob| (blob, Source::Disk)),
        }
    }

    async fn on_disk(&self, key: &RenditionKey) -> Option<Arc<Blob>> {
        let found = self.blobs.get(key.as_str()).await;
        let blob = Arc::new(self.metrics.of_store("blobs", key.as_str(), found).flatten()?);
        self.usage.of(key.as_str());
        self.memory.insert(key.clone(), Arc::clone(&blob));
        Some(blob)
    }

    /// Stores the rendition of a job in every tier, in place of any other under its key. A tier that
    /// fails does without it: the index lists only what the blobs have.
    pub(super) async fn put(
        &self,
        key: &RenditionKey,
        job: &Job,
        blob: Blob,
    ) -> Result<Arc<Blob>, PipelineError> {
        let record = RenditionRecord {
            key: key.as_str().to_owned(),
            shelf: job.original.id.shelf().to_owned(),
            path: job.original.id.path().to_owned(),
            recipe: job.choice.recipe.to_string(),
            format: job.choice.format,
            width: blob.header.width,
            height: blob.header.height,
            bytes: blob.bytes.len() as u64,
            family: family(job, &self.overlays),
        };
        let put = self.blobs.put(&record, &blob).await;
        if self.metrics.of_store("blobs", key.as_str(), put).is_some() {
            self.usage.grown(record.bytes);
            let records = self.records.clone();
            let listed = blocking(move || records.keep_rendition(&record)).await?;
            self.metrics.of_store("records", key.as_str(), listed);
        }
        let blob = Arc::new(blob);
        self.memory.insert(key.clone(), Arc::clone(&blob));
        Ok(blob)
    }

    /// The nearest rendition of the same shape that is ready, in a format that is accepted: for
    /// when there is no time to make the one asked for. A larger one is nearer than a smaller one.
    pub(super) async fn nearest(
        &self,
        job: &Job,
        accepted: Accepted,
    ) -> Option<(Arc<Blob>, Format)> {
        let (records, family) = (self.records.clone(), family(job, &self.overlays));
        let wanted = job.choice.plan.size.width;
        let mut ready = blocking(move || records.family(&family)).await.ok()?.ok()?;
        ready.sort_by_key(|(_, _, width)| (*width < wanted, width.abs_diff(wanted)));
        let named = job.choice.recipe.format;
        ready.retain(|(_, format, _)| {
            named.map_or(accepted.contains(*format), |named| named == *format)
        });
        for (key, format, _) in ready {
            if let Ok(Some((blob, _))) = self.get(&RenditionKey::from_index(key)).await {
                return Some((blob, format));
            }
        }
        None
    }

    /// Lists in the index what the blobs have, and takes off it what they have not.
    pub(super) async fn rebuild(&self) -> Result<(), PipelineError> {
        let mut found = HashSet::new();
        let mut renditions = pin!(self.blobs.renditions().chunks(LISTED_AT_ONCE));
        while let Some(some) = renditions.next().await {
            let some: Vec<RenditionRecord> = some.into_iter().collect::<Result<_, _>>()?;
            found.extend(some.iter().map(|rendition| rendition.key.clone()));
            let records = self.records.clone();
            blocking(move || records.list_renditions(&some)).await??;
        }
        let records = self.records.clone();
        let listed = blocking(move || records.rendition_keys()).await??;
        let gone: Vec<String> = listed.into_iter().filter(|key| !found.contains(key)).collect();
        let records = self.records.clone();
        Ok(blocking(move || records.forget_renditions(gone.iter().map(String::as_str))).await??)
    }

    /// True if records answer and blobs can be written. Asked often, it is found out once in a while.
    pub(super) async fn is_ready(&self) -> bool {
        let (records, blobs) = (self.records.clone(), self.blobs.clone());
        let metrics = self.metrics.clone();
        let asking = async {
            let asked = blocking(move || {
                metrics.of_store("records", "answer to /readyz", records.ping()).is_some()
                    && blobs.can_write()
            })
            .await;
            asked.unwrap_or(false)
        };
        self.ready.get_with((), asking).await
    }
}
