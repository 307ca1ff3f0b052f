//! PNG with fast compression.

use kivet_recipe::Format;
use png::{BitDepth, ColorType, Compression, Encoder};

use crate::{ImageError, Raster};

pub(super) fn encode(raster: &Raster) -> Result<Vec<u8>, ImageError> {
    let failed = |error: png::EncodingError| ImageError::not_encoded(Format::Png, error);
    let mut bytes = Vec::new();
    let mut encoder = Encoder::new(&mut bytes, raster.size().width, raster.size().height);
    encoder.set_color(if raster.has_alpha() { ColorType::Rgba } else { ColorType::Rgb });
    encoder.set_depth(BitDepth::Eight);
    encoder.set_compression(Compression::Fast);
    let mut writer = encoder.write_header().map_err(failed)?;
    writer.write_image_data(raster.bytes()).map_err(failed)?;
    writer.finish().map_err(failed)?;
    Ok(bytes)
}
