//! A measured curve as functions of fidelity, and what the encoder's effort changes about it.

use super::{
    sample::{Curve, Sample},
    view::Scale,
};
use crate::{BytesPerPixel, Effort, Format, monotone::Monotone, prior};

/// How much a picture's own samples with the slow preset count beside what is usual.
const OWN: f32 = 0.9;

/// How an encoder's preset differs from the fast one near `score`, between two curves: the score
/// gained at the same setting, and the logarithm of the factor of bytes at the same score.
pub(super) fn gain(
    (below, above, share): (&Shape, &Shape, f32),
    format: Format,
    score: f32,
    effort: Effort,
) -> (f32, f32) {
    let (usual, factor) = prior::effort_gain(format, effort);
    match (below.gain(score), above.gain(score)) {
        // Samples of a small probe tell which way this picture lies from the usual, not quite how
        // far.
        (Some(a), Some(b)) if effort == Effort::Slow => {
            let own = (a.0 + (b.0 - a.0) * share, a.1 + (b.1 - a.1) * share);
            (usual + (own.0 - usual) * OWN, factor.ln() + (own.1 - factor.ln()) * OWN)
        }
        _ => (usual, factor.ln()),
    }
}

/// The two curves around a scale and how far it lies from the first to the second; the same twice
/// beyond the ends.
pub(super) fn between(curves: &[Curve], scale: Scale) -> Option<(&Curve, &Curve, f32)> {
    let next = curves
        .iter()
        .position(|curve| curve.scale >= scale)
        .unwrap_or(curves.len().checked_sub(1)?);
    let (below, above) = (&curves[next.saturating_sub(1)], &curves[next]);
    let width = above.scale.0 - below.scale.0;
    let share = if width > 0.0 { ((scale.0 - below.scale.0) / width).clamp(0.0, 1.0) } else { 0.0 };
    Some((below, above, share))
}

/// A curve's samples as functions of fidelity: the setting, and the logarithm of bytes.
pub(super) struct Shape {
    settings: Monotone,
    bytes: Monotone,
    pub(super) min: f32,
    pub(super) best: f32,
    /// Scores with the slow preset, rising, each with what lies between it and its fast preset:
    /// score at the same setting, and the logarithm of a factor of bytes at the same score.
    /// Settings are no measure of that: where they are close together one score unit is ten of
    /// them.
    gains: Vec<(f32, f32, f32)>,
}

impl Shape {
    pub(super) fn of(curve: &Curve) -> Option<Self> {
        // Where an encoder gives no more for a higher setting, the lower one is the answer.
        let mut rising: Vec<Sample> = Vec::with_capacity(curve.samples.len());
        for sample in &curve.samples {
            let bytes_per_pixel = rising.last().map_or(sample.bytes_per_pixel, |last| {
                BytesPerPixel::new(sample.bytes_per_pixel.get().max(last.bytes_per_pixel.get()))
            });
            if rising.last().is_none_or(|last| sample.score.get() > last.score.get() + 0.25) {
                rising.push(Sample { bytes_per_pixel, ..*sample });
            }
        }
        let (first, last) = (*rising.first()?, *rising.last()?);
        // Where the lowest setting reaches the highest score, as in pictures whose bytes are all alpha,
        // the curve is one point: it is level on either side.
        let is_level = rising.len() == 1 && curve.samples.len() > 1;
        let pairs = |value: fn(&Sample) -> f32| {
            let before = is_level.then(|| (first.score.get() - 1.0, value(&first)));
            let samples = rising.iter().map(|sample| (sample.score.get(), value(sample)));
            before.into_iter().chain(samples).collect()
        };
        let settings = Monotone::through(pairs(|sample| sample.setting.get()))?;
        let bytes = Monotone::through(pairs(|sample| sample.bytes_per_pixel.ln()))?;
        let before = is_level.then(|| (first.setting.get() - 1.0, first.score.get()));
        let scores = rising.iter().map(|sample| (sample.setting.get(), sample.score.get()));
        let fast = Monotone::through(before.into_iter().chain(scores).collect())?;
        let mut shape = Self {
            gains: Vec::new(),
            min: if first.setting.get() <= 0.0 { first.score.get() } else { f32::MIN / 4.0 },
            best: last.score.get(),
            settings,
            bytes,
        };
        let gain = |slow: &Sample| {
            (slow.score.get(), slow.score.get() - fast.at(slow.setting.get()), shape.kept(slow))
        };
        shape.gains = curve.slow_samples.iter().map(gain).collect();
        Some(shape)
    }

    /// The setting that gives a score with the fast preset.
    pub(super) fn setting(&self, score: f32) -> f32 {
        self.settings.at(score)
    }

    /// The logarithm of the bytes that a score takes with the fast preset.
    pub(super) fn bytes(&self, score: f32) -> f32 {
        self.bytes.at(score)
    }

    /// The logarithm of the share of bytes that the slow preset keeps for the same score.
    pub(super) fn kept(&self, slow: &Sample) -> f32 {
        slow.bytes_per_pixel.ln() - self.bytes.at(slow.score.get())
    }

    /// How the slow preset differs from the fast one near `score`: between samples on a straight
    /// line, beyond them as at the nearest.
    fn gain(&self, score: f32) -> Option<(f32, f32)> {
        let below = self.gains.iter().rev().find(|one| one.0 <= score);
        let above = self.gains.iter().find(|one| one.0 > score);
        let (below, above) = (below.or(above)?, above.or(below)?);
        let width = above.0 - below.0;
        let share = if width > 0.0 { (score - below.0) / width } else { 0.0 };
        Some((below.1 + (above.1 - below.1) * share, below.2 + (above.2 - below.2) * share))
    }
}
