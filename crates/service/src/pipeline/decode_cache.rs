//! Cached decode results that renditions are drawn from: reductions of large originals (memory
//! first, disk behind), and rasters that the next format of the same shape is encoded from.

use std::sync::Arc;

use kivet_image::{Raster, Reduction};
use kivet_recipe::{Facts, Gamut, Plan};
use kivet_store::Reductions;
use moka::sync::Cache;

use super::PipelineError;

/// Of the memory for intermediates, drawn pictures get one part in so many: they serve for
/// moments, reductions for long.
const DRAWN_SHARE: u64 = 4;

/// Originals of which it is remembered that they were drawn from.
const DRAWN_FROM: u64 = 100_000;

/// The cache. Cheap to clone; calls block.
#[derive(Clone)]
pub(super) struct DecodeCache {
    drawn: Cache<String, Arc<Raster>>,
    reductions: Cache<String, Arc<Reduction>>,
    /// Originals that were drawn from at least once.
    drawn_from: Cache<String, ()>,
    disk: Reductions,
}

impl DecodeCache {
    pub(super) fn new(memory_mib: u64, disk: Reductions) -> Self {
        let bytes = memory_mib << 20;
        let weight = |bytes: usize| u32::try_from(bytes).unwrap_or(u32::MAX);
        Self {
            drawn: Cache::builder()
                .max_capacity(bytes / DRAWN_SHARE)
                .weigher(move |_, raster: &Arc<Raster>| weight(raster.bytes().len()))
                .build(),
            reductions: Cache::builder()
                .max_capacity(bytes - bytes / DRAWN_SHARE)
                .weigher(move |_, reduction: &Arc<Reduction>| weight(reduction.weight()))
                .build(),
            drawn_from: Cache::new(DRAWN_FROM),
            disk,
        }
    }

    /// Forgets what is in memory; reductions stay on disk.
    pub(super) fn forget(&self) {
        self.drawn.invalidate_all();
        self.reductions.invalidate_all();
        // Otherwise they are let go only as others come.
        self.drawn.run_pending_tasks();
        self.reductions.run_pending_tasks();
    }

    /// The picture drawn under `key`, or what `draw` gives, once however many ask.
    pub(super) fn drawn(
        &self,
        key: String,
        draw: impl FnOnce() -> Result<Raster, PipelineError>,
    ) -> Result<Arc<Raster>, PipelineError> {
        let drawn = self.drawn.try_get_with(key, || draw().map(Arc::new));
        drawn.map_err(|error: Arc<PipelineError>| PipelineError::clone(&error))
    }

    /// The smallest reduction of the original with `hash` that serves `plan`; `None` where only the
    /// original does, and where it is drawn from for the first time: the first viewer does not
    /// wait for what serves later ones. `make` makes the largest.
    pub(super) fn reduction(
        &self,
        hash: &str,
        facts: &Facts,
        plan: &Plan,
        gamut: Gamut,
        make: impl FnOnce() -> Result<Reduction, PipelineError>,
    ) -> Result<Option<Arc<Reduction>>, PipelineError> {
        if !Reduction::is_worth(facts) || !Reduction::would_serve(facts, plan, 0) {
            return Ok(None);
        }
        let is_first = self.drawn_from.entry_by_ref(hash).or_insert(()).is_fresh();
        if is_first && !self.has_reduction(hash, gamut) {
            return Ok(None);
        }
        let mut reduction = self.largest(hash, gamut, make)?;
        let mut level = 1;
        while Reduction::would_serve(facts, plan, level) {
            let larger = Arc::clone(&reduction);
            reduction = self.level(hash, gamut, level, || {
                larger.halved().map_err(|error| PipelineError::Broken(error.to_string()))
            })?;
            level += 1;
        }
        Ok(Some(reduction))
    }

    /// True if the largest reduction is in memory or on disk.
    fn has_reduction(&self, hash: &str, gamut: Gamut) -> bool {
        let key = reduction_key(hash, gamut, 0);
        self.reductions.contains_key(&key) || self.disk.has(&key)
    }

    /// The largest reduction, made by `make` if there is none.
    pub(super) fn largest(
        &self,
        hash: &str,
        gamut: Gamut,
        make: impl FnOnce() -> Result<Reduction, PipelineError>,
    ) -> Result<Arc<Reduction>, PipelineError> {
        self.level(hash, gamut, 0, make)
    }

    fn level(
        &self,
        hash: &str,
        gamut: Gamut,
        level: u32,
        make: impl FnOnce() -> Result<Reduction, PipelineError>,
    ) -> Result<Arc<Reduction>, PipelineError> {
        let key = reduction_key(hash, gamut, level);
        let found = self.reductions.try_get_with(key.clone(), || {
            if let Some(kept) = self.disk.get(&key).and_then(|bytes| Reduction::from_bytes(&bytes))
            {
                return Ok(Arc::new(kept));
            }
            let made = make()?;
            // A full disk must not cost the viewer the picture.
            if let Err(error) = self.disk.put(&key, &made.to_bytes()) {
                tracing::warn!(error = %crate::causes(&error), "a reduction could not be stored");
            }
            Ok(Arc::new(made))
        });
        found.map_err(|error: Arc<PipelineError>| PipelineError::clone(&error))
    }
}

fn reduction_key(hash: &str, gamut: Gamut, level: u32) -> String {
    let colours = match gamut {
        Gamut::Srgb => "srgb",
        Gamut::DisplayP3 => "displayp3",
    };
    format!("{hash}-{colours}-{level}")
}
