//! From a raster to a file's bytes, one file per format. Fast settings throughout: somebody is waiting.

mod avif;
mod jpeg;
mod png;
mod webp;

use kivet_recipe::{Encoding, Format};

use crate::{ImageError, Raster};

/// Writes `raster` in `format`. JPEG drops an alpha channel: flatten first.
///
/// # Errors
/// If the format has no such encoding here, or cannot hold the size.
pub fn encode(raster: &Raster, format: Format, encoding: Encoding) -> Result<Vec<u8>, ImageError> {
    match (format, encoding) {
        (Format::Avif, Encoding::Lossy { setting }) => avif::encode(raster, setting),
        (Format::Webp, Encoding::Lossy { setting }) => webp::encode(raster, Some(setting)),
        (Format::Webp, Encoding::Lossless) => webp::encode(raster, None),
        (Format::Jpeg, Encoding::Lossy { setting }) => jpeg::encode(raster, setting),
        (Format::Png, Encoding::Lossless) => png::encode(raster),
        _ => Err(ImageError::not_encoded(format, format!("there is no {encoding} form of it"))),
    }
}
