//! The final rendition that follows a first one: slower settings, the setting searched until the fidelity is met.

use std::sync::Arc;

use kivet_image::{Raster, Reference, Rendition, Timings, Writing, write};
use kivet_recipe::{
    Choice, Curves, Decision, Effort, Encoding, Fidelity, Format, REFINED, Recipe, Sample, Seen, Trial, choose,
};
use kivet_store::{Blob, BlobHeader, Stage, etag_of};

use super::{
    Job, PipelineError,
    workshop::{Workshop, blob, of_image, of_store, read},
};

/// A format tried with the fast preset.
struct Contender {
    job: Job,
    quick: Blob,
    fidelity: f32,
}

impl Workshop {
    /// Makes the final rendition of a job whose first one is stored under `key`, and stores the better of the two.
    /// Where another format turns out to take fewer bytes it is made final at once, so that nobody waits for it.
    pub(super) fn improve(&self, key: &str, job: &Job, runtime: &tokio::runtime::Handle) -> Result<(), PipelineError> {
        let Some(first) = runtime.block_on(self.blobs.get(key)).map_err(of_store)? else { return Ok(()) };
        if first.header.stage == Stage::Final {
            return Ok(());
        }
        let (Encoding::Lossy { .. }, Some(target)) = (job.choice.encoding, job.choice.target) else {
            return self.store(key, job, self.squeezed(job, &first)?, runtime);
        };
        let raster = self.flat(job)?;
        self.wait_until_idle();
        let reference = Reference::new(&raster, job.choice.gamut);
        let fidelity = self.scored(job, &reference, &raster, &first)?;
        match self.compared(job, &reference, &raster, target)? {
            Some(Contender { job: winner, quick, fidelity }) => {
                let key = winner.key(&self.overlays);
                let ready = runtime.block_on(self.blobs.get(&key)).map_err(of_store)?;
                if ready.is_some_and(|ready| ready.header.stage == Stage::Final) {
                    return Ok(());
                }
                let found = self.searched(&winner, (&reference, &raster), (&quick, fidelity), target)?;
                self.store(&key, &winner, found, runtime)
            }
            None => {
                let found = self.searched(job, (&reference, &raster), (&first, fidelity), target)?;
                self.store(key, job, found, runtime)
            }
        }
    }

    /// Declares a first rendition final that cannot be improved, so that it is not tried again with every request.
    pub(super) fn leave(&self, key: &str, job: &Job, runtime: &tokio::runtime::Handle) -> Result<(), PipelineError> {
        match runtime.block_on(self.blobs.get(key)).map_err(of_store)? {
            Some(first) if first.header.stage == Stage::First => {
                self.store(key, job, declared_final(&first, None), runtime)
            }
            _ => Ok(()),
        }
    }

    /// The score of a first rendition, remembered.
    fn scored(&self, job: &Job, reference: &Reference, raster: &Raster, first: &Blob) -> Result<f32, PipelineError> {
        let fidelity = match first.header.fidelity {
            Some(known) => known,
            None => reference.score(&first.bytes).map_err(|source| of_image(&job.original, source))?,
        };
        let setting = first.header.setting.unwrap_or_default();
        let sample = kivet_image::sample(raster, job.choice.format, setting, fidelity, first.bytes.len());
        self.learn(job, Effort::Fast, &[sample])?;
        Ok(fidelity)
    }

    /// Tries the formats that may take fewer bytes, once for each shape, with the fast preset. The one that is to be sent instead, if
    /// there is one.
    fn compared(
        &self,
        job: &Job,
        reference: &Reference,
        raster: &Raster,
        target: Fidelity,
    ) -> Result<Option<Contender>, PipelineError> {
        let chosen = |format: Option<Format>| {
            let recipe = Recipe { format: format.or(job.recipe.format), ..job.recipe.clone() };
            let curves = self.known_curves(&job.original);
            choose(&recipe, job.original.facts(), &curves, &job.request, &self.policy).ok()
        };
        let quickly = |job: Job| {
            self.wait_until_idle();
            let quick = self.hurried(&job, raster)?;
            let fidelity = self.scored(&job, reference, raster, &quick)?;
            Ok::<_, PipelineError>(Contender { job, quick, fidelity })
        };
        let mut tried: Vec<Contender> = Vec::new();
        // What one try taught may put a format in front that did not contend before.
        let now = loop {
            let Some(now) = chosen(None) else { return Ok(None) };
            let curves = self.known_curves(&job.original);
            let is_unknown = |format: &Format| {
                *format != job.choice.format
                    && tried.iter().all(|contender| contender.job.choice.format != *format)
                    && !curves.has_seen(*format, target, job.scale())
            };
            let unknown = now.trial_candidates().map(|candidate| candidate.format).find(is_unknown);
            let Some(choice) = unknown.and_then(|format| chosen(Some(format))) else { break now };
            tried.push(quickly(Job { choice, ..job.clone() })?);
        };
        let lossy = |choice: &Choice| matches!(choice.encoding, Encoding::Lossy { .. });
        let winner = Some(now).filter(|choice| choice.format != job.choice.format && lossy(choice));
        let Some(choice) = winner else { return Ok(None) };
        let contender = tried.into_iter().find(|contender| contender.job.choice.format == choice.format);
        let winner = Job { choice, ..job.clone() };
        Ok(Some(match contender {
            Some(contender) => Contender { job: winner, ..contender },
            None => quickly(winner)?,
        }))
    }

    /// One encode with the fast preset, at the setting that is expected to meet the target.
    fn hurried(&self, job: &Job, raster: &Raster) -> Result<Blob, PipelineError> {
        let Choice { format, encoding, .. } = job.choice;
        let writing = self.writing(job, encoding, Effort::Fast)?;
        let bytes = write(raster, format, &writing).map_err(|source| of_image(&job.original, source))?;
        let made = Rendition { format, size: raster.size(), bytes, timings: Timings::default() };
        Ok(blob(made, Stage::First, encoding))
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
        let writing = self.writing(job, job.choice.encoding, Effort::Slow)?;
        let best = write(&raster, job.choice.format, &writing).map_err(|source| of_image(&job.original, source))?;
        let smaller = kivet_recipe::is_worth_swapping(first.bytes.len() as u64, best.len() as u64);
        Ok(if smaller { finished(first, best, None, None) } else { declared_final(first, None) })
    }

    /// A rendition at the target by slower settings, or the first where that is as good.
    fn searched(
        &self,
        job: &Job,
        (reference, raster): (&Reference, &Raster),
        (first, fidelity): (&Blob, f32),
        target: Fidelity,
    ) -> Result<Blob, PipelineError> {
        let format = job.choice.format;
        let setting = first.header.setting.unwrap_or_default();
        let curves = self.known_curves(&job.original);
        let effort = curves.final_effort(format, target, job.scale(), job.choice.plan.size.pixels());
        let held = Trial { setting, fidelity, bytes: first.bytes.len() as u64 };
        if effort == Effort::Fast && held.misses(target) <= REFINED {
            return Ok(declared_final(first, Some(fidelity)));
        }
        let expected = |score| curves.setting(format, score, job.view(), effort).unwrap_or(setting);
        let writing = self.writing(job, job.choice.encoding, effort)?;
        let goes_on = |found: Option<&Trial>| {
            self.wait_until_idle();
            found.is_none_or(|found| curves.may_replace(format, (&held, found), target, job.scale(), effort))
        };
        let found = kivet_image::refine(raster, reference, (format, &expected), target, &writing, &goes_on)
            .map_err(|source| of_image(&job.original, source))?;
        self.learn(job, effort, &found.tried)?;
        Ok(match held.against(&found.trial, target) {
            Decision::Swap => finished(first, found.bytes, Some(found.trial.fidelity), Some(found.trial.setting)),
            Decision::Keep => declared_final(first, Some(fidelity)),
        })
    }

    /// Corrects the curve by what came out.
    fn learn(&self, job: &Job, effort: Effort, samples: &[Sample]) -> Result<(), PipelineError> {
        let (hash, format) = (&job.original.record.hash, job.choice.format);
        let mut curves = Curves::clone(&self.known_curves(&job.original));
        samples.iter().for_each(|sample| curves.learn(format, Seen { scale: job.scale(), effort, sample: *sample }));
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

    /// How a rendition is written.
    fn writing(&self, job: &Job, encoding: Encoding, effort: Effort) -> Result<Writing, PipelineError> {
        let Choice { gamut, edits, .. } = &job.choice;
        let kept = match edits.keep {
            Some(keep) => kivet_image::kept(&read(&job.original)?, job.original.facts().format, Some(keep)),
            None => Default::default(),
        };
        Ok(Writing { effort, gamut: *gamut, kept, ..Writing::new(encoding) })
    }
}

fn finished(first: &Blob, bytes: Vec<u8>, fidelity: Option<f32>, setting: Option<f32>) -> Blob {
    let header = BlobHeader { etag: etag_of(&bytes), stage: Stage::Final, fidelity, setting, ..first.header.clone() };
    Blob { header, bytes: bytes.into() }
}

fn declared_final(first: &Blob, fidelity: Option<f32>) -> Blob {
    let header = BlobHeader { stage: Stage::Final, fidelity, ..first.header.clone() };
    Blob { header, bytes: first.bytes.clone() }
}
