//! Where pictures are made: reading originals, drawing, encoding, looking at them, measuring. Calls block.

use std::{
    sync::Arc,
    time::{Duration, Instant},
};

use kivet_image::{
    Assets, FirstEncode, ImageError, Limits as EngineLimits, Raster, Reduction, Rendition, Timings, Work, Writing,
};
use kivet_recipe::{Choice, Curves, Effort, Encoding, Fidelity, Format, Gamut};
use kivet_store::{Blob, BlobHeader, Blobs, OriginalRecord, Records, RenditionRecord, Stage, etag_of};
use moka::future::Cache;

use super::{Job, PipelineError, background::Task, intermediates::Intermediates, queue::Queue};
use crate::shelves::Original;

/// How often background work asks whether viewers' work has ended.
const LOOK_AGAIN: Duration = Duration::from_millis(10);

/// The tiers, and what is needed to fill them. Cheap to clone.
#[derive(Clone)]
pub(super) struct Workshop {
    pub(super) memory: Cache<String, Arc<Blob>>,
    pub(super) blobs: Blobs,
    pub(super) records: Records,
    pub(super) intermediates: Intermediates,
    pub(super) assets: Arc<Assets>,
    /// A hash of all overlays: renditions with one are made again when any changes.
    pub(super) overlays: Arc<str>,
    pub(super) limits: EngineLimits,
    pub(super) queue: Queue,
    pub(super) policy: kivet_recipe::Policy,
    pub(super) curves: moka::sync::Cache<String, Arc<Curves>>,
}

impl Workshop {
    /// The first rendition of a job.
    pub(super) fn first(&self, job: &Job) -> Result<(Blob, Timings), PipelineError> {
        let Job { original, choice, .. } = job;
        let facts = original.facts();
        let image = |source| of_image(original, source);
        let still = !choice.animated && !matches!(choice.encoding, Encoding::Vector | Encoding::Original);
        if !still || facts.format == Format::Svg {
            let made = kivet_image::render(&read(original)?, facts, choice, &self.task(None)).map_err(image)?;
            let timings = made.timings;
            return Ok((blob(made, Stage::Final, choice.encoding), timings));
        }
        let started = Instant::now();
        let raster = self.drawn(job)?;
        let draw = started.elapsed();
        // The original is read again only for what is kept of its metadata.
        let bytes = if choice.edits.keep.is_some() { read(original)? } else { Vec::new() };
        let (made, encoding, fidelity) = match (choice.encoding, choice.target) {
            (Encoding::Lossy { setting }, Some(target)) => {
                let made = self.first_encode(job, &raster, &bytes, (setting, target)).map_err(image)?;
                (made.bytes, Encoding::Lossy { setting: made.setting }, made.fidelity)
            }
            (lossless, _) => {
                (kivet_image::finish(&raster, &bytes, facts, choice).map_err(image)?.bytes, lossless, None)
            }
        };
        let made = Rendition { format: choice.format, size: raster.size(), bytes: made, timings: Timings::default() };
        let better = self.policy.improve && matches!(encoding, Encoding::Lossy { .. } | Encoding::Lossless);
        let stage = if better { Stage::First } else { Stage::Final };
        let mut made = blob(made, stage, encoding);
        made.header.fidelity = fidelity;
        Ok((made, Timings { draw, encode: started.elapsed() - draw }))
    }

    /// A lossy first rendition: the setting is what is expected, corrected by a glance at the drawn picture.
    fn first_encode(
        &self,
        job: &Job,
        raster: &Raster,
        bytes: &[u8],
        (setting, target): (f32, Fidelity),
    ) -> Result<FirstEncode, ImageError> {
        let Choice { format, flatten, gamut, edits, .. } = &job.choice;
        let flat = flatten.filter(|_| raster.has_alpha()).map(|colour| raster.clone().flattened(colour));
        let curves = self.known_curves(&job.original);
        let expected = |score| curves.setting(*format, score, job.view(), Effort::Fast).unwrap_or(setting);
        let kept = kivet_image::kept(bytes, job.original.facts().format, edits.keep);
        let writing = Writing { gamut: *gamut, kept, ..Writing::new(Encoding::Lossless) };
        kivet_image::encode_first(flat.as_ref().unwrap_or(raster), (*format, &expected), target, &writing)
    }

    /// The pixels of a still rendition. The original is read only where no intermediate serves.
    pub(super) fn drawn(&self, job: &Job) -> Result<Arc<Raster>, PipelineError> {
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

    /// An original with its looks, and its content without borders where `content` asks for that.
    pub(super) fn look(&self, original: &Original, content: bool) -> Result<Arc<Original>, PipelineError> {
        let image = |source| of_image(original, source);
        let mut facts = original.facts().clone();
        if facts.analysis.is_none() {
            let analysis = if Reduction::is_worth(&facts) {
                let make = || self.reduce(original, Gamut::Srgb);
                self.intermediates.largest(&original.record.hash, Gamut::Srgb, make)?.analyse(&facts)
            } else {
                kivet_image::analyse(&read(original)?, &facts, self.limits)
            };
            facts.analysis = Some(analysis.map_err(image)?);
        }
        if content && facts.trim_box.is_none() {
            facts.trim_box = Some(kivet_image::find_trim_box(&read(original)?, &facts, self.limits).map_err(image)?);
        }
        let record = OriginalRecord { facts, ..original.record.clone() };
        self.records.keep_original(original.id.shelf(), original.id.path(), &record).map_err(of_store)?;
        Ok(Arc::new(Original { record, ..original.clone() }))
    }

    fn reduce(&self, original: &Original, gamut: Gamut) -> Result<Reduction, PipelineError> {
        let work = Work::within(self.limits);
        Reduction::make(&read(original)?, original.facts(), gamut, self.limits, &work)
            .map_err(|source| of_image(original, source))
    }

    fn task<'a>(&'a self, reduction: Option<&'a Reduction>) -> kivet_image::Task<'a> {
        kivet_image::Task {
            assets: Some(&self.assets),
            limits: self.limits,
            work: Work::within(self.limits),
            reduction,
        }
    }

    /// What is known of an original's curves.
    pub(super) fn known_curves(&self, original: &Original) -> Arc<Curves> {
        let hash = &original.record.hash;
        self.curves.get_with_by_ref(hash, || match self.records.curves(hash) {
            Ok(curves) => Arc::new(curves),
            Err(error) => {
                tracing::warn!("the curves of {} cannot be read; the prior serves: {error}", original.id);
                Arc::default()
            }
        })
    }

    /// The index's line for a rendition.
    pub(super) fn index_line(&self, key: &str, job: &Job, blob: &Blob) -> RenditionRecord {
        RenditionRecord {
            key: key.to_owned(),
            shelf: job.original.id.shelf().to_owned(),
            path: job.original.id.path().to_owned(),
            recipe: job.choice.recipe.to_string(),
            format: job.choice.format.name().to_owned(),
            width: blob.header.width,
            height: blob.header.height,
            bytes: blob.bytes.len() as u64,
            family: job.family(&self.overlays),
        }
    }

    /// Returns once no viewer's work is waiting or under way.
    pub(super) fn wait_until_idle(&self) {
        while !self.queue.is_idle() {
            std::thread::sleep(LOOK_AGAIN);
        }
    }

    /// Does one task of the background.
    pub(super) fn do_task(&self, task: Task, runtime: &tokio::runtime::Handle) -> Result<(), PipelineError> {
        match task {
            Task::Measure(original) => self.measure(&original),
            Task::Improve { key, job } => {
                self.improve(&key, &job, runtime).or_else(|error| self.leave(&key, &job, runtime).and(Err(error)))
            }
        }
    }
}

/// A rendition with what it says of itself.
pub(super) fn blob(made: Rendition, stage: Stage, encoding: Encoding) -> Blob {
    let setting = match encoding {
        Encoding::Lossy { setting } => Some(setting),
        _ => None,
    };
    let header = BlobHeader {
        media_type: made.format.media_type().to_owned(),
        etag: etag_of(&made.bytes),
        width: made.size.width,
        height: made.size.height,
        stage,
        fidelity: None,
        setting,
    };
    Blob { header, bytes: made.bytes.into() }
}

pub(super) fn of_image(original: &Original, source: ImageError) -> PipelineError {
    PipelineError::Image { id: original.id.to_string(), source }
}

pub(super) fn of_store(error: kivet_store::StoreError) -> PipelineError {
    PipelineError::Store(Arc::new(error))
}

/// The original's bytes, if they are still those its facts were learnt from.
pub(super) fn read(original: &Original) -> Result<Vec<u8>, PipelineError> {
    let id = || original.id.to_string();
    let bytes = std::fs::read(&original.file)
        .map_err(|error| PipelineError::Unreadable { id: id(), problem: error.to_string() })?;
    if blake3::hash(&bytes).to_hex().as_str() == original.record.hash {
        Ok(bytes)
    } else {
        Err(PipelineError::Changed { id: id() })
    }
}
