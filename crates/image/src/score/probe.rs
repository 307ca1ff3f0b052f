//! Curves of encoders, measured on small renditions or tiles of larger ones.

use kivet_recipe::{
    Bytes, Curve, Effort, Encoding, Format, Gamut, Sample, Scale, Setting, Size, Trial,
    coded_bytes_per_pixel,
};

use super::{Reference, tiles::Tiles};
use crate::{ImageError, Raster, Writing, write};

/// The tiles of a probe at the larger scale.
const TILES: Tiles = Tiles { tile: Size::new(480, 144), across: 1, down: 3 };

/// A picture on which encoders are measured.
pub struct Probe {
    raster: Raster,
    scale: Scale,
    reference: Reference,
    full_chroma: bool,
}

impl Probe {
    /// The longer sides, in pixels, of the renditions probes are made of: the first is taken whole,
    /// of the other tiles.
    pub const SIDES: [u32; 2] = [320, 1000];

    /// All of a small rendition drawn at `scale`.
    /// `full_chroma` as the choice has it.
    pub fn whole(raster: Raster, scale: Scale, full_chroma: bool) -> Self {
        let reference = Reference::new(&raster, Gamut::Srgb);
        Self { raster, scale, reference, full_chroma }
    }

    /// Tiles of a larger one.
    pub fn tiled(raster: &Raster, scale: Scale, full_chroma: bool) -> Self {
        Self::whole(TILES.of(raster), scale, full_chroma)
    }

    /// The curve of `format`: its lossy form at a few settings with the fast preset, at some of
    /// them with the slow one, and the bytes of its lossless form if `lossless`.
    ///
    /// # Errors
    /// If it cannot be encoded or scored.
    pub fn curve(&self, format: Format, lossless: bool) -> Result<Curve, ImageError> {
        let mut samples = Vec::new();
        for setting in settings(format) {
            samples.push(self.sample(format, *setting, Effort::Fast)?);
        }
        let lossless = match (lossless, format) {
            (true, Format::Jxl | Format::Webp | Format::Png) => {
                let file = crate::encode(&self.raster, format, Encoding::Lossless)?;
                Some(coded_bytes_per_pixel(format, Bytes::of(&file), self.raster.size().pixels()))
            }
            _ => None,
        };
        let mut curve = Curve { scale: self.scale, samples, slow_samples: Vec::new(), lossless };
        for setting in slow_samples(format) {
            curve.slow_samples.push(self.sample(format, *setting, Effort::Slow)?);
            if !curve.may_gain(format) {
                break;
            }
        }
        curve.slow_samples.sort_by(|a, b| a.setting.get().total_cmp(&b.setting.get()));
        Ok(curve)
    }

    fn sample(&self, format: Format, setting: f32, effort: Effort) -> Result<Sample, ImageError> {
        let setting = Setting::nearest_to(setting);
        let file = write(
            &self.raster,
            format,
            &Writing {
                effort,
                full_chroma: self.full_chroma,
                ..Writing::new(Encoding::Lossy { setting })
            },
        )?;
        let trial = Trial { setting, score: self.reference.score(&file)?, bytes: Bytes::of(&file) };
        Ok(Sample::of(format, trial, self.raster.size().pixels()))
    }
}

/// Where an encoder is sampled with the fast preset: from the least it gives to the best it has.
const fn settings(format: Format) -> &'static [f32] {
    match format {
        Format::Avif => &[0.0, 24.0, 48.0, 70.0, 90.0, 95.0, 99.0],
        Format::Jxl => &[0.0, 14.0, 40.0, 74.0, 95.0],
        Format::Webp => &[0.0, 12.0, 40.0, 80.0, 94.0, 100.0],
        Format::Jpeg => &[4.0, 15.0, 42.0, 76.0, 92.0, 99.0],
        _ => &[],
    }
}

/// Where an encoder is sampled with the slow preset: at settings of the fast preset, so that the
/// difference is measured and not interpolated. The most telling first: sampling ends where nothing
/// is gained.
const fn slow_samples(format: Format) -> &'static [f32] {
    match format {
        Format::Avif => &[70.0, 24.0, 90.0],
        Format::Jxl => &[74.0, 40.0, 14.0, 95.0],
        _ => &[],
    }
}
