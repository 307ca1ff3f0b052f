//! From a raster to a file's bytes, one file per format, each with a fast and a slow preset.

pub(crate) mod animation;
mod avif;
pub(crate) mod frame;
mod gif;
mod jpeg;
#[cfg(feature = "jxl")]
mod jxl;
mod planes;
mod png;
mod time;
mod webp;

use kivet_recipe::{Effort, Encoding, Format, Gamut};

use crate::{ImageError, Raster, Work, colour, metadata::Kept};

/// How a raster is to be written.
#[derive(Clone, Debug)]
pub struct Writing {
    /// Exactly, or at which setting.
    pub encoding: Encoding,
    /// How long it may take.
    pub effort: Effort,
    /// True if chroma is stored at full resolution at any setting, where the format can.
    pub full_chroma: bool,
    /// What the raster's colours are; the file says so where it is not sRGB.
    pub gamut: Gamut,
    /// Metadata the file carries.
    pub kept: Kept,
    /// The work that this is a step of: it may be ended from outside.
    pub work: Work,
}

impl Writing {
    /// Fast, in sRGB, without metadata.
    pub fn new(encoding: Encoding) -> Self {
        let (effort, gamut) = (Effort::Fast, Gamut::Srgb);
        Self {
            encoding,
            effort,
            full_chroma: false,
            gamut,
            kept: Kept::default(),
            work: Work::default(),
        }
    }

    const fn is_best(&self) -> bool {
        matches!(self.effort, Effort::Slow)
    }

    /// The profile to embed: none for sRGB, which is what a picture without one is in.
    fn icc(&self) -> Option<Vec<u8>> {
        match self.gamut {
            Gamut::Srgb => None,
            wide => colour::target(wide).encode().ok(),
        }
    }
}

/// Where on its scale of settings an encoder turns from 4:2:0 to 4:4:4 chroma.
struct FullColour {
    from: f32,
    /// The encoder's own quality that is with 4:4:4 chroma as good as `from` with half: score rises
    /// without a step.
    as_good: f32,
}

impl FullColour {
    fn applies(&self, setting: f32, writing: &Writing) -> bool {
        writing.full_chroma || setting >= self.from
    }

    /// The encoder's own quality for a setting.
    fn quality(&self, setting: f32, writing: &Writing) -> f32 {
        if setting >= self.from {
            100.0 - (100.0 - setting) * (100.0 - self.as_good) / (100.0 - self.from)
        } else if writing.full_chroma {
            setting * self.as_good / self.from
        } else {
            setting
        }
    }
}

/// The revision of the encoder of `format`: raised when its settings or its library change what a
/// setting gives, so that curves measured before are measured anew.
pub const fn encoder_revision(format: Format) -> u32 {
    match format {
        Format::Png => 2,
        Format::Avif | Format::Jxl | Format::Webp | Format::Jpeg | Format::Gif => 1,
        Format::Svg | Format::Bmp | Format::Tiff => 0,
    }
}

/// Writes `raster` in `format`, fast and in sRGB. JPEG drops an alpha channel: flatten first.
///
/// # Errors
/// If the format has no such encoding here, or cannot hold the size.
pub fn encode(raster: &Raster, format: Format, encoding: Encoding) -> Result<Vec<u8>, ImageError> {
    write(raster, format, &Writing::new(encoding))
}

/// Writes `raster` in `format` as `writing` says.
///
/// # Errors
/// As [`encode`].
pub fn write(raster: &Raster, format: Format, writing: &Writing) -> Result<Vec<u8>, ImageError> {
    time::check(raster, format, writing)?;
    write_now(raster, format, writing)
}

fn write_now(raster: &Raster, format: Format, writing: &Writing) -> Result<Vec<u8>, ImageError> {
    match (format, writing.encoding) {
        (Format::Avif, Encoding::Lossy { setting }) => avif::encode(raster, setting.get(), writing),
        (Format::Webp, Encoding::Lossy { setting }) => {
            webp::encode(raster, Some(setting.get()), writing)
        }
        (Format::Webp, Encoding::Lossless) => webp::encode(raster, None, writing),
        (Format::Jpeg, Encoding::Lossy { setting }) => jpeg::encode(raster, setting.get(), writing),
        (Format::Png, Encoding::Lossless) => png::encode(raster, writing),
        (Format::Gif, Encoding::Palette) => gif::encode(raster, writing),
        #[cfg(feature = "jxl")]
        (Format::Jxl, Encoding::Lossy { setting }) => {
            jxl::encode(raster, Some(setting.get()), writing)
        }
        #[cfg(feature = "jxl")]
        (Format::Jxl, Encoding::Lossless) => jxl::encode(raster, None, writing),
        #[cfg(not(feature = "jxl"))]
        (Format::Jxl, _) => Err(ImageError::NotBuilt { sort: "JPEG XL" }),
        (format, encoding) => {
            Err(ImageError::not_encoded(format, format!("there is no {encoding} form of it")))
        }
    }
}
