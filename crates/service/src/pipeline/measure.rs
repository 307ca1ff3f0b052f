//! An original's curves: its encoders tried on two small probes of it, once.

use std::sync::Arc;

use kivet_image::{Probe, Raster};
use kivet_recipe::{Curves, Facts, Format, Kind, Policy, Recipe, Request, Scale, choose};

use super::{
    Job, PipelineError,
    workshop::{Workshop, of_image, of_store},
};
use crate::shelves::Original;

/// A probe is worth its work if it is so many times larger than the one before.
const APART: u32 = 3;

/// The formats with settings to measure.
const LOSSY: [Format; 4] = [Format::Jpeg, Format::Webp, Format::Jxl, Format::Avif];

impl Workshop {
    /// True if the curves of an original are worth measuring and were not.
    pub(super) fn wants_measuring(&self, original: &Original) -> bool {
        let facts = original.facts();
        !facts.animated
            && facts.format != Format::Svg
            && !self.known_curves(original).are_measured(&self.measured_formats(facts))
    }

    /// Measures the curves of an original and keeps them, giving way to viewers between formats.
    pub(super) fn measure(&self, original: &Arc<Original>) -> Result<(), PipelineError> {
        let image = |source| of_image(original, source);
        let mut probes = Vec::new();
        for (raster, scale) in self.drawn_small(original)? {
            let first = probes.is_empty();
            probes.push(if first { Probe::whole((*raster).clone(), scale) } else { Probe::tiled(&raster, scale) });
        }
        let mut curves = Curves::clone(&self.known_curves(original));
        let lossless = original.facts().kind == Kind::Flat;
        for format in self.measured_formats(original.facts()) {
            let mut measured = Vec::new();
            for probe in &probes {
                self.wait_until_idle();
                measured.push(probe.curve(format, lossless).map_err(image)?);
            }
            let entry = curves.0.entry(format).or_default();
            entry.curves = measured;
            self.records.keep_curve(&original.record.hash, format, entry).map_err(of_store)?;
        }
        // All at once: a choice between measured and guessed formats would favour the lucky guess.
        self.curves.insert(original.record.hash.clone(), Arc::new(curves));
        Ok(())
    }

    /// The original drawn small, smallest first: at as many sizes as it is large enough for.
    fn drawn_small(&self, original: &Arc<Original>) -> Result<Vec<(Arc<Raster>, Scale)>, PipelineError> {
        let facts = original.facts();
        let longer = facts.size.width.max(facts.size.height);
        let mut sides: Vec<u32> = Vec::new();
        for side in Probe::SIDES.map(|side| side.min(longer)) {
            if sides.last().is_none_or(|last| side * 2 >= last * APART) {
                sides.push(side);
            }
        }
        let mut probes = Vec::new();
        for side in sides {
            self.wait_until_idle();
            let width = (u64::from(side) * u64::from(facts.size.width) / u64::from(longer)).max(1) as u32;
            let recipe = Recipe { width: Some(width), ..Recipe::default() };
            let choice = choose(&recipe, facts, &Curves::default(), &Request::ANYTHING, &Policy::default())
                .map_err(|error| PipelineError::Broken(error.to_string()))?;
            let scale = Scale::of(&choice.plan);
            let job = Job { original: Arc::clone(original), recipe, request: Request::ANYTHING, choice };
            probes.push((self.drawn(&job)?, scale));
        }
        Ok(probes)
    }

    fn measured_formats(&self, facts: &Facts) -> Vec<Format> {
        let lossless = (facts.kind == Kind::Flat).then_some(Format::Png);
        LOSSY
            .into_iter()
            .chain(lossless)
            .filter(|format| !facts.alpha || format.has_alpha())
            .filter(|format| self.policy.jxl || *format != Format::Jxl)
            .filter(|format| self.policy.formats.contains(*format) || *format == Format::Jpeg)
            .collect()
    }
}
