//! PNG, by rows where it is not interlaced.

use std::io::Cursor;

use kivet_recipe::{Format, Gamut, Size};
use png::{BitDepth, BlendOp, ColorType, Decoder, DisposeOp, Info, Reader, Transformations};

use super::{
    RowSource, Whole,
    frames::{Canvas, Disposal, Frame, Frames, Place, Sample},
};
use crate::{
    ImageError, Limits,
    colour::{Buffer, Layout, Linear, Samples, Space},
};

/// Opens a PNG. Palettes and fewer than 8 bits are widened to 8; 16 bits stay.
pub(super) fn open<'a>(
    bytes: &'a [u8],
    gamut: Gamut,
    limits: Limits,
) -> Result<Box<dyn RowSource + 'a>, ImageError> {
    let mut reader = reader(bytes, Transformations::EXPAND)?;
    let (layout, deep) = layout(&reader);
    let space = space(reader.info());
    if !reader.info().interlaced {
        let linear = Linear::new(&space, gamut, layout, deep);
        return Ok(Box::new(Rows { reader: Box::new(reader), linear, deep: deep.then(Vec::new) }));
    }
    // All passes are needed before the first row is known.
    let size = Size::new(reader.info().width, reader.info().height);
    limits.check_whole(size, layout.channels() as u64 * if deep { 4 } else { 1 })?;
    let samples = frame(&mut reader, deep)?;
    Ok(Box::new(Whole::new(size, layout, samples, &space, gamut)))
}

/// A reader past the header; `EXPAND` widens what is narrower than 8 bits.
fn reader(
    bytes: &[u8],
    transformations: Transformations,
) -> Result<Reader<Cursor<&[u8]>>, ImageError> {
    let mut decoder = Decoder::new(Cursor::new(bytes));
    decoder.set_transformations(transformations);
    decoder.read_info().map_err(damaged)
}

/// The next frame's samples.
fn frame(reader: &mut Reader<Cursor<&[u8]>>, deep: bool) -> Result<Buffer, ImageError> {
    let length = reader.output_buffer_size().ok_or_else(|| damaged("its size overflows"))?;
    let mut pixels = vec![0; length];
    reader.next_frame(&mut pixels).map_err(damaged)?;
    Ok(if deep {
        Buffer::Sixteen(pixels.chunks_exact(2).map(big_endian).collect())
    } else {
        Buffer::Eight(pixels)
    })
}

fn layout(reader: &Reader<Cursor<&[u8]>>) -> (Layout, bool) {
    let (colour, depth) = reader.output_color_type();
    let layout = match colour {
        ColorType::Grayscale => Layout::Gray,
        ColorType::GrayscaleAlpha => Layout::GrayAlpha,
        ColorType::Rgba => Layout::Rgba,
        ColorType::Rgb | ColorType::Indexed => Layout::Rgb,
    };
    (layout, depth == BitDepth::Sixteen)
}

/// What colours mean: code points before a profile before `sRGB` before gamma and chromaticities
/// (PNG, third edition, section 4.3).
pub(crate) fn space(info: &Info<'_>) -> Space {
    if let Some(points) = info.coding_independent_code_points {
        return Space::of_code_points(points.color_primaries, points.transfer_function);
    }
    if let Some(icc) = info.icc_profile.as_deref() {
        return Space::of_icc(Some(icc));
    }
    if info.srgb.is_some() {
        return Space::Srgb;
    }
    let points = info.chrm_chunk.map(|points| {
        [points.white, points.red, points.green, points.blue]
            .map(|(x, y)| (x.into_value(), y.into_value()))
    });
    Space::of_gamma(info.gama_chunk.map(png::ScaledFloat::into_value), points)
}

/// A PNG being read row by row.
struct Rows<'a> {
    reader: Box<Reader<Cursor<&'a [u8]>>>,
    linear: Linear,
    /// A row of 16-bit samples, where there are such.
    deep: Option<Vec<u16>>,
}

impl RowSource for Rows<'_> {
    fn size(&self) -> Size {
        Size::new(self.reader.info().width, self.reader.info().height)
    }

    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError> {
        let read = self
            .reader
            .next_row()
            .map_err(damaged)?
            .ok_or_else(|| damaged("it ends before its last row"))?;
        match &mut self.deep {
            None => self.linear.row(Samples::Eight(read.data()), row),
            Some(wide) => {
                wide.clear();
                wide.extend(read.data().chunks_exact(2).map(big_endian));
                self.linear.row(Samples::Sixteen(wide), row);
            }
        }
        Ok(())
    }
}

fn big_endian(bytes: &[u8]) -> u16 {
    u16::from_be_bytes([bytes[0], bytes[1]])
}

fn damaged(error: impl ToString) -> ImageError {
    ImageError::damaged(Format::Png, error)
}

/// The frames of an APNG (PNG, third edition, 11.3.6), or the one picture of a PNG.
pub(super) fn frames(bytes: &[u8], limits: Limits) -> Result<Frames<'_>, ImageError> {
    let reader = reader(bytes, Transformations::EXPAND | Transformations::ALPHA)?;
    let size = Size::new(reader.info().width, reader.info().height);
    match layout(&reader) {
        (layout, true) => {
            limits.check_whole(size, 24)?;
            let read = move |pixels: &[u8]| {
                widened(pixels.chunks_exact(2).map(big_endian).collect(), layout)
            };
            Ok(laid(reader, Canvas::<u16>::new(size), read))
        }
        (layout, false) => Ok(laid(reader, Canvas::<u8>::new(size), move |pixels| {
            widened(pixels.to_vec(), layout)
        })),
    }
}

/// Frames of a reader laid on a canvas, once `read` has made straight RGBA of their bytes.
fn laid<'a, S: Sample + 'a>(
    mut reader: Reader<Cursor<&'a [u8]>>,
    mut canvas: Canvas<S>,
    read: impl Fn(&[u8]) -> Vec<S> + 'a,
) -> Frames<'a> {
    let size = Size::new(reader.info().width, reader.info().height);
    let loop_count = reader.info().animation_control.map_or(1, |control| control.num_plays);
    let animated = reader.info().animation_control.is_some();
    let mut left = reader.info().animation_control.map_or(1, |control| control.num_frames);
    Frames::new(
        loop_count,
        space(reader.info()),
        Box::new(move || {
            loop {
                left = left.checked_sub(1)?;
                let mut pixels = vec![0; reader.output_buffer_size()?];
                let shown = match reader.next_frame(&mut pixels) {
                    Ok(shown) => shown,
                    Err(error) => return Some(Err(damaged(error))),
                };
                let control = reader.info().frame_control;
                if control.is_none() && animated {
                    // The picture for readers that know no animation is no part of this one.
                    left += 1;
                    continue;
                }
                let rgba = read(&pixels[..shown.buffer_size()]);
                let control = control.unwrap_or_default();
                let place = Place {
                    left: control.x_offset,
                    top: control.y_offset,
                    width: shown.width,
                    height: shown.height,
                };
                let disposal = match control.dispose_op {
                    DisposeOp::Background => Disposal::Clear,
                    DisposeOp::Previous => Disposal::Restore,
                    DisposeOp::None => Disposal::Keep,
                };
                let over = animated && control.blend_op == BlendOp::Over;
                // A denominator of 0 means hundredths.
                let parts = if control.delay_den == 0 { 100 } else { u32::from(control.delay_den) };
                let shown_ms = u32::from(control.delay_num) * 1000 / parts;
                let samples = canvas.show(place, &rgba, over, disposal);
                return Some(Ok(Frame { size, layout: Layout::Rgba, samples, shown_ms }));
            }
        }),
    )
}

/// Straight RGBA of any layout a PNG has.
fn widened<S: Sample>(samples: Vec<S>, layout: Layout) -> Vec<S> {
    match layout {
        Layout::Gray => samples.iter().flat_map(|value| [*value, *value, *value, S::MAX]).collect(),
        Layout::GrayAlpha => samples
            .chunks_exact(2)
            .flat_map(|pixel| [pixel[0], pixel[0], pixel[0], pixel[1]])
            .collect(),
        Layout::Rgb => samples
            .chunks_exact(3)
            .flat_map(|pixel| [pixel[0], pixel[1], pixel[2], S::MAX])
            .collect(),
        Layout::Rgba | Layout::Cmyk => samples,
    }
}
