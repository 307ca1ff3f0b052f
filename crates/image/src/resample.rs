//! Our resampler: separable Lanczos-3 over linear, premultiplied f32 rows, streaming from top to bottom, so that
//! memory follows the output and not the original.
//!
//! Each source row is first brought to the output's width, then held in a ring just deep enough for one output row.

mod weights;

use kivet_recipe::{Rect, Size};
use weights::Weights;

use crate::{ImageError, decode::RowSource};

/// Draws the region `crop` of `source` at `size`, calling `sink` with each finished row: linear, premultiplied RGBA.
///
/// Memory: one source row, and about `6 * crop.height / size.height` rows of the output's width.
///
/// # Errors
/// Those of the source.
pub fn resample(
    source: &mut dyn RowSource,
    crop: Rect,
    size: Size,
    sink: &mut dyn FnMut(&[f32]),
) -> Result<(), ImageError> {
    let from = source.size();
    let horizontal = Weights::new(from.width, crop.x, crop.width, size.width);
    let vertical = Weights::new(from.height, crop.y, crop.height, size.height);
    let row_length = size.width as usize * 4;
    let mut source_row = vec![0.0; from.width as usize * 4];
    let mut ring = vec![vec![0.0; row_length]; vertical.taps()];
    let mut out = vec![0.0; row_length];
    let mut read = 0;
    for y in 0..size.height as usize {
        let (first, weights) = vertical.window(y);
        while read < first + weights.len() {
            source.next_row(&mut source_row)?;
            if read >= first {
                horizontal.gather(&source_row, &mut ring[read % vertical.taps()]);
            }
            read += 1;
        }
        out.fill(0.0);
        for (tap, weight) in weights.iter().enumerate().filter(|(_, weight)| **weight != 0.0) {
            add_scaled(&mut out, &ring[(first + tap) % vertical.taps()], *weight);
        }
        sink(&out);
    }
    Ok(())
}

/// `sum += row * weight`, element by element: a loop the compiler vectorises.
fn add_scaled(sum: &mut [f32], row: &[f32], weight: f32) {
    for (sum, value) in sum.iter_mut().zip(row) {
        *sum += value * weight;
    }
}

#[cfg(test)]
mod tests;
