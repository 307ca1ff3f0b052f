//! JPEG, by scan lines, with the codec's own reduced-size decoding.

use std::panic::{AssertUnwindSafe, catch_unwind};

use kivet_recipe::{Format, Size};
use mozjpeg::{ColorSpace, Decompress, decompress::DecompressStarted};

use super::RowSource;
use crate::{ImageError, colour::Linear, probe::jpeg::icc_profile};

/// A JPEG being read. The codec reports errors by unwinding, so every call into it is guarded.
pub(super) struct Jpeg<'a> {
    reader: DecompressStarted<&'a [u8]>,
    size: Size,
    bytes: Vec<u8>,
    linear: Linear,
}

impl<'a> Jpeg<'a> {
    pub(super) fn open(bytes: &'a [u8], eighths: u8) -> Result<Self, ImageError> {
        let reader = guarded(|| {
            let mut decoder = Decompress::new_mem(bytes).map_err(damaged)?;
            if matches!(decoder.color_space(), ColorSpace::JCS_CMYK | ColorSpace::JCS_YCCK) {
                return Err(ImageError::NotYetDrawn { sort: "CMYK JPEG" });
            }
            decoder.scale(eighths);
            decoder.rgb().map_err(damaged)
        })?;
        let size = Size::new(reader.width() as u32, reader.height() as u32);
        let profile = icc_profile(bytes);
        Ok(Self { reader, size, bytes: vec![0; size.width as usize * 3], linear: Linear::new(profile.as_deref()) })
    }
}

impl RowSource for Jpeg<'_> {
    fn size(&self) -> Size {
        self.size
    }

    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError> {
        let (reader, bytes) = (&mut self.reader, self.bytes.as_mut_slice());
        guarded(|| reader.read_scanlines_into(bytes).map(|_| ()).map_err(damaged))?;
        self.linear.rgb(&self.bytes, row);
        Ok(())
    }
}

fn damaged(error: impl ToString) -> ImageError {
    ImageError::damaged(Format::Jpeg, error)
}

/// Runs a call into the codec and turns its unwinding into an error.
fn guarded<T>(call: impl FnOnce() -> Result<T, ImageError>) -> Result<T, ImageError> {
    catch_unwind(AssertUnwindSafe(call)).unwrap_or_else(|panic| {
        let said = panic.downcast_ref::<String>().map(String::as_str);
        Err(damaged(said.or(panic.downcast_ref::<&str>().copied()).unwrap_or("the codec gave up")))
    })
}
