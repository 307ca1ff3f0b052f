//! Making pictures: reading originals, drawing, encoding, analysing. Calls block.

use std::{sync::Arc, time::Instant};

use kivet_image::{
    Assets, FirstEncode, Limits, Raster, Reduction, Rendition, ReplacedFont, Timings, Work,
    Writing, encode_first, kept, render, replaced_fonts,
};
use kivet_recipe::{Choice, Effort, Encoding, Facts, Format, Gamut};
use kivet_store::{Blob, BlobHeader, OriginalRecord, Stage, etag_of};

use super::{Job, PipelineError, curve_store::CurveStore, decode_cache::DecodeCache, key::shape};
use crate::shelves::Original;

/// What pictures are made with. Cheap to clone.
#[derive(Clone)]
pub(super) struct Renderer {
    pub(super) decoded: DecodeCache,
    pub(super) assets: Arc<Assets>,
    /// A hash of all overlays: renditions with one are made again when any changes.
    pub(super) overlays: Arc<str>,
    pub(super) limits: Limits,
    pub(super) curves: CurveStore,
    /// True if first renditions are followed by better ones.
    pub(super) improve: bool,
}

impl Renderer {
    /// The first rendition of a job.
    pub(super) fn first(&self, job: &Job, work: &Work) -> Result<(Blob, Timings), PipelineError> {
        let Job { original, choice, .. } = job;
        let facts = original.facts();
        let image = |source| PipelineError::of_image(original, source);
        let still = !choice.animated && job.is_drawn();
        if still && facts.format == Format::Svg {
            for ReplacedFont { family, by } in self.replaced_fonts(job)? {
                let original = &original.id;
                tracing::warn!(%original, family, by, "a font is not installed; another takes its place");
            }
        }
        if !still || facts.format == Format::Svg {
            let made =
                render(&read(original)?, facts, choice, &self.task(None, work)).map_err(image)?;
            let timings = made.timings;
            return Ok((blob(made, Stage::Final), timings));
        }
        let started = Instant::now();
        let raster = self.drawn(job, work)?;
        let draw = started.elapsed();
        work.go_on().map_err(image)?;
        // The original is read again only for what is kept of its metadata.
        let bytes = if choice.edits.keep.is_some() { read(original)? } else { Vec::new() };
        let curves = self.curves.known(original);
        let FirstEncode { bytes, encoding } =
            encode_first(&raster, (&bytes, facts), choice, &curves, work).map_err(image)?;
        let timings = Timings { draw, encode: started.elapsed() - draw };
        let (format, size) = (choice.format, raster.size());
        let better =
            self.improve && matches!(encoding, Encoding::Lossy { .. } | Encoding::Lossless);
        let stage = if better { Stage::First } else { Stage::Final };
        Ok((blob(Rendition { format, size, bytes, encoding, timings }, stage), timings))
    }

    /// The pixels of a still rendition. The original is read only where no cached decode result
    /// serves.
    pub(super) fn drawn(&self, job: &Job, work: &Work) -> Result<Arc<Raster>, PipelineError> {
        let Job { original, choice, .. } = job;
        self.decoded.drawn(shape(job, &self.overlays), || {
            let make = || self.reduce(original, choice.gamut, work);
            let (hash, facts) = (&original.record.hash, original.facts());
            let reduction =
                self.decoded.reduction(hash, facts, &choice.plan, choice.gamut, make)?;
            self.draw(job, reduction.as_deref(), work)
        })
    }

    /// The pixels of a still rendition, drawn from the original itself and flattened where the
    /// format holds no transparency: the reference of scores, and the source of final renditions.
    pub(super) fn drawn_exactly(
        &self,
        job: &Job,
        work: &Work,
    ) -> Result<Arc<Raster>, PipelineError> {
        let Job { original, choice, .. } = job;
        let facts = original.facts();
        let mut key = shape(job, &self.overlays);
        if Reduction::is_worth(facts) && Reduction::would_serve(facts, &choice.plan, 0) {
            key.push_str(" exact");
        }
        let raster = self.decoded.drawn(key, || self.draw(job, None, work))?;
        Ok(match choice.flatten.filter(|_| raster.has_alpha()) {
            Some(colour) => Arc::new(Raster::clone(&raster).flattened(colour)),
            None => raster,
        })
    }

    /// The font families that a vector names and that are not installed.
    pub(super) fn replaced_fonts(&self, job: &Job) -> Result<Vec<ReplacedFont>, PipelineError> {
        replaced_fonts(&read(&job.original)?, &self.assets.fonts)
            .map_err(|source| PipelineError::of_image(&job.original, source))
    }

    fn draw(
        &self,
        job: &Job,
        reduction: Option<&Reduction>,
        work: &Work,
    ) -> Result<Raster, PipelineError> {
        let Job { original, choice, .. } = job;
        let bytes = if reduction.is_some() { Vec::new() } else { read(original)? };
        kivet_image::draw_edited(&bytes, original.facts(), choice, &self.task(reduction, work))
            .map_err(|source| PipelineError::of_image(original, source))
    }

    /// How a rendition is written, metadata included.
    pub(super) fn writing(&self, job: &Job, effort: Effort) -> Result<Writing, PipelineError> {
        let Choice { gamut, edits, encoding, full_chroma, .. } = &job.choice;
        let kept = match edits.keep {
            Some(keep) => kept(&read(&job.original)?, job.original.facts().format, Some(keep)),
            None => Default::default(),
        };
        let (gamut, full_chroma) = (*gamut, *full_chroma);
        Ok(Writing { effort, full_chroma, gamut, kept, ..Writing::new(*encoding) })
    }

    /// The facts of an original with its analysis, and its trim box where `trim` asks for that.
    pub(super) fn analysed(
        &self,
        original: &Original,
        trim: bool,
    ) -> Result<OriginalRecord, PipelineError> {
        let image = |source| PipelineError::of_image(original, source);
        let mut facts: Facts = original.facts().clone();
        if facts.analysis.is_none() {
            let analysis = if Reduction::is_worth(&facts) {
                let make = || self.reduce(original, Gamut::Srgb, &Work::within(self.limits));
                self.decoded.largest(&original.record.hash, Gamut::Srgb, make)?.analyse(&facts)
            } else {
                kivet_image::analyse(&read(original)?, &facts, self.limits)
            };
            facts.analysis = Some(analysis.map_err(image)?);
        }
        if trim && facts.trim_box.is_none() {
            let found = kivet_image::find_trim_box(&read(original)?, &facts, self.limits);
            facts.trim_box = Some(found.map_err(image)?);
        }
        Ok(OriginalRecord { facts, ..original.record.clone() })
    }

    fn reduce(
        &self,
        original: &Original,
        gamut: Gamut,
        work: &Work,
    ) -> Result<Reduction, PipelineError> {
        Reduction::make(&read(original)?, original.facts(), gamut, self.limits, work)
            .map_err(|source| PipelineError::of_image(original, source))
    }

    fn task<'a>(&'a self, reduction: Option<&'a Reduction>, work: &Work) -> kivet_image::Task<'a> {
        kivet_image::Task {
            assets: Some(&self.assets),
            limits: self.limits,
            work: work.clone(),
            curves: None,
            reduction,
        }
    }
}

/// A rendition with its header; its score is found out later.
pub(super) fn blob(made: Rendition, stage: Stage) -> Blob {
    let setting = match made.encoding {
        Encoding::Lossy { setting } => Some(setting),
        _ => None,
    };
    let header = BlobHeader {
        media_type: made.format.media_type().to_owned(),
        etag: etag_of(&made.bytes),
        width: made.size.width,
        height: made.size.height,
        stage,
        score: None,
        setting,
    };
    Blob { header, bytes: made.bytes.into() }
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
