//! Our resampler: separable Lanczos-3 over linear, premultiplied f32 rows, streaming from top to
//! bottom, so that memory follows the output and not the original.
//!
//! Each source row is first brought to the output's width, then held in a ring just deep enough for
//! one output row.

#[cfg(target_arch = "x86_64")]
mod avx2;
#[cfg(target_arch = "x86_64")]
mod avx512;
mod kernels;
mod weights;

use kernels::{BATCH, Kernels};
use kivet_recipe::{Rect, Size};
use weights::Weights;

use crate::{
    ImageError, Raster, Work,
    colour::{pack_rgb, pack_rgba},
    decode::RowSource,
};

/// Output rows between two questions whether to go on.
const STRIP: usize = 16;

/// Draws the region `crop` of `source` at `size`, calling `sink` with each finished row: linear,
/// premultiplied RGBA.
///
/// Memory: one source row, and about `6 * crop.height / size.height` rows of the output's width.
///
/// # Errors
/// Those of the source, or that the work was ended.
pub fn resample(
    source: &mut dyn RowSource,
    crop: Rect,
    size: Size,
    work: &Work,
    sink: &mut dyn FnMut(&[f32]),
) -> Result<(), ImageError> {
    resample_with(Kernels::fastest(), source, crop, size, work, sink)
}

/// A region of a source as encoded pixels of `size`.
pub(crate) fn resampled(
    source: &mut dyn RowSource,
    crop: Rect,
    size: Size,
    alpha: bool,
    work: &Work,
) -> Result<Raster, ImageError> {
    let mut raster = Raster::filled(size, [0; 4], alpha);
    let stride = raster.stride();
    let pack = if alpha { pack_rgba } else { pack_rgb };
    let mut rows = raster.bytes_mut().chunks_exact_mut(stride);
    if size == source.size() && crop == Rect::whole(size) {
        // Nothing to filter.
        let mut row = vec![0.0; size.width as usize * 4];
        for out in rows {
            work.go_on()?;
            source.next_row(&mut row)?;
            pack(&row, out);
        }
        return Ok(raster);
    }
    resample(source, crop, size, work, &mut |row| {
        if let Some(out) = rows.next() {
            pack(row, out);
        }
    })?;
    drop(rows);
    Ok(raster)
}

fn resample_with(
    kernels: Kernels,
    source: &mut dyn RowSource,
    crop: Rect,
    size: Size,
    work: &Work,
    sink: &mut dyn FnMut(&[f32]),
) -> Result<(), ImageError> {
    let from = source.size();
    let horizontal = Weights::new(from.width, crop.x, crop.width, size.width);
    let vertical = Weights::new(from.height, crop.y, crop.height, size.height);
    let mut rows = Rows::new(source, &horizontal, vertical.taps(), size.width as usize * 4);
    let mut out = vec![0.0; size.width as usize * 4];
    for y in 0..size.height as usize {
        if y % STRIP == 0 {
            work.go_on()?;
        }
        let (first, weights) = vertical.window(y);
        let end = (first + weights.len()).min(from.height as usize);
        rows.read_to(kernels, first, end)?;
        let window: Vec<&[f32]> = (first..end).map(|row| rows.at(row)).collect();
        (kernels.combine)(&window, &weights[..window.len()], &mut out);
        sink(&out);
    }
    Ok(())
}

/// The source's rows at the output's width: a ring as deep as one output row needs, filled a batch
/// at a time.
struct Rows<'a> {
    source: &'a mut dyn RowSource,
    horizontal: &'a Weights,
    /// A batch as the source gave it, each row with the padding windows need.
    batch: Vec<f32>,
    ring: Vec<f32>,
    ring_rows: usize,
    /// Floats from one ring row to the next.
    stride: usize,
    read: usize,
}

impl<'a> Rows<'a> {
    fn new(
        source: &'a mut dyn RowSource,
        horizontal: &'a Weights,
        taps: usize,
        row_length: usize,
    ) -> Self {
        // A cache line more than the row, so that the rows of one column do not compete for the
        // same cache sets.
        const CACHE_LINE: usize = 16;
        let ring_rows = (taps + BATCH).next_multiple_of(BATCH);
        let stride = row_length + CACHE_LINE;
        let batch = vec![0.0; (source.size().width as usize + Weights::padding()) * 4 * BATCH];
        Self {
            source,
            horizontal,
            batch,
            ring: vec![0.0; ring_rows * stride],
            ring_rows,
            stride,
            read: 0,
        }
    }

    /// Reads the source up to row `end`; rows before `first` are not wanted any more.
    fn read_to(&mut self, kernels: Kernels, first: usize, end: usize) -> Result<(), ImageError> {
        let Size { width, height } = self.source.size();
        let padded = self.batch.len() / BATCH;
        while self.read < end {
            for row in self.batch.chunks_exact_mut(padded).take(height as usize - self.read) {
                self.source.next_row(&mut row[..width as usize * 4])?;
            }
            if self.read + BATCH > first {
                let start = self.read % self.ring_rows * self.stride;
                (kernels.gather)(
                    self.horizontal,
                    &self.batch,
                    &mut self.ring[start..start + BATCH * self.stride],
                );
            }
            self.read += BATCH;
        }
        Ok(())
    }

    fn at(&self, row: usize) -> &[f32] {
        &self.ring[row % self.ring_rows * self.stride..][..self.stride]
    }
}

#[cfg(test)]
mod tests;
