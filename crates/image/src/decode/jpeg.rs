//! JPEG, by scan lines, with the codec's own reduced-size decoding.

use std::{
    io::{Chain, Read},
    panic::{AssertUnwindSafe, catch_unwind},
};

use kivet_recipe::{Format, Gamut, Size};
use mozjpeg::{ColorSpace, Decompress, decompress::DecompressStarted};

use super::RowSource;
use crate::{
    ImageError, Limits, Raster, Work,
    colour::{Layout, Linear, Samples, Space, pack_rgb},
    probe::jpeg::{icc_profile, is_progressive},
};

/// Rows are decoded so many bytes at a time, because the decoder and the resampler compete for the
/// same caches: taking turns by single rows made both a fifth slower.
const BATCH_BYTES: usize = 8 << 20;

/// The end marker, which a file cut short lacks: the decoder then fills up what is missing.
const END_OF_IMAGE: &[u8] = &[0xFF, 0xD9];

/// A JPEG being read. The codec reports errors by unwinding, so every call into it is guarded.
pub(super) struct Jpeg<'a> {
    reader: DecompressStarted<Chain<&'a [u8], &'static [u8]>>,
    size: Size,
    eighths: u8,
    layout: Layout,
    batch: Vec<u8>,
    /// Rows of the batch handed out, and rows it holds.
    next: usize,
    held: usize,
    rows_left: usize,
    linear: Linear,
}

impl<'a> Jpeg<'a> {
    pub(super) fn open(
        bytes: &'a [u8],
        eighths: u8,
        gamut: Gamut,
        limits: Limits,
    ) -> Result<Self, ImageError> {
        let (reader, layout) = guarded(|| {
            let mut decoder = Decompress::new_reader(bytes.chain(END_OF_IMAGE)).map_err(damaged)?;
            let size = Size::new(decoder.width() as u32, decoder.height() as u32);
            if is_progressive(bytes) {
                // Coefficients of all components wait in memory until the last scan, two bytes
                // each.
                limits.check_whole(size, decoder.components().len() as u64 * 2)?;
            }
            decoder.scale(eighths);
            let (space, layout) = match decoder.color_space() {
                ColorSpace::JCS_CMYK | ColorSpace::JCS_YCCK => (ColorSpace::JCS_CMYK, Layout::Cmyk),
                ColorSpace::JCS_GRAYSCALE => (ColorSpace::JCS_GRAYSCALE, Layout::Gray),
                _ => (ColorSpace::JCS_RGB, Layout::Rgb),
            };
            Ok((decoder.to_colorspace(space).map_err(damaged)?, layout))
        })?;
        let size = Size::new(reader.width() as u32, reader.height() as u32);
        let space = Space::of_icc(icc_profile(bytes).as_deref());
        let linear = Linear::new(&space, gamut, layout, false);
        let rows_left = size.height as usize;
        Ok(Self {
            reader,
            size,
            eighths,
            layout,
            batch: Vec::new(),
            next: 0,
            held: 0,
            rows_left,
            linear,
        })
    }

    /// All of it. Samples that are sRGB as they stand are not touched.
    pub(super) fn into_raster(mut self, work: &Work) -> Result<Raster, ImageError> {
        const STRIP: usize = 64;
        let mut raster = Raster::filled(self.size, [0; 4], false);
        let stride = raster.stride();
        let as_is = self.layout == Layout::Rgb && self.linear.is_plain();
        let mut linear = vec![0.0; self.size.width as usize * 4];
        for strip in raster.bytes_mut().chunks_mut(stride * STRIP) {
            work.go_on()?;
            if as_is {
                let reader = &mut self.reader;
                guarded(|| reader.read_scanlines_into(strip).map(|_| ()).map_err(damaged))?;
                continue;
            }
            for row in strip.chunks_exact_mut(stride) {
                self.next_row(&mut linear)?;
                pack_rgb(&linear, row);
            }
        }
        Ok(raster)
    }

    fn refill(&mut self, stride: usize) -> Result<(), ImageError> {
        self.held = (BATCH_BYTES / stride).clamp(1, self.rows_left.max(1));
        self.batch.resize(self.held * stride, 0);
        let (reader, batch) = (&mut self.reader, self.batch.as_mut_slice());
        guarded(|| reader.read_scanlines_into(batch).map(|_| ()).map_err(damaged))?;
        self.rows_left -= self.held;
        self.next = 0;
        Ok(())
    }
}

impl RowSource for Jpeg<'_> {
    fn size(&self) -> Size {
        self.size
    }

    fn scale(&self) -> (f64, f64) {
        let scale = f64::from(self.eighths) / 8.0;
        (scale, scale)
    }

    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError> {
        let stride = self.size.width as usize * self.layout.channels();
        if self.next == self.held {
            self.refill(stride)?;
        }
        let at = self.next * stride;
        self.next += 1;
        self.linear.row(Samples::Eight(&self.batch[at..at + stride]), row);
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
