//! The final rendition that follows a first one: slower settings, the setting searched until the fidelity is met.

use std::sync::Arc;

use kivet_image::{Ideal, Raster, Writing, write};
use kivet_recipe::{
    Choice, Curves, Effort, Encoding, Fidelity, Finalist, Sample, Seen, Verdict, choose, container_bytes, search,
};
use kivet_store::{Blob, BlobHead, Stage, etag_of};

use super::{
    Job, PipelineError,
    workshop::{Workshop, of_image, of_store, read},
};

impl Workshop {
    /// Makes the final rendition of a job whose first one is stored under `key`, and stores the better of the two.
    pub(super) fn improve(&self, key: &str, job: &Job, runtime: &tokio::runtime::Handle) -> Result<(), PipelineError> {
        let Some(first) = runtime.block_on(self.blobs.get(key)).map_err(of_store)? else { return Ok(()) };
        if first.head.stage == Stage::Final {
            return Ok(());
        }
        let final_blob = match (job.choice.encoding, job.choice.target) {
            (Encoding::Lossy { .. }, Some(target)) => self.searched(job, &first, target)?,
            _ => self.squeezed(job, &first)?,
        };
        self.store(key, job, final_blob, runtime)?;
        self.follow_the_curve(job, runtime)
    }

    /// Once the original was measured, another format may be the one to send: it is made final at once, so that nobody
    /// waits for it.
    fn follow_the_curve(&self, job: &Job, runtime: &tokio::runtime::Handle) -> Result<(), PipelineError> {
        let curves = self.known_curves(&job.original);
        let choice = choose(&job.choice.recipe, job.original.facts(), &curves, &job.request, &self.policy);
        let Ok(choice) = choice else { return Ok(()) };
        if choice.format == job.choice.format || choice.target.is_none() {
            return Ok(());
        }
        let job = Job { choice, ..job.clone() };
        let key = job.key(&self.overlays);
        if self.records.has_rendition(&key).map_err(of_store)? {
            return Ok(());
        }
        self.wait_until_idle();
        let (first, _) = self.first(&job)?;
        let Some(target) = job.choice.target else { return Ok(()) };
        let found = self.searched(&job, &first, target)?;
        self.store(&key, &job, found, runtime)
    }

    fn store(&self, key: &str, job: &Job, blob: Blob, runtime: &tokio::runtime::Handle) -> Result<(), PipelineError> {
        runtime.block_on(self.blobs.put(key, &blob)).map_err(of_store)?;
        self.records.keep_rendition(&self.index_line(key, job, &blob)).map_err(of_store)?;
        runtime.block_on(self.memory.insert(key.to_owned(), Arc::new(blob)));
        Ok(())
    }

    /// The same pixels in fewer bytes, if slower settings find that.
    fn squeezed(&self, job: &Job, first: &Blob) -> Result<Blob, PipelineError> {
        let raster = self.flat(job)?;
        self.wait_until_idle();
        let best = self.written(job, &raster, job.choice.encoding)?;
        let smaller = kivet_recipe::is_worth_swapping(first.bytes.len() as u64, best.len() as u64);
        Ok(if smaller { finished(first, best, None, None) } else { declared_final(first, None) })
    }

    /// A rendition at the target by slower settings, or the first where that is as good.
    fn searched(&self, job: &Job, first: &Blob, target: Fidelity) -> Result<Blob, PipelineError> {
        let image = |source| of_image(&job.original, source);
        let raster = self.flat(job)?;
        self.wait_until_idle();
        let ideal = Ideal::new(&raster, job.choice.gamut).map_err(image)?;
        let first_fidelity = ideal.likeness(&first.bytes).map_err(image)?;
        let pixels = raster.size().pixels();
        let format = job.choice.format;
        let mut curves = Curves::clone(&self.known_curves(&job.original));
        let learn = |curves: &mut Curves, effort, setting, fidelity, bytes: usize| {
            let bytes = (bytes as f32 - container_bytes(format) as f32).max(1.0) / pixels as f32;
            curves.learn(format, Seen { scale: job.scale(), effort, sample: Sample { setting, fidelity, bytes } });
        };
        if let Some(setting) = first.head.setting {
            learn(&mut curves, Effort::Fast, setting, first_fidelity, first.bytes.len());
        }
        let begin = curves.lossy(format, target, job.scale(), pixels, Effort::Best);
        let mut search = search(target, begin.map_or(50.0, |begin| begin.setting));
        let mut best: Option<(Vec<u8>, Finalist)> = None;
        while let Some(setting) = search.next_setting() {
            self.wait_until_idle();
            let bytes = self.written(job, &raster, Encoding::Lossy { setting })?;
            let fidelity = ideal.likeness(&bytes).map_err(image)?;
            learn(&mut curves, Effort::Best, setting, fidelity, bytes.len());
            search.tried(setting, fidelity);
            let found = Finalist { setting, fidelity, bytes: bytes.len() as u64 };
            if best.as_ref().is_none_or(|(_, best)| found.misses(target) < best.misses(target)) {
                best = Some((bytes, found));
            }
        }
        self.remember(job, curves)?;
        let setting = first.head.setting.unwrap_or_default();
        let held = Finalist { setting, fidelity: first_fidelity, bytes: first.bytes.len() as u64 };
        Ok(match best {
            Some((bytes, found)) if held.against(&found, target) == Verdict::Swap => {
                finished(first, bytes, Some(found.fidelity), Some(found.setting))
            }
            _ => declared_final(first, Some(first_fidelity)),
        })
    }

    fn remember(&self, job: &Job, curves: Curves) -> Result<(), PipelineError> {
        let (hash, format) = (&job.original.record.hash, job.choice.format);
        if let Some(measured) = curves.0.get(&format) {
            self.records.keep_curve(hash, format, measured).map_err(of_store)?;
        }
        self.curves.insert(hash.clone(), Arc::new(curves));
        Ok(())
    }

    /// The drawn picture as its encoder sees it.
    fn flat(&self, job: &Job) -> Result<Arc<Raster>, PipelineError> {
        let raster = self.drawn(job)?;
        Ok(match job.choice.flatten.filter(|_| raster.has_alpha()) {
            Some(colour) => Arc::new(Raster::clone(&raster).flattened(colour)),
            None => raster,
        })
    }

    fn written(&self, job: &Job, raster: &Raster, encoding: Encoding) -> Result<Vec<u8>, PipelineError> {
        let Choice { format, gamut, edits, .. } = &job.choice;
        let image = |source| of_image(&job.original, source);
        let kept = match edits.keep {
            Some(keep) => kivet_image::kept(&read(&job.original)?, job.original.facts().format, Some(keep)),
            None => Default::default(),
        };
        let writing = Writing { effort: Effort::Best, gamut: *gamut, kept, ..Writing::new(encoding) };
        write(raster, *format, &writing).map_err(image)
    }
}

fn finished(first: &Blob, bytes: Vec<u8>, fidelity: Option<f32>, setting: Option<f32>) -> Blob {
    let head = BlobHead { etag: etag_of(&bytes), stage: Stage::Final, fidelity, setting, ..first.head.clone() };
    Blob { head, bytes: bytes.into() }
}

fn declared_final(first: &Blob, fidelity: Option<f32>) -> Blob {
    let head = BlobHead { stage: Stage::Final, fidelity, ..first.head.clone() };
    Blob { head, bytes: first.bytes.clone() }
}
