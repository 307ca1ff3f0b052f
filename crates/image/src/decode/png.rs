//! PNG, by rows where it is not interlaced.

use std::io::Cursor;

use kivet_recipe::{Format, Size};
use png::{ColorType, Decoder, Reader, Transformations};

use super::{RowSource, Whole};
use crate::{ImageError, colour::Linear};

/// A PNG being read.
pub(super) enum Png<'a> {
    /// Row by row.
    Rows { reader: Box<Reader<Cursor<&'a [u8]>>>, linear: Linear, widened: Vec<u8> },
    /// Interlaced: all passes are needed before the first row is known.
    Whole(Whole),
}

impl<'a> Png<'a> {
    pub(super) fn open(bytes: &'a [u8]) -> Result<Self, ImageError> {
        let mut decoder = Decoder::new(Cursor::new(bytes));
        decoder.set_transformations(Transformations::normalize_to_color8());
        let mut reader = decoder.read_info().map_err(damaged)?;
        let profile = reader.info().icc_profile.as_ref().map(|profile| profile.to_vec());
        if !reader.info().interlaced {
            return Ok(Self::Rows {
                reader: Box::new(reader),
                linear: Linear::new(profile.as_deref()),
                widened: Vec::new(),
            });
        }
        let length = reader.output_buffer_size().ok_or_else(|| damaged("its size overflows"))?;
        let mut pixels = vec![0; length];
        reader.next_frame(&mut pixels).map_err(damaged)?;
        let (colour, _) = reader.output_color_type();
        let size = Size::new(reader.info().width, reader.info().height);
        let alpha = matches!(colour, ColorType::Rgba | ColorType::GrayscaleAlpha);
        Ok(Self::Whole(Whole::new(size, alpha, widen(&pixels, colour), profile.as_deref())))
    }
}

impl RowSource for Png<'_> {
    fn size(&self) -> Size {
        match self {
            Self::Rows { reader, .. } => Size::new(reader.info().width, reader.info().height),
            Self::Whole(whole) => whole.size(),
        }
    }

    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError> {
        let (reader, linear, widened) = match self {
            Self::Whole(whole) => return whole.next_row(row),
            Self::Rows { reader, linear, widened } => (reader, linear, widened),
        };
        let (colour, _) = reader.output_color_type();
        let read = reader.next_row().map_err(damaged)?.ok_or_else(|| damaged("it ends before its last row"))?;
        match colour {
            ColorType::Rgb => linear.rgb(read.data(), row),
            ColorType::Rgba => linear.rgba(read.data(), row),
            _ => {
                *widened = widen(read.data(), colour);
                if colour == ColorType::GrayscaleAlpha { linear.rgba(widened, row) } else { linear.rgb(widened, row) }
            }
        }
        Ok(())
    }
}

/// Gray pixels with their one value in all three channels; others as they are.
fn widen(pixels: &[u8], colour: ColorType) -> Vec<u8> {
    match colour {
        ColorType::Grayscale => pixels.iter().flat_map(|value| [*value; 3]).collect(),
        ColorType::GrayscaleAlpha => {
            pixels.chunks_exact(2).flat_map(|pixel| [pixel[0], pixel[0], pixel[0], pixel[1]]).collect()
        }
        _ => pixels.to_vec(),
    }
}

fn damaged(error: impl ToString) -> ImageError {
    ImageError::damaged(Format::Png, error)
}
