//! What one encode gave, and the samples a curve is made of.

use serde::{Deserialize, Serialize};

use super::view::Scale;
use crate::{Bytes, BytesPerPixel, Effort, Format, Score, Setting, Trial};

/// One encode of a picture, scored.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Sample {
    /// The encoder's own setting, 0 to 100.
    pub setting: Setting,
    /// Its score.
    pub score: Score,
    /// Its bytes per pixel.
    pub bytes_per_pixel: BytesPerPixel,
}

impl Sample {
    /// The sample of a trial in `format` whose picture has so many `pixels`.
    pub fn of(format: Format, trial: Trial, pixels: u64) -> Self {
        let Trial { setting, score, bytes } = trial;
        Self { setting, score, bytes_per_pixel: coded_bytes_per_pixel(format, bytes, pixels) }
    }
}

/// One encoder's samples at one scale, fast settings.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Curve {
    /// The scale.
    pub scale: Scale,
    /// The samples, settings rising.
    pub samples: Vec<Sample>,
    /// Samples by the slow preset, settings rising: how far they lie from the others is this
    /// picture's own.
    #[serde(default)]
    pub slow_samples: Vec<Sample>,
    /// Bytes per pixel of the lossless form, where the format has one and it was measured.
    pub lossless: Option<BytesPerPixel>,
}

/// A real rendition, scored.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Seen {
    /// Its scale.
    pub scale: Scale,
    /// The encoder's effort.
    pub effort: Effort,
    /// What came out.
    pub sample: Sample,
}

/// Bytes per pixel of a file, its container left out.
pub fn coded_bytes_per_pixel(format: Format, bytes: Bytes, pixels: u64) -> BytesPerPixel {
    let coded = (bytes.get() as f32 - container_bytes(format) as f32).max(1.0);
    BytesPerPixel::new(coded / pixels as f32)
}

/// Bytes of a file of so many `pixels`, its container included.
pub(crate) fn file_bytes(format: Format, bytes_per_pixel: BytesPerPixel, pixels: u64) -> Bytes {
    let coded = f64::from(bytes_per_pixel.get()) * pixels as f64;
    Bytes::new((coded + f64::from(container_bytes(format))).round() as u64)
}

/// Bytes of a file beside its coded pixels, as a minimal file of each format has them.
pub const fn container_bytes(format: Format) -> u32 {
    match format {
        Format::Avif => 270,
        Format::Jpeg => 330,
        Format::Png => 60,
        Format::Webp => 30,
        _ => 20,
    }
}
