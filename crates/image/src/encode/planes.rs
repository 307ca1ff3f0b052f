//! Red, green and blue as luma and two chroma components, 8 bits a sample (ITU-T H.273, 8.3, with
//! matrix 6).
//!
//! Differences at half the size are those of the mean light of squares of four, its square root
//! taken as the signal's. Every luma is then fitted to what decoders make of the chroma beside it:
//! the pixel they show is as bright as the one that was given, so that what colour loses by its
//! half size costs no light. That takes far fewer bytes at equal score where colours are strong
//! (`docs/design/performance.md`).

#[cfg(target_arch = "x86_64")]
mod avx2;
mod rows;

use crate::{
    Raster,
    colour::{Range, neighbours},
};
use rows::Rows;

/// One plane to be written: rows `stride` bytes apart.
pub(super) struct Plane<'a> {
    pub(super) bytes: &'a mut [u8],
    pub(super) stride: usize,
}

impl Plane<'_> {
    fn row(&self, y: usize, length: usize) -> &[u8] {
        &self.bytes[y * self.stride..][..length]
    }

    fn row_mut(&mut self, y: usize, length: usize) -> &mut [u8] {
        &mut self.bytes[y * self.stride..][..length]
    }
}

/// Writes an opaque raster into planes of luma, the two chroma components; chroma at half the
/// width and height where `halved`, odd sides rounded up.
pub(super) fn split(raster: &Raster, halved: bool, range: Range, planes: [Plane<'_>; 3]) {
    #[cfg(target_arch = "x86_64")]
    let Some(planes) = avx2::split(raster, halved, range, planes) else { return };
    split_anywhere(raster, halved, range, planes);
}

#[inline(always)]
fn split_anywhere(raster: &Raster, halved: bool, range: Range, planes: [Plane<'_>; 3]) {
    let [mut luma, mut blues, mut reds] = planes;
    let (width, height) = (raster.size().width as usize, raster.size().height as usize);
    let step = if halved { 2 } else { 1 };
    let (across, down) = (width.div_ceil(step), height.div_ceil(step));
    let line = |y: usize| &raster.bytes()[y.min(height - 1) * raster.stride()..][..width * 3];
    let mut rows = Rows::new(width, across);
    for y in 0..down {
        if halved {
            rows.mean_of_squares([line(2 * y), line(2 * y + 1)]);
        } else {
            rows.as_they_are(line(y));
        }
        rows.chroma(range, blues.row_mut(y, across), reds.row_mut(y, across));
    }
    for y in 0..height {
        let (near, far) = if halved { neighbours(y, down) } else { (y, y) };
        rows.shown(0, halved, range, [blues.row(near, across), blues.row(far, across)]);
        rows.shown(1, halved, range, [reds.row(near, across), reds.row(far, across)]);
        rows.fitted(range, line(y), luma.row_mut(y, width));
    }
}

#[cfg(test)]
mod tests;
