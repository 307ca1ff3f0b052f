//! From a file's bytes to rows of linear light, one file per format.

mod avif;
mod jpeg;
mod png;
mod webp;

use kivet_recipe::{Facts, Format, Size};

use crate::ImageError;

pub(crate) use avif::Avif;
pub(crate) use webp::features as webp_features;

/// A picture read row by row from the top, as stored (not yet turned upright).
pub trait RowSource {
    /// The size that will be delivered; smaller than the file's where the codec reduced it.
    fn size(&self) -> Size;

    /// Fills `row`, four values a pixel, with the next row: linear light, premultiplied RGBA, 0 to 1.
    ///
    /// # Errors
    /// If the data is damaged here. Must not be called more often than there are rows.
    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError>;
}

/// Opens an original for reading. `eighths` asks the codec to decode at that many eighths of the size (see
/// [`reduction_for`]); formats without reduced decoding ignore it.
///
/// # Errors
/// If the bytes are damaged, or of a format that is not decoded yet.
pub fn open<'a>(bytes: &'a [u8], facts: &Facts, eighths: u8) -> Result<Box<dyn RowSource + 'a>, ImageError> {
    Ok(match facts.format {
        Format::Jpeg => Box::new(jpeg::Jpeg::open(bytes, eighths)?),
        Format::Png => Box::new(png::Png::open(bytes)?),
        Format::Webp => Box::new(webp::open(bytes, facts.motion)?),
        Format::Avif => Box::new(avif::open(bytes)?),
        Format::Gif => return Err(ImageError::NotYetDrawn { sort: "GIF" }),
        Format::Svg => return Err(ImageError::NotYetDrawn { sort: "SVG" }),
        Format::Jxl => return Err(ImageError::NotYetDrawn { sort: "JPEG XL" }),
    })
}

/// At how many eighths of its size a JPEG may be decoded when a region of `crop` pixels is drawn at `drawn`: the
/// fewest that leave at least half as many pixels again on each side, so that our own filter still decides what
/// the rendition looks like.
pub fn reduction_for(crop: (f64, f64), drawn: Size) -> u8 {
    let needed = (f64::from(drawn.width) / crop.0).max(f64::from(drawn.height) / crop.1) * 1.5;
    ((needed * 8.0).ceil() as u8).clamp(1, 8)
}

/// A picture decoded whole, read out row by row.
pub(crate) struct Whole {
    size: Size,
    alpha: bool,
    bytes: Vec<u8>,
    linear: crate::colour::Linear,
    next: usize,
}

impl Whole {
    fn new(size: Size, alpha: bool, bytes: Vec<u8>, profile: Option<&[u8]>) -> Self {
        Self { size, alpha, bytes, linear: crate::colour::Linear::new(profile), next: 0 }
    }
}

impl RowSource for Whole {
    fn size(&self) -> Size {
        self.size
    }

    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError> {
        let stride = self.size.width as usize * if self.alpha { 4 } else { 3 };
        let bytes = &self.bytes[self.next * stride..(self.next + 1) * stride];
        self.next += 1;
        if self.alpha {
            self.linear.rgba(bytes, row)
        } else {
            self.linear.rgb(bytes, row)
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests;
