//! What a picture takes in bytes for each score, from encodes at settings.

use anyhow::Result;
use kivet_image::{Raster, Reference, Writing, try_setting};
use kivet_recipe::{Effort, Encoding, Format, Gamut, Sample, Setting};

/// One encode: setting, score, the logarithm of bytes a pixel.
pub type Point = (f32, f32, f32);

/// The curve of a raster through encodes at `settings`.
pub fn measured(
    raster: &Raster,
    format: Format,
    settings: &[f32],
    effort: Effort,
) -> Result<Vec<Point>> {
    let reference = Reference::new(raster, Gamut::Srgb);
    let point = |setting: &f32| -> Result<Point> {
        let writing = Writing { effort, ..Writing::new(Encoding::Lossless) };
        let (trial, _) =
            try_setting(raster, &reference, format, Setting::nearest_to(*setting), &writing)?;
        let sample = Sample::of(format, trial, raster.size().pixels());
        Ok((*setting, sample.score.get(), sample.bytes_per_pixel.ln()))
    };
    let mut points = settings.iter().map(point).collect::<Result<Vec<_>>>()?;
    // Where more is spent for no more score, the lower setting is the answer.
    let mut best = f32::MIN;
    points.retain(|point| {
        let better = point.1 > best;
        best = best.max(point.1);
        better
    });
    Ok(points)
}

/// Setting and bytes where a curve reaches `target`, on straight lines between its points; beyond
/// its ends, the end.
pub fn at(curve: &[Point], target: f32) -> Point {
    let upper = curve.iter().position(|point| point.1 >= target).unwrap_or(curve.len() - 1);
    let (from, to) = (curve[upper.saturating_sub(1)], curve[upper]);
    let share =
        if upper == 0 { 1.0 } else { ((target - from.1) / (to.1 - from.1)).clamp(0.0, 1.0) };
    (from.0 + (to.0 - from.0) * share, target, from.2 + (to.2 - from.2) * share)
}
