//! Where finished renditions are: memory, then blobs, with the index in the records.

use std::sync::Arc;

use kivet_recipe::{Accepted, Format};
use kivet_store::{Blob, Blobs, Records, RenditionRecord};
use moka::future::Cache;

use super::{Job, PipelineError, RenditionKey, key::family};
use crate::{blocking::blocking, metrics::Metrics};

/// Bytes a blob takes in memory beside its picture.
const BLOB_OVERHEAD: usize = 256;

/// Which tier had a rendition.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Tier {
    Memory,
    Blobs,
}

/// The tiers. Cheap to clone.
#[derive(Clone)]
pub(super) struct RenditionStore {
    memory: Cache<RenditionKey, Arc<Blob>>,
    blobs: Blobs,
    records: Records,
    /// A hash of all overlays, part of what families share.
    overlays: Arc<str>,
    metrics: Metrics,
}

impl RenditionStore {
    pub(super) fn new(
        memory_mib: u64,
        blobs: Blobs,
        records: Records,
        overlays: Arc<str>,
        metrics: Metrics,
    ) -> Self {
        let memory = Cache::builder()
            .max_capacity(memory_mib << 20)
            .weigher(|_, blob: &Arc<Blob>| {
                u32::try_from(blob.bytes.len() + BLOB_OVERHEAD).unwrap_or(u32::MAX)
            })
            .build();
        Self { memory, blobs, records, overlays, metrics }
    }

    /// The rendition under `key`, if memory has it.
    pub(super) async fn in_memory(&self, key: &RenditionKey) -> Option<Arc<Blob>> {
        self.memory.get(key).await
    }

    /// The rendition under `key` and the tier that had it; one from the blobs is in memory
    /// afterwards. Blobs are asked only for what the index lists, unless the index fails; blobs that
    /// fail have none.
    pub(super) async fn get(
        &self,
        key: &RenditionKey,
    ) -> Result<Option<(Arc<Blob>, Tier)>, PipelineError> {
        if let Some(blob) = self.memory.get(key).await {
            return Ok(Some((blob, Tier::Memory)));
        }
        let (records, wanted) = (self.records.clone(), key.clone());
        let listed = blocking(move || records.has_rendition(wanted.as_str())).await?;
        if self.metrics.kept("records", key.as_str(), listed) == Some(false) {
            return Ok(None);
        }
        let found = self.blobs.get(key.as_str()).await;
        let found = self.metrics.kept("blobs", key.as_str(), found);
        let Some(blob) = found.flatten().map(Arc::new) else { return Ok(None) };
        self.memory.insert(key.clone(), Arc::clone(&blob)).await;
        Ok(Some((blob, Tier::Blobs)))
    }

    /// Stores the rendition of a job in every tier, in place of any other under its key. A tier that
    /// fails does without it: the index lists only what the blobs have.
    pub(super) async fn put(
        &self,
        key: &RenditionKey,
        job: &Job,
        blob: Blob,
    ) -> Result<Arc<Blob>, PipelineError> {
        let put = self.blobs.put(key.as_str(), &blob).await;
        let is_put = self.metrics.kept("blobs", key.as_str(), put).is_some();
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
        if is_put {
            let records = self.records.clone();
            let listed = blocking(move || records.keep_rendition(&record)).await?;
            self.metrics.kept("records", key.as_str(), listed);
        }
        let blob = Arc::new(blob);
        self.memory.insert(key.clone(), Arc::clone(&blob)).await;
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

    /// True if records and blobs answer.
    pub(super) async fn is_ready(&self) -> bool {
        let records = self.records.clone();
        let answered = blocking(move || records.ping()).await;
        matches!(answered, Ok(Ok(()))) && self.blobs.get("00").await.is_ok()
    }
}
