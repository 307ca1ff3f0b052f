//! The formats that could be sent, what each would take, and which is best.

use super::outcome::{Candidate, Reason};
use crate::{
    Accepted, Basis, Curves, Effort, Encoding, Facts, Fidelity, Format, Orientation, Plan, Policy,
    Prediction, Quality, Recipe, Rect, Scale, View, curve::file_bytes, prior::expected_lossless,
};

/// Formats Kivet writes.
const WRITTEN: [Format; 6] =
    [Format::Avif, Format::Jxl, Format::Webp, Format::Jpeg, Format::Png, Format::Gif];

/// A format that misses the target by more than this does not reach it.
const SHORT: f32 = 3.0;

/// A lossless file may take so many times the bytes of the lightest lossy one.
const LOSSLESS_SURPLUS: f64 = 1.1;

/// All that candidates are judged by.
pub(super) struct Scene<'a> {
    pub(super) recipe: &'a Recipe,
    pub(super) facts: &'a Facts,
    pub(super) curves: &'a Curves,
    pub(super) policy: &'a Policy,
    pub(super) plan: &'a Plan,
    pub(super) animated: bool,
    pub(super) transparent: bool,
    pub(super) target: Fidelity,
    pub(super) accepted: Accepted,
}

impl Scene<'_> {
    /// Every format that may be sent: those that reach the target first, fewest expected bytes
    /// first, weighed by how much each is wanted.
    pub(super) fn candidates(&self) -> Vec<Candidate> {
        let side = self.plan.size.width.max(self.plan.size.height);
        let formats: Vec<Format> = WRITTEN
            .into_iter()
            .filter(|format| self.may_send(*format) && side <= format.max_side())
            .collect();
        let wants_lossless = self.wants_lossless(&formats);
        let mut candidates: Vec<Candidate> = formats
            .into_iter()
            .filter_map(|format| self.candidate(format, wants_lossless))
            .collect();
        candidates.sort_by_key(|candidate| (self.falls_short(candidate), self.weighed(candidate)));
        candidates
    }

    /// The bytes of a candidate, more of them the less its format is wanted (RFC 9110, section
    /// 12.5.1: a relative preference).
    fn weighed(&self, candidate: &Candidate) -> u64 {
        // A format named outright may not be accepted at all.
        let weight = Some(self.accepted.weight(candidate.format)).filter(|weight| *weight > 0.0);
        (candidate.predicted_bytes.get() as f64 / weight.unwrap_or(1.0)).round() as u64
    }

    fn may_send(&self, format: Format) -> bool {
        let accepted = self.accepted;
        let built = self.policy.jxl || format != Format::Jxl;
        let wanted = match self.recipe.format {
            Some(named) => format == named,
            None if self.animated => accepted.contains(format) && format.can_animate(),
            // Nothing that stands still gains from GIF's 256 colours.
            None => {
                accepted.contains(format)
                    && format != Format::Gif
                    && (format.has_alpha() || !self.transparent)
                    // What every browser shows is left, whatever the policy leaves out.
                    && (self.policy.formats.contains(format) || matches!(format, Format::Jpeg | Format::Png))
            }
        };
        built && wanted
    }

    /// The best of sorted candidates, and why.
    pub(super) fn best(&self, candidates: &[Candidate]) -> Option<(Candidate, Reason)> {
        let fewest = *candidates.first()?;
        if self.recipe.format.is_some() {
            return Some((fewest, Reason::Named));
        }
        let most = self.weighed(&fewest) * (100 + u64::from(self.policy.surplus)) / 100;
        let close = |candidate: &&Candidate| {
            self.weighed(candidate) <= most
                && self.falls_short(candidate) == self.falls_short(&fewest)
        };
        let easiest =
            candidates.iter().filter(close).min_by_key(|candidate| work(candidate.format)).copied();
        let easiest =
            easiest.filter(|easiest| self.policy.surplus > 0 && easiest.format != fewest.format);
        let smaller = |other: &Candidate| {
            other.predicted_bytes < fewest.predicted_bytes
                && self.falls_short(other) == self.falls_short(&fewest)
        };
        let reason =
            if candidates.iter().any(smaller) { Reason::Preferred } else { Reason::FewestBytes };
        Some(easiest.map_or((fewest, reason), |easiest| (easiest, Reason::LeastWork)))
    }

    /// True if the file of the original can be sent in place of `best` and has fewer bytes.
    pub(super) fn is_original_lighter(&self, best: &Candidate) -> bool {
        let is_lighter = |bytes: u64| bytes < best.predicted_bytes.get();
        self.facts.bytes.is_some_and(is_lighter) && self.is_whole_original()
    }

    /// True if the original is a still, upright picture in a format that may be sent, and all of its
    /// pixels are asked for as they are.
    fn is_whole_original(&self) -> bool {
        let Self { recipe, facts, plan, .. } = self;
        let as_asked = recipe.format.is_none()
            && recipe.filters.is_empty()
            && recipe.overlays.is_empty()
            && recipe.keep.is_none()
            && (recipe.canvas.is_none() || !facts.alpha);
        let as_stored = !facts.animated && !facts.truncated && facts.format != Format::Svg;
        let all = plan.crop == Rect::whole(facts.size)
            && plan.size == facts.size
            && plan.turned == Orientation::UPRIGHT
            && plan.canvas.is_none();
        as_asked && as_stored && all && self.may_send(facts.format)
    }

    /// How the first rendition of a candidate is written: the same fidelity, with the fast preset.
    pub(super) fn first_encoding(&self, candidate: &Candidate) -> Encoding {
        let lossy = |_| self.lossy(candidate.format, self.target, Effort::Fast);
        match candidate.encoding {
            Encoding::Lossy { setting } => Some(setting)
                .and_then(lossy)
                .map_or(candidate.encoding, |found| Encoding::Lossy { setting: found.setting }),
            other => other,
        }
    }

    fn falls_short(&self, candidate: &Candidate) -> bool {
        let target = self.target.as_f32();
        candidate.predicted_score.is_some_and(|score| score.get() < target - SHORT)
    }

    /// True if the recipe wants the pixels as they are, or leaves that open and a lossless file
    /// takes at most [`LOSSLESS_SURPLUS`] of the bytes of the lightest lossy one that reaches the
    /// target.
    fn wants_lossless(&self, formats: &[Format]) -> bool {
        match self.recipe.quality {
            Some(Quality::Lossless) => return true,
            Some(Quality::Fidelity(_)) => return false,
            None if self.animated || !self.facts.storage.is_lossless() => return false,
            None => {}
        }
        let fewest = |bytes: &dyn Fn(Format) -> Option<u64>| {
            formats.iter().filter_map(|format| bytes(*format)).min()
        };
        let lossless =
            fewest(&|format| self.lossless(format).map(|found| found.predicted_bytes.get()));
        let lossy = fewest(&|format| {
            let found = self.lossy(format, self.target, self.effort(format))?;
            // The prior is that of photographs and tells little of flat art: before a measurement, it is
            // compared with lossy files that look the same.
            let found = match found.basis {
                Basis::Prior => self.lossy(format, Fidelity::INDISTINGUISHABLE, Effort::Fast)?,
                Basis::Curve | Basis::Corrected => found,
            };
            let reaches = found.score.get() >= self.target.as_f32() - SHORT;
            reaches.then_some(found.bytes.get())
        });
        let limit = |lossy: u64| (lossy as f64 * LOSSLESS_SURPLUS) as u64;
        lossless.is_some_and(|lossless| lossy.is_none_or(|lossy| lossless <= limit(lossy)))
    }

    /// How `format` would be written; one named outright is written the way it can.
    fn candidate(&self, format: Format, wants_lossless: bool) -> Option<Candidate> {
        let named = self.recipe.format.is_some();
        let lossy = || {
            let found = self.lossy(format, self.target, self.effort(format))?;
            Some(of_lossy(format, found))
        };
        let lossless = || self.lossless(format);
        match (wants_lossless, named) {
            (true, false) => lossless(),
            (true, true) => lossless().or_else(lossy),
            (false, true) => lossy().or_else(lossless),
            // A format whose lossy form falls short may still be lossless.
            (false, false) => match lossy() {
                Some(short) if self.falls_short(&short) => lossless().or(Some(short)),
                reaching => reaching.or_else(lossless),
            },
        }
    }

    /// The preset of the final rendition.
    fn effort(&self, format: Format) -> Effort {
        if !self.policy.improve {
            return Effort::Fast;
        }
        let (scale, pixels) = (Scale::of(self.plan), self.plan.size.pixels());
        self.curves.final_effort(format, self.target, scale, pixels)
    }

    fn lossy(&self, format: Format, target: Fidelity, effort: Effort) -> Option<Prediction> {
        self.curves.lossy(
            format,
            target,
            View::of(self.plan, self.facts),
            self.plan.size.pixels(),
            effort,
        )
    }

    fn lossless(&self, format: Format) -> Option<Candidate> {
        let measured = self.curves.lossless_bytes(format, Scale::of(self.plan));
        let scale = Scale::of(self.plan);
        let expected = || expected_lossless(format, self.facts.storage, scale.powers_of_two());
        let bytes_per_pixel = measured.or_else(expected)?;
        let mut predicted_bytes = file_bytes(format, bytes_per_pixel, self.plan.size.pixels());
        // Hardly any PNG is lighter than a lossless WebP, whatever probes of other sizes say.
        let beside_webp = format == Format::Png && self.may_send(Format::Webp);
        if beside_webp && !self.curves.has_made_lossless(format, scale) {
            let webp = self.lossless(Format::Webp)?.predicted_bytes;
            predicted_bytes = predicted_bytes.max(webp);
        }
        Some(Candidate {
            format,
            encoding: if format == Format::Gif { Encoding::Palette } else { Encoding::Lossless },
            predicted_bytes,
            predicted_score: None,
            basis: if measured.is_some() { Basis::Curve } else { Basis::Prior },
        })
    }
}

fn of_lossy(format: Format, found: Prediction) -> Candidate {
    Candidate {
        format,
        encoding: Encoding::Lossy { setting: found.setting },
        predicted_bytes: found.bytes,
        predicted_score: Some(found.score),
        basis: found.basis,
    }
}

/// What writing a format costs, beside the others: milliseconds for a photograph 640 wide, with the
/// fast preset. Those that differ by a tenth are as much work.
const fn work(format: Format) -> u32 {
    match format {
        Format::Png => 5,
        Format::Avif | Format::Jpeg | Format::Jxl => 16,
        Format::Webp => 50,
        _ => 70,
    }
}
