//! From a file's bytes to rows of linear light, one file per format.

mod animated;
mod avif;
mod bitmap;
mod frames;
mod gif;
mod jpeg;
#[cfg(feature = "jxl")]
mod jxl;
mod png;
mod tiff;
mod webp;
mod yuv;

use kivet_recipe::{Facts, Format, Gamut, Size};

use crate::{
    ImageError, Limits, Raster, Work,
    colour::{Buffer, Layout, Linear, Samples, Space},
    guarded::guarded,
};

pub(crate) use animated::frames;
pub(crate) use avif::Avif;
pub(crate) use bitmap::probe as probe_bmp;
pub(crate) use frames::Frame;
#[cfg(feature = "jxl")]
pub(crate) use jxl::probe as probe_jxl;
pub(crate) use png::space as png_space;
pub(crate) use tiff::probe as probe_tiff;
pub(crate) use webp::features as webp_features;

/// A picture read row by row from the top, as stored (not yet turned upright).
pub trait RowSource {
    /// The size that will be delivered; smaller than the file's where the codec reduced it.
    fn size(&self) -> Size;

    /// Delivered pixels per stored pixel, across and down. Where the codec reduced the picture, its
    /// last column and row may reach beyond the picture's edge: sizes are rounded up, scales are not.
    fn scale(&self) -> (f64, f64) {
        (1.0, 1.0)
    }

    /// Fills `row`, four values a pixel, with the next row: linear light, premultiplied RGBA, 0 to
    /// 1.
    ///
    /// # Errors
    /// If the data is damaged here. Must not be called more often than there are rows.
    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError>;
}

/// How an original is to be read.
#[derive(Clone, Copy, Debug)]
pub struct Reading {
    /// At how many eighths of its size, where the codec can; see [`reduction_for`].
    pub eighths: u8,
    /// The gamut its colours are brought to.
    pub gamut: Gamut,
    /// What it may cost.
    pub limits: Limits,
}

impl Reading {
    /// At full size in sRGB.
    pub const WHOLE: Self = Self { eighths: 8, gamut: Gamut::Srgb, limits: Limits::DEFAULT };
}

/// Opens an original for reading: its first frame, if it moves.
///
/// # Errors
/// If the bytes are damaged, or would take more memory than the limits allow.
pub fn open<'a>(
    bytes: &'a [u8],
    facts: &Facts,
    reading: Reading,
) -> Result<Box<dyn RowSource + 'a>, ImageError> {
    let rows = guarded(facts.format, || open_unguarded(bytes, facts, reading))?;
    Ok(Box::new(Guarded { rows, format: facts.format }))
}

/// Rows of a codec that may panic.
struct Guarded<'a> {
    rows: Box<dyn RowSource + 'a>,
    format: Format,
}

impl RowSource for Guarded<'_> {
    fn size(&self) -> Size {
        self.rows.size()
    }

    fn scale(&self) -> (f64, f64) {
        self.rows.scale()
    }

    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError> {
        guarded(self.format, || self.rows.next_row(row))
    }
}

fn open_unguarded<'a>(
    bytes: &'a [u8],
    facts: &Facts,
    reading: Reading,
) -> Result<Box<dyn RowSource + 'a>, ImageError> {
    let Reading { eighths, gamut, limits } = reading;
    Ok(match facts.format {
        Format::Jpeg => Box::new(jpeg::Jpeg::open(bytes, eighths, gamut, limits)?),
        Format::Png => png::open(bytes, gamut, limits)?,
        Format::Webp if facts.animated => first_frame(bytes, facts, gamut, limits)?,
        Format::Webp => Box::new(webp::open(bytes, gamut, limits)?),
        Format::Avif => Box::new(avif::open(bytes, gamut, limits)?),
        Format::Gif => first_frame(bytes, facts, gamut, limits)?,
        #[cfg(feature = "jxl")]
        Format::Jxl => Box::new(jxl::open(bytes, gamut, limits)?),
        #[cfg(not(feature = "jxl"))]
        Format::Jxl => return Err(ImageError::NotBuilt { sort: "JPEG XL" }),
        Format::Bmp => Box::new(bitmap::open(bytes, gamut, limits)?),
        Format::Tiff => Box::new(tiff::open(bytes, gamut, limits)?),
        Format::Svg => Box::new(of_raster(crate::svg::draw_whole(bytes, facts.size)?)),
    })
}

fn first_frame(
    bytes: &[u8],
    facts: &Facts,
    gamut: Gamut,
    limits: Limits,
) -> Result<Box<dyn RowSource>, ImageError> {
    let mut frames = frames(bytes, facts, limits)?;
    let first =
        frames.next().ok_or_else(|| ImageError::damaged(facts.format, "it holds no frame"))??;
    Ok(Box::new(of_frame(first, &frames.space, gamut)))
}

/// At how many eighths of its size a JPEG may be decoded when a region of `crop` pixels is drawn at
/// `drawn`, so that it does not show: at least twice the pixels on each side are left to our own
/// filter.
///
/// The codec averages encoded values, not light, which dims small bright things on dark ground and
/// thickens print. Photographs of many megapixels have no such details as small as a few pixels;
/// small pictures, and those with much detail for their size, are decoded whole.
pub fn reduction_for(facts: &Facts, crop: (f64, f64), drawn: Size) -> u8 {
    /// An eighth is nothing but the means of blocks: it must be reduced much further.
    const FROM_MEANS: f64 = 4.0;
    let scale = (f64::from(drawn.width) / crop.0).max(f64::from(drawn.height) / crop.1);
    let min = if scale * FROM_MEANS <= 0.125 { 1 } else { 2 };
    ((scale * 2.0 * 8.0).ceil() as u8).clamp(min, 8).max(fewest_eighths(facts))
}

/// The fewest eighths that do not show however far the picture is reduced after that.
pub(crate) fn fewest_eighths(facts: &Facts) -> u8 {
    const SMALL: u64 = 3_000_000;
    const MIDDLING: u64 = 16_000_000;
    match facts.size.pixels() {
        pixels if pixels < SMALL || !is_calm(facts) => 8,
        pixels if pixels < MIDDLING => 4,
        _ => 1,
    }
}

/// True if a picture is known to have no more detail than a photograph.
pub(crate) fn is_calm(facts: &Facts) -> bool {
    /// Beyond that of any photograph of the demo, short of that of a scanned page.
    const MAX_DETAIL: f32 = 2.2;
    facts.detail.is_some_and(|detail| detail <= MAX_DETAIL)
}

/// A JPEG whole, at so many eighths as the codec gives it.
pub(crate) fn jpeg_whole(
    bytes: &[u8],
    reading: Reading,
    work: &Work,
) -> Result<Raster, ImageError> {
    jpeg::Jpeg::open(bytes, reading.eighths, reading.gamut, reading.limits)?.into_raster(work)
}

/// A drawn picture as something to draw from, lent.
pub(crate) struct Lent<'a> {
    raster: &'a Raster,
    scale: (f64, f64),
    linear: Linear,
    next: usize,
}

/// Draws from a picture without taking it; `scale` as [`RowSource::scale`] has it.
pub(crate) fn lent(raster: &Raster, scale: (f64, f64)) -> Lent<'_> {
    let layout = if raster.has_alpha() { Layout::Rgba } else { Layout::Rgb };
    Lent { raster, scale, linear: Linear::new(&Space::Srgb, Gamut::Srgb, layout, false), next: 0 }
}

impl RowSource for Lent<'_> {
    fn size(&self) -> Size {
        self.raster.size()
    }

    fn scale(&self) -> (f64, f64) {
        self.scale
    }

    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError> {
        let stride = self.raster.stride();
        let bytes = &self.raster.bytes()[self.next * stride..][..stride];
        self.next += 1;
        self.linear.row(Samples::Eight(bytes), row);
        Ok(())
    }
}

/// A drawn picture as something to draw from.
pub(crate) fn of_raster(raster: Raster) -> Whole {
    let layout = if raster.has_alpha() { Layout::Rgba } else { Layout::Rgb };
    Whole::new(raster.size(), layout, Buffer::Eight(raster.into_bytes()), &Space::Srgb, Gamut::Srgb)
}

/// A frame, whose colours mean what `space` says, as something to draw from.
pub(crate) fn of_frame(frame: Frame, space: &Space, gamut: Gamut) -> Whole {
    Whole::new(frame.size, frame.layout, frame.samples, space, gamut)
}

/// A picture decoded whole, read out row by row.
pub(crate) struct Whole {
    size: Size,
    layout: Layout,
    samples: Buffer,
    linear: Linear,
    next: usize,
}

impl Whole {
    pub(crate) fn new(
        size: Size,
        layout: Layout,
        samples: Buffer,
        space: &Space,
        gamut: Gamut,
    ) -> Self {
        let linear = Linear::new(space, gamut, layout, samples.is_deep());
        Self { size, layout, samples, linear, next: 0 }
    }
}

impl RowSource for Whole {
    fn size(&self) -> Size {
        self.size
    }

    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError> {
        let stride = self.size.width as usize * self.layout.channels();
        let at = self.next * stride;
        self.next += 1;
        self.linear.row(self.samples.part(at, at + stride), row);
        Ok(())
    }
}

#[cfg(test)]
mod tests;
