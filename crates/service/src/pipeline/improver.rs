//! The final rendition that follows a first one: the decisions of [`kivet_recipe::Improver`],
//! carried out while no viewer's work waits.

use std::sync::Arc;

use kivet_image::{Raster, Reference, Writing, try_setting, write};
use kivet_recipe::{
    Bytes, Choice, Curves, Effort, Encoding, Format, Outcome, Policy, Scale, Setting, Step, Trial,
    choose, coded_bytes_per_pixel, is_worth_swapping,
};
use kivet_store::{Blob, BlobHeader, Stage, etag_of};

use super::{
    Job, PipelineError, RenditionKey, low_priority::LowPriority, renderer::Renderer,
    rendition_store::RenditionStore,
};
use crate::{queue::Queue, revision::Revision};

/// What improvements are made with. Cheap to clone.
#[derive(Clone)]
pub(super) struct Improver {
    pub(super) store: RenditionStore,
    pub(super) renderer: Renderer,
    pub(super) queue: Queue,
    pub(super) thread: LowPriority,
    pub(super) policy: Policy,
    pub(super) revision: Revision,
}

/// A drawn picture and what files of it are compared with.
#[derive(Clone)]
struct Drawn {
    raster: Arc<Raster>,
    reference: Arc<Reference>,
}

/// A file that was tried: one of the fast encodes, or one of the search.
struct Tried {
    format: Format,
    effort: Effort,
    trial: Trial,
    bytes: Vec<u8>,
}

impl Improver {
    /// Makes the final rendition of a job whose first one is stored under `key`. A first one that
    /// cannot be improved is declared final, so that it is not tried again with every request.
    pub(super) async fn improve(&self, key: RenditionKey, job: Job) -> Result<(), PipelineError> {
        let Some((first, _)) = self.store.get(&key).await? else { return Ok(()) };
        if first.header.stage == Stage::Final {
            return self.make_lossless(&job).await;
        }
        let improved = self.improve_first(&key, &job, &first).await;
        if improved.is_err() {
            self.keep(&key, &job, &first, first.header.clone()).await?;
        }
        improved
    }

    async fn improve_first(
        &self,
        key: &RenditionKey,
        job: &Job,
        first: &Blob,
    ) -> Result<(), PipelineError> {
        self.make_lossless(job).await?;
        match (job.choice.encoding, job.choice.target) {
            (Encoding::Lossy { setting }, Some(_)) => {
                self.improve_lossy(key, job, first, setting).await
            }
            // Measured, it may be lighter with loss: then nobody is sent this one any more.
            _ if self.is_lossy_now(job) => Ok(()),
            _ => self.improve_lossless(key, job, first).await,
        }
    }

    /// True if the curves that are known now make a lossy rendition of what was asked for.
    fn is_lossy_now(&self, job: &Job) -> bool {
        let curves = self.renderer.curves.known(&job.original);
        let now = choose(&job.recipe, job.original.facts(), &curves, &job.request, &self.policy);
        now.is_ok_and(|now| matches!(now.encoding, Encoding::Lossy { .. }))
    }

    /// Encodes a picture without loss where that may take fewer bytes than with it, for its curves
    /// to know.
    async fn make_lossless(&self, job: &Job) -> Result<(), PipelineError> {
        let mut curves = Curves::clone(&self.renderer.curves.known(&job.original));
        let formats = job.choice.lossless_trials(job.original.facts(), &curves);
        if formats.is_empty() {
            return Ok(());
        }
        let scale = Scale::of(&job.choice.plan);
        for format in &formats {
            let (work, format) = (job.clone(), *format);
            let made = self.when_idle(move |renderer| {
                let raster = renderer.drawn_exactly(&work, &Default::default())?;
                let writing = Writing { effort: Effort::Slow, ..Writing::new(Encoding::Lossless) };
                let file = write(&raster, format, &writing)
                    .map_err(|source| PipelineError::of_image(&work.original, source))?;
                Ok(coded_bytes_per_pixel(format, Bytes::of(&file), raster.size().pixels()))
            });
            curves.learn_lossless(format, scale, made.await?);
        }
        Ok(self.renderer.curves.keep(&job.original, curves, &formats)?)
    }

    /// Remembers the bytes of a lossless rendition.
    fn learn_lossless(&self, job: &Job, file: &[u8]) -> Result<(), PipelineError> {
        let (plan, format) = (&job.choice.plan, job.choice.format);
        let bytes = coded_bytes_per_pixel(format, Bytes::of(file), plan.size.pixels());
        let mut curves = Curves::clone(&self.renderer.curves.known(&job.original));
        curves.learn_lossless(format, Scale::of(plan), bytes);
        Ok(self.renderer.curves.keep(&job.original, curves, &[format])?)
    }

    /// The same pixels in fewer bytes, if the slow preset finds that.
    async fn improve_lossless(
        &self,
        key: &RenditionKey,
        job: &Job,
        first: &Blob,
    ) -> Result<(), PipelineError> {
        let work = job.clone();
        let slow = self
            .when_idle(move |renderer| {
                let raster = renderer.drawn_exactly(&work, &Default::default())?;
                let writing = renderer.writing(&work, Effort::Slow)?;
                let written = write(&raster, work.choice.format, &writing);
                written.map_err(|source| PipelineError::of_image(&work.original, source))
            })
            .await?;
        self.learn_lossless(job, &slow)?;
        if is_worth_swapping(Bytes::of(&first.bytes), Bytes::of(&slow)) {
            let header = BlobHeader { etag: etag_of(&slow), ..first.header.clone() };
            return self.put_final(key.clone(), job, Blob { header, bytes: slow.into() }).await;
        }
        self.keep(key, job, first, first.header.clone()).await
    }

    /// Compares formats, then searches the setting of the best one, as [`kivet_recipe::Improver`]
    /// decides.
    async fn improve_lossy(
        &self,
        key: &RenditionKey,
        job: &Job,
        first: &Blob,
        setting: Setting,
    ) -> Result<(), PipelineError> {
        let drawn = self.drawn(job).await?;
        let trial =
            self.first_trial(job, first, first.header.setting.unwrap_or(setting), &drawn).await?;
        let curves = self.renderer.curves.known(&job.original);
        let (asked, known) = ((&job.recipe, job.original.facts()), (&job.request, &self.policy));
        let first_choice = job.choice.clone();
        let Some(mut improver) =
            kivet_recipe::Improver::new(asked, known, (*curves).clone(), first_choice, trial)
        else {
            return Ok(());
        };
        let mut files = vec![Tried {
            format: job.choice.format,
            effort: Effort::Fast,
            trial,
            bytes: first.bytes.to_vec(),
        }];
        let mut settled = false;
        loop {
            let step = improver.next_step();
            if let Some(winner) = improver.winner().filter(|_| !settled) {
                settled = true;
                if self.is_final(&self.job_of(job, winner)).await? {
                    return Ok(());
                }
            }
            let (choice, setting, effort) = match step {
                Step::Compare(choice) => match choice.encoding {
                    Encoding::Lossy { setting } => (*choice, setting, Effort::Fast),
                    other => {
                        return Err(PipelineError::Broken(format!("{other} was to be compared")));
                    }
                },
                Step::Refine { setting, effort } => match improver.winner() {
                    Some(winner) => (winner.clone(), setting, effort),
                    None => {
                        return Err(PipelineError::Broken("a search without a winner".to_owned()));
                    }
                },
                Step::Done(outcome) => {
                    self.learn(job, improver.curves(), &files)?;
                    let winner = improver
                        .winner()
                        .map_or_else(|| job.clone(), |winner| self.job_of(job, winner));
                    return self.settle(key, &winner, first, outcome, files).await;
                }
            };
            let format = choice.format;
            let (trial, bytes) =
                self.tried(self.job_of(job, &choice), setting, effort, drawn.clone()).await?;
            improver.report(trial);
            files.push(Tried { format, effort, trial, bytes });
            self.learn(job, improver.curves(), &files)?;
        }
    }

    /// Stores what came out: the file of the outcome, under the winner's key.
    async fn settle(
        &self,
        first_key: &RenditionKey,
        winner: &Job,
        first: &Blob,
        outcome: Outcome,
        files: Vec<Tried>,
    ) -> Result<(), PipelineError> {
        let (trial, effort) = match outcome {
            Outcome::Keep(trial) => (trial, Some(Effort::Fast)),
            Outcome::Swap(trial) => (trial, None),
        };
        let key = RenditionKey::of(winner, &self.renderer.overlays);
        let is_outcome = |file: &&Tried| {
            file.format == winner.choice.format
                && file.trial == trial
                && effort.is_none_or(|effort| effort == file.effort)
        };
        let file = files.iter().rfind(is_outcome);
        let Some(file) = file else {
            return Err(PipelineError::Broken("an outcome that was not tried".to_owned()));
        };
        let header = BlobHeader {
            media_type: winner.choice.format.media_type().to_owned(),
            etag: etag_of(&file.bytes),
            score: Some(trial.score),
            setting: Some(trial.setting),
            ..first.header.clone()
        };
        if key == *first_key && header.etag == first.header.etag {
            return self.keep(&key, winner, first, header).await;
        }
        self.put_final(key, winner, Blob { header, bytes: file.bytes.clone().into() }).await
    }

    /// Encodes and scores once, when no viewer's work waits.
    async fn tried(
        &self,
        job: Job,
        setting: Setting,
        effort: Effort,
        drawn: Drawn,
    ) -> Result<(Trial, Vec<u8>), PipelineError> {
        self.when_idle(move |renderer| {
            let writing = renderer.writing(&job, effort)?;
            let tried =
                try_setting(&drawn.raster, &drawn.reference, job.choice.format, setting, &writing);
            tried.map_err(|source| PipelineError::of_image(&job.original, source))
        })
        .await
    }

    /// The first rendition as a trial; scored now if it was not when it was made.
    async fn first_trial(
        &self,
        job: &Job,
        first: &Blob,
        setting: Setting,
        drawn: &Drawn,
    ) -> Result<Trial, PipelineError> {
        let bytes = Bytes::of(&first.bytes);
        if let Some(score) = first.header.score {
            return Ok(Trial { setting, score, bytes });
        }
        let (reference, file, original) =
            (Arc::clone(&drawn.reference), first.bytes.clone(), Arc::clone(&job.original));
        let score = self
            .when_idle(move |_| {
                reference.score(&file).map_err(|source| PipelineError::of_image(&original, source))
            })
            .await?;
        Ok(Trial { setting, score, bytes })
    }

    async fn drawn(&self, job: &Job) -> Result<Drawn, PipelineError> {
        let job = job.clone();
        self.when_idle(move |renderer| {
            let raster = renderer.drawn_exactly(&job, &Default::default())?;
            let reference = Arc::new(Reference::new(&raster, job.choice.gamut));
            Ok(Drawn { raster, reference })
        })
        .await
    }

    /// Runs work on the background thread once no viewer's work is waiting or under way.
    pub(super) async fn when_idle<T: Send + 'static>(
        &self,
        work: impl FnOnce(&Renderer) -> Result<T, PipelineError> + Send + 'static,
    ) -> Result<T, PipelineError> {
        self.queue.idle().await;
        let renderer = self.renderer.clone();
        self.thread.run(move || work(&renderer)).await
    }

    fn learn(
        &self,
        job: &Job,
        curves: &kivet_recipe::Curves,
        files: &[Tried],
    ) -> Result<(), PipelineError> {
        let formats: Vec<Format> = files.iter().map(|file| file.format).collect();
        Ok(self.renderer.curves.keep(&job.original, curves.clone(), &formats)?)
    }

    fn job_of(&self, job: &Job, choice: &Choice) -> Job {
        Job { choice: choice.clone(), ..job.clone() }
    }

    async fn is_final(&self, job: &Job) -> Result<bool, PipelineError> {
        let ready = self.store.get(&RenditionKey::of(job, &self.renderer.overlays)).await?;
        Ok(ready.is_some_and(|(blob, _)| blob.header.stage == Stage::Final))
    }

    /// Declares a rendition final as it is.
    async fn keep(
        &self,
        key: &RenditionKey,
        job: &Job,
        first: &Blob,
        header: BlobHeader,
    ) -> Result<(), PipelineError> {
        self.put_final(key.clone(), job, Blob { header, bytes: first.bytes.clone() }).await
    }

    async fn put_final(
        &self,
        key: RenditionKey,
        job: &Job,
        blob: Blob,
    ) -> Result<(), PipelineError> {
        let header = BlobHeader { stage: Stage::Final, ..blob.header };
        let blob = Blob { header, bytes: blob.bytes };
        self.store.put(&key, job, blob).await?;
        self.revision.advance();
        Ok(())
    }
}
