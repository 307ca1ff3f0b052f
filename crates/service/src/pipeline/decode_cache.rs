//! Cached decode results that renditions are drawn from: reductions of large originals (memory
//! first, disk behind), and rasters that the next format of the same shape is encoded from.

use std::sync::Arc;

use kivet_image::{Raster, Reduction};
use kivet_recipe::{Facts, Gamut, Plan};
use kivet_store::Reductions;
use quick_cache::sync::Cache;

use super::{
    PipelineError,
    held::{Held, Weighs, held},
};

/// Of the memory for intermediates, drawn pictures get one part in so many: they serve for
/// moments, reductions for long.
const DRAWN_SHARE: u64 = 4;

/// What one of them takes, nearly.
const USUAL: u64 = 2 << 20;

/// Originals of which it is remembered that they were drawn from.
const DRAWN_FROM: usize = 100_000;

/// The cache. Cheap to clone; calls block.
#[derive(Clone)]
pub(super) struct DecodeCache {
    drawn: Arc<Held<String, Raster>>,
    reductions: Arc<Held<String, Reduction>>,
    /// Originals that were drawn from at least once.
    drawn_from: Arc<Cache<String, ()>>,
    disk: Reductions,
}

impl Weighs for Raster {
    fn weight(&self) -> usize {
        self.bytes().len()
    }
}

impl Weighs for Reduction {
    fn weight(&self) -> usize {
        self.weight()
    }
}

impl DecodeCache {
    pub(super) fn new(memory_mib: u64, disk: Reductions) -> Self {
        let bytes = memory_mib << 20;
        // In one part: in several, each would hold but few of things this large.
        Self {
            drawn: held(bytes / DRAWN_SHARE, USUAL, 1),
            reductions: held(bytes - bytes / DRAWN_SHARE, USUAL, 1),
            drawn_from: Arc::new(Cache::new(DRAWN_FROM)),
            disk,
        }
    }

    /// Forgets what is in memory; reductions stay on disk.
    pub(super) fn forget(&self) {
        self.drawn.clear();
        self.reductions.clear();
    }

    /// The picture drawn under `key`, or what `draw` gives, once however many ask.
    pub(super) fn drawn(
        &self,
        key: String,
        draw: impl FnOnce() -> Result<Raster, PipelineError>,
    ) -> Result<Arc<Raster>, PipelineError> {
        self.drawn.get_or_insert_with(&key, || draw().map(Arc::new))
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
        let is_first = self.drawn_from.get(hash).is_none();
        self.drawn_from.insert(hash.to_owned(), ());
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
        self.reductions.get_or_insert_with(&key, || {
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
        })
    }
}

fn reduction_key(hash: &str, gamut: Gamut, level: u32) -> String {
    let colours = match gamut {
        Gamut::Srgb => "srgb",
        Gamut::DisplayP3 => "displayp3",
    };
    format!("{hash}-{colours}-{level}")
}
