//! Curves: what each encoder's setting gives for one original, in score and bytes, once it was
//! measured.
//!
//! A curve is measured at up to two scales on small probes, interpolated monotonically, and
//! corrected by every real rendition that was scored later.

mod sample;
mod shape;
mod view;

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::{
    Bytes, BytesPerPixel, Effort, Expected, Fidelity, Format, REFINED, Score, Setting, Trial,
    is_worth_swapping, prior,
};
pub(crate) use sample::file_bytes;
pub use sample::{Curve, Sample, Seen, coded_bytes_per_pixel, container_bytes};
use shape::{Shape, between, gain};
pub use view::{Scale, View};

/// How far the correction by a scored rendition reaches: powers of two of scale, and score.
const RADIUS: (f32, f32) = (0.25, 8.0);

/// The end of every encoder's scale.
const MAX_SETTING: f32 = 100.0;

/// The weight of no correction at all beside those that were seen.
const DOUBT: f32 = 0.05;

/// The share of bytes the slow preset must save to be worth its time: with less than a tenth saved,
/// its result does not replace the first ([`is_worth_swapping`]). JPEG XL takes five to seven times
/// as long for it, AVIF four to five.
const fn worth(format: Format) -> f32 {
    if matches!(format, Format::Jxl) { 0.15 } else { 0.1 }
}

/// It must save at least so many bytes, too: fewer is a fraction of one network packet.
const WORTH_BYTES: f32 = 512.0;

/// Scored renditions remembered of one format; the oldest is forgotten first.
const MAX_SEEN: usize = 32;

impl Curve {
    /// False once a sample of `format` with the slow preset saved so little that others will not
    /// save enough to be worth their time.
    pub fn may_gain(&self, format: Format) -> bool {
        let last = self.slow_samples.last().and_then(|last| Some(Shape::of(self)?.kept(last)));
        last.is_none_or(|kept| kept <= (1.0 - worth(format) / 2.0).ln())
    }
}

/// What is known of one original in one format.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Measured {
    /// The curves, scales rising.
    pub curves: Vec<Curve>,
    /// Scored renditions, oldest first.
    pub seen: Vec<Seen>,
    /// Lossless renditions that were made, oldest first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub lossless: Vec<(Scale, BytesPerPixel)>,
}

/// What is known of one original in every format; empty before it was measured.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Curves(pub BTreeMap<Format, Measured>);

/// What a prediction rests on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Basis {
    /// What is usual for pictures of its kind.
    Prior,
    /// This original's own curve.
    Curve,
    /// Its curve, corrected by scored renditions.
    Corrected,
}

impl Basis {
    /// The name in JSON and on the command line.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Prior => "prior",
            Self::Curve => "curve",
            Self::Corrected => "corrected",
        }
    }
}

/// What is expected of a lossy rendition.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Prediction {
    /// The setting.
    pub setting: Setting,
    /// Bytes of the file.
    pub bytes: Bytes,
    /// The score that comes out: the target, or the best the format reaches.
    pub score: Score,
    /// What this rests on.
    pub basis: Basis,
}

impl Curves {
    /// What a lossy rendition of `pixels` that shows `view` is expected to need in `format`; `None`
    /// where it has no lossy form. Setting and bytes never fall as the target rises.
    pub fn lossy(
        &self,
        format: Format,
        target: Fidelity,
        view: View,
        pixels: u64,
        effort: Effort,
    ) -> Option<Prediction> {
        let goal = target.as_f32();
        let prior = prior::usual(format, goal, view.complexity(), effort)?;
        let (point, score, basis) = match self
            .0
            .get(&format)
            .and_then(|measured| measured.lossy(format, goal, view.scale, effort))
        {
            Some(found) => found,
            None => (prior, goal, Basis::Prior),
        };
        let bytes = file_bytes(format, point.bytes_per_pixel, pixels);
        Some(Prediction { setting: point.setting, bytes, score: Score::new(score), basis })
    }

    /// The setting that is expected to give `score`, for searches: neither need lie on its scale.
    pub fn expected_setting(
        &self,
        format: Format,
        score: Score,
        view: View,
        effort: Effort,
    ) -> Option<f32> {
        let score = score.get();
        let measured =
            self.0.get(&format).and_then(|measured| measured.at(format, score, view.scale, effort));
        let usual = || Some(prior::usual(format, score, view.complexity(), effort)?.setting.get());
        measured.map(|at| at.0).or_else(usual)
    }

    /// Bytes per pixel of the lossless form: of one that was made at this scale, else measured on
    /// probes.
    pub fn lossless_bytes(&self, format: Format, scale: Scale) -> Option<BytesPerPixel> {
        let measured = self.0.get(&format)?;
        if let Some((_, made)) = measured.made_lossless(scale) {
            return Some(*made);
        }
        let (below, above, share) = between(&measured.curves, scale)?;
        let (a, b) = (below.lossless?.ln(), above.lossless?.ln());
        Some(BytesPerPixel::new((a + (b - a) * share).exp()))
    }

    /// How a final rendition of `pixels` is written: by the slow preset, unless that was seen to
    /// gain too little for this picture. Some slow presets trade smooth gradients for bytes and
    /// need more for the same score.
    pub fn final_effort(
        &self,
        format: Format,
        target: Fidelity,
        scale: Scale,
        pixels: u64,
    ) -> Effort {
        let score = target.as_f32();
        let is_worth_it = |measured: &Measured| {
            let (below, above, share) = between(&measured.curves, scale)?;
            let (below, above) = (Shape::of(below)?, Shape::of(above)?);
            let kept = gain((&below, &above, share), format, score, Effort::Slow).1.exp();
            let (a, b) = (below.bytes(score), above.bytes(score));
            let saved = (1.0 - kept) * (a + (b - a) * share).exp() * pixels as f32;
            Some(kept <= 1.0 - worth(format) && saved >= WORTH_BYTES)
        };
        let best = self.0.get(&format).and_then(is_worth_it).unwrap_or(true);
        if best { Effort::Slow } else { Effort::Fast }
    }

    /// Whether one more encode may bring what takes the place of `held`, after `found` missed the
    /// target: where that misses it, too, or where `found`, moved to the target along the curve,
    /// takes few enough bytes.
    pub fn may_replace(
        &self,
        format: Format,
        (held, found): (&Trial, &Trial),
        target: Fidelity,
        scale: Scale,
        effort: Effort,
    ) -> bool {
        let Some(measured) = self.0.get(&format) else { return true };
        let bytes =
            |score: f32| measured.at(format, score, scale, effort).map(|(_, bytes, _)| bytes);
        let (Some(here), Some(there)) = (bytes(found.score.get()), bytes(target.as_f32())) else {
            return true;
        };
        let expected = found.bytes.get() as f32 * (there - here).exp();
        held.misses(target) > REFINED || is_worth_swapping(held.bytes, Bytes::new(expected as u64))
    }

    /// Remembers a scored rendition.
    pub fn learn(&mut self, format: Format, seen: Seen) {
        let all = &mut self.0.entry(format).or_default().seen;
        all.retain(|old| {
            old.effort != seen.effort
                || old.scale != seen.scale
                || old.sample.setting != seen.sample.setting
        });
        all.push(seen);
        let surplus = all.len().saturating_sub(MAX_SEEN);
        all.drain(..surplus);
    }

    /// Remembers the bytes per pixel of a lossless rendition.
    pub fn learn_lossless(&mut self, format: Format, scale: Scale, bytes: BytesPerPixel) {
        let made = &mut self.0.entry(format).or_default().lossless;
        made.retain(|(known, _)| !is_same_scale(*known, scale));
        made.push((scale, bytes));
        let surplus = made.len().saturating_sub(MAX_SEEN);
        made.drain(..surplus);
    }

    /// True if a lossless rendition of `format` was made at `scale`.
    pub fn has_made_lossless(&self, format: Format, scale: Scale) -> bool {
        self.0.get(&format).is_some_and(|measured| measured.made_lossless(scale).is_some())
    }

    /// True if a rendition of `format` was scored at `scale` near `target`.
    pub fn has_seen(&self, format: Format, target: Fidelity, scale: Scale) -> bool {
        let near = |seen: &Seen| {
            is_same_scale(seen.scale, scale) && seen.sample.score.misses(target) < RADIUS.1
        };
        self.0.get(&format).is_some_and(|measured| measured.seen.iter().any(near))
    }

    /// True if every format in `formats` has a curve.
    pub fn are_measured(&self, formats: &[Format]) -> bool {
        formats
            .iter()
            .all(|format| self.0.get(format).is_some_and(|measured| !measured.curves.is_empty()))
    }
}

/// True if what was measured at one scale holds at the other.
fn is_same_scale(one: Scale, other: Scale) -> bool {
    (one.0 - other.0).abs() < RADIUS.0 / 4.0
}

impl Measured {
    fn made_lossless(&self, scale: Scale) -> Option<&(Scale, BytesPerPixel)> {
        self.lossless.iter().find(|(known, _)| is_same_scale(*known, scale))
    }

    fn lossy(
        &self,
        format: Format,
        target: f32,
        scale: Scale,
        effort: Effort,
    ) -> Option<(Expected, f32, Basis)> {
        let (below, above, share) = between(&self.curves, scale)?;
        let (below, above) = (Shape::of(below)?, Shape::of(above)?);
        let mixed =
            |value: fn(&Shape) -> f32| value(&below) + (value(&above) - value(&below)) * share;
        // Some encoders do not get worse than they are at their lowest setting.
        let (min, best) = (mixed(|shape| shape.min), mixed(|shape| shape.best));
        let at = |score: f32| self.at(format, score, scale, effort);
        let mut goal = target.min(best).max(min);
        if at(goal)?.0 > MAX_SETTING {
            goal = goal.min(ceiling((min.max(1.0), best), |score| at(score).map(|found| found.0)));
        }
        let (setting, bytes, basis) = at(goal)?;
        let setting = Setting::nearest_to(setting);
        Some((Expected { setting, bytes_per_pixel: BytesPerPixel::new(bytes.exp()) }, goal, basis))
    }

    /// The setting, and the logarithm of bytes a pixel, that give `score`.
    fn at(
        &self,
        format: Format,
        score: f32,
        scale: Scale,
        effort: Effort,
    ) -> Option<(f32, f32, Basis)> {
        let (below, above, share) = between(&self.curves, scale)?;
        let (below, above) = (Shape::of(below)?, Shape::of(above)?);
        let plain = |score: f32, effort: Effort| {
            let (gain, factor) = gain((&below, &above, share), format, score, effort);
            let mixed = |value: fn(&Shape, f32) -> f32, score: f32| {
                let (a, b) = (value(&below, score), value(&above, score));
                a + (b - a) * share
            };
            (mixed(Shape::setting, score - gain), mixed(Shape::bytes, score) + factor)
        };
        let near: Vec<Residual> = self
            .seen
            .iter()
            .filter(|seen| (seen.scale.0 - scale.0).abs() <= 4.0 * RADIUS.0)
            // What one effort taught holds for the other, their usual distance apart.
            .map(|seen| Residual::of(seen, scale, plain(seen.sample.score.get(), seen.effort)))
            .collect();
        let (setting, bytes) = corrected(&near, score, |score| plain(score, effort));
        Some((setting, bytes, if near.is_empty() { Basis::Curve } else { Basis::Corrected }))
    }
}

/// The highest score between two whose setting lies on the encoder's scale: scored renditions may
/// show that a format reaches less than its probes did.
fn ceiling((mut below, mut above): (f32, f32), setting: impl Fn(f32) -> Option<f32>) -> f32 {
    const ROUNDS: usize = 24;
    for _ in 0..ROUNDS {
        let middle = f32::midpoint(below, above);
        match setting(middle) {
            Some(setting) if setting <= MAX_SETTING => below = middle,
            _ => above = middle,
        }
    }
    below
}

/// How far a scored rendition lay from the curve, and how much that counts at another scale.
struct Residual {
    score: f32,
    setting: f32,
    bytes: f32,
    weight: f32,
}

impl Residual {
    fn of(seen: &Seen, scale: Scale, (setting, bytes): (f32, f32)) -> Self {
        let Sample { setting: real, score, bytes_per_pixel } = seen.sample;
        let weight = (-(seen.scale.0 - scale.0).abs() / RADIUS.0).exp();
        Self {
            score: score.get(),
            setting: real.get() - setting,
            bytes: bytes_per_pixel.ln() - bytes,
            weight,
        }
    }
}

/// The curve with its residuals smoothed over, then kept from falling anywhere below the target.
fn corrected(near: &[Residual], target: f32, plain: impl Fn(f32) -> (f32, f32)) -> (f32, f32) {
    let at = |score: f32| {
        let (mut setting, mut bytes, mut sum) = (0.0, 0.0, DOUBT);
        for residual in near {
            let weight = residual.weight * (-(residual.score - score).abs() / RADIUS.1).exp();
            setting += residual.setting * weight;
            bytes += residual.bytes * weight;
            sum += weight;
        }
        let (plain_setting, plain_bytes) = plain(score);
        (plain_setting + setting / sum, plain_bytes + bytes / sum)
    };
    let below = (1..100).map(|score| score as f32).take_while(|score| *score < target);
    below
        .chain([target])
        .map(at)
        .fold((f32::MIN, f32::MIN), |max, here| (max.0.max(here.0), max.1.max(here.1)))
}

#[cfg(test)]
mod tests;
