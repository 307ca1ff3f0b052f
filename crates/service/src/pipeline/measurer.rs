//! An original's curves: its encoders tried on two small probes of it, once.

use std::sync::Arc;

use kivet_image::{Probe, Raster};
use kivet_recipe::{Curve, Curves, Facts, Format, Policy, Recipe, Request, Scale, choose};

use super::{Job, PipelineError, improver::Improver};
use crate::shelves::Original;

/// A probe is worth its work if it is so many times larger than the one before.
const APART: u32 = 3;

/// The formats with settings to measure.
const LOSSY: [Format; 4] = [Format::Jpeg, Format::Webp, Format::Jxl, Format::Avif];

/// True if the curves of an original are worth measuring and were not.
pub(super) fn wants_measuring(known: &Curves, facts: &Facts, policy: &Policy) -> bool {
    !facts.animated
        && facts.format != Format::Svg
        && !known.are_measured(&measured_formats(facts, policy))
}

impl Improver {
    /// Measures the curves of an original and keeps them, giving way to viewers between encoders.
    pub(super) async fn measure(&self, original: Arc<Original>) -> Result<(), PipelineError> {
        let mut probes: Vec<Arc<Probe>> = Vec::new();
        for side in probe_sides(original.facts()) {
            let (whole, original) = (probes.is_empty(), Arc::clone(&original));
            let full_chroma = original.facts().storage.is_lossless();
            let probe = self.when_idle(move |renderer| {
                let (raster, scale): (Arc<Raster>, Scale) = drawn_small(renderer, &original, side)?;
                Ok(if whole {
                    Probe::whole((*raster).clone(), scale, full_chroma)
                } else {
                    Probe::tiled(&raster, scale, full_chroma)
                })
            });
            probes.push(Arc::new(probe.await?));
        }
        let mut curves = Curves::clone(&self.renderer.curves.known(&original));
        let formats = measured_formats(original.facts(), &self.policy);
        for format in &formats {
            let mut measured = Vec::new();
            for probe in &probes {
                measured.push(self.curve(&original, Arc::clone(probe), *format).await?);
            }
            curves.0.entry(*format).or_default().curves = measured;
        }
        // All at once: a choice between measured and guessed formats would favour the lucky guess.
        Ok(self.renderer.curves.keep(&original, curves, &formats)?)
    }

    async fn curve(
        &self,
        original: &Arc<Original>,
        probe: Arc<Probe>,
        format: Format,
    ) -> Result<Curve, PipelineError> {
        let (original, lossless) = (Arc::clone(original), original.facts().storage.is_lossless());
        self.when_idle(move |_| {
            probe
                .curve(format, lossless)
                .map_err(|source| PipelineError::of_image(&original, source))
        })
        .await
    }
}

/// The longer sides of the probes, smallest first: as many as the original is large enough for.
fn probe_sides(facts: &Facts) -> Vec<u32> {
    let longer = facts.size.width.max(facts.size.height);
    let mut sides: Vec<u32> = Vec::new();
    for side in Probe::SIDES.map(|side| side.min(longer)) {
        if sides.last().is_none_or(|last| side * 2 >= last * APART) {
            sides.push(side);
        }
    }
    sides
}

/// The original drawn so that its longer side has so many pixels.
fn drawn_small(
    renderer: &super::renderer::Renderer,
    original: &Arc<Original>,
    side: u32,
) -> Result<(Arc<Raster>, Scale), PipelineError> {
    let facts = original.facts();
    let longer = facts.size.width.max(facts.size.height);
    let width = (u64::from(side) * u64::from(facts.size.width) / u64::from(longer)) as u32;
    let recipe = Recipe::of_width(width);
    let choice = choose(&recipe, facts, &Curves::default(), &Request::ANYTHING, &Policy::default())
        .map_err(|error| PipelineError::Broken(error.to_string()))?;
    let scale = Scale::of(&choice.plan);
    let job = Job { original: Arc::clone(original), recipe, request: Request::ANYTHING, choice };
    Ok((renderer.drawn(&job, &Default::default())?, scale))
}

fn measured_formats(facts: &Facts, policy: &Policy) -> Vec<Format> {
    let lossless = facts.storage.is_lossless().then_some(Format::Png);
    LOSSY
        .into_iter()
        .chain(lossless)
        .filter(|format| !facts.alpha || format.has_alpha())
        .filter(|format| policy.jxl || *format != Format::Jxl)
        .filter(|format| policy.formats.contains(*format) || *format == Format::Jpeg)
        .collect()
}
