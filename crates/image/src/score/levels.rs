//! A picture at one size after the other, each half as large, in the colours of the metric.

use kivet_recipe::Size;

use super::loops::Loops;
use crate::{
    ImageError, Raster,
    colour::{LINEAR, to_linear},
    decode::RowSource,
};

/// The most levels there are.
pub(super) const MAX_LEVELS: usize = 6;

/// A picture is mirrored at its edges until it has so many pixels a side, and halved no further
/// below it.
const MIN: u32 = 8;

/// One level: three planes of `size`.
pub(super) struct Level {
    pub(super) size: Size,
    /// X (red against green), Y (luma), B (blue), in this order.
    pub(super) planes: [Vec<f32>; 3],
}

/// How many levels a picture of `size` has: a level is made while the one before it has eight
/// pixels a side.
pub(super) fn count(size: Size) -> usize {
    let mut side = size.width.min(size.height).max(MIN);
    let mut count = 1;
    while count < MAX_LEVELS && side >= MIN {
        count += 1;
        side = side.div_ceil(2);
    }
    count
}

/// A picture's levels, largest first, as many as `wanted` says, from its linear light.
pub(super) fn levels(mut linear: Level, wanted: usize, loops: Loops) -> Vec<Level> {
    let mut levels = Vec::with_capacity(wanted);
    for index in 0..wanted {
        let smaller = (index + 1 < wanted).then(|| halved(&linear));
        let width = linear.size.width as usize;
        let [red, green, blue] = &mut linear.planes;
        for ((red, green), blue) in red
            .chunks_exact_mut(width)
            .zip(green.chunks_exact_mut(width))
            .zip(blue.chunks_exact_mut(width))
        {
            (loops.colours)(red, green, blue);
        }
        levels.push(linear);
        match smaller {
            Some(smaller) => linear = smaller,
            None => break,
        }
    }
    levels
}

impl Level {
    fn black(size: Size) -> Self {
        Self { size, planes: std::array::from_fn(|_| vec![0.0; size.pixels() as usize]) }
    }

    /// One row of each plane.
    fn row_mut(&mut self, y: u32) -> [&mut [f32]; 3] {
        let width = self.size.width as usize;
        self.planes.each_mut().map(|plane| &mut plane[y as usize * width..][..width])
    }

    /// Linear light of a raster, transparent tiles before a gray of `behind`, encoded; mirrored
    /// where it is too small.
    pub(super) fn linear(raster: &Raster, behind: f32) -> Self {
        let own = raster.size();
        let mut level = Self::black(Size::new(own.width.max(MIN), own.height.max(MIN)));
        for y in 0..level.size.height {
            let row =
                &raster.bytes()[mirrored(y, own.height) * raster.stride()..][..raster.stride()];
            let out = level.row_mut(y);
            if !raster.has_alpha() && own.width >= MIN {
                opaque(row, out);
                continue;
            }
            let [red, green, blue] = out;
            for (x, ((red, green), blue)) in red.iter_mut().zip(green).zip(blue).enumerate() {
                let pixel =
                    &row[mirrored(x as u32, own.width) * raster.channels()..][..raster.channels()];
                let alpha = pixel.get(3).copied().unwrap_or(255);
                [*red, *green, *blue] =
                    [0, 1, 2].map(|channel| seen_through(pixel[channel], alpha, behind));
            }
        }
        level
    }

    /// Linear light of an opaque picture that is still to be read; `None` if it is too small to be
    /// scored unmirrored.
    ///
    /// # Errors
    /// Those of the source.
    pub(super) fn read(source: &mut dyn RowSource) -> Result<Option<Self>, ImageError> {
        let size = source.size();
        if size.width.min(size.height) < MIN {
            return Ok(None);
        }
        let mut level = Self::black(size);
        let mut row = vec![0.0; size.width as usize * 4];
        for y in 0..size.height {
            source.next_row(&mut row)?;
            let [red, green, blue] = level.row_mut(y);
            for (((pixel, red), green), blue) in
                row.as_chunks::<4>().0.iter().zip(red).zip(green).zip(blue)
            {
                [*red, *green, *blue] = [pixel[0], pixel[1], pixel[2]];
            }
        }
        Ok(Some(level))
    }
}

fn opaque(row: &[u8], [red, green, blue]: [&mut [f32]; 3]) {
    let table = &LINEAR[0];
    for (((pixel, red), green), blue) in row.as_chunks::<3>().0.iter().zip(red).zip(green).zip(blue)
    {
        [*red, *green, *blue] = pixel.map(|value| table[usize::from(value)][0]);
    }
}

fn seen_through(value: u8, alpha: u8, behind: f32) -> f32 {
    if alpha == 255 {
        return LINEAR[0][usize::from(value)][0];
    }
    let share = f32::from(alpha) / 255.0;
    to_linear(f64::from(f32::from(value) / 255.0 * share + behind * (1.0 - share))) as f32
}

/// The place in a line of `length` that a place beyond its end mirrors, the last one not repeated.
fn mirrored(at: u32, length: u32) -> usize {
    let round = (2 * length).saturating_sub(2).max(1);
    let at = at % round;
    (if at < length { at } else { round - at }) as usize
}

/// Means of squares of four; the last row and column stand for what is missing.
fn halved(level: &Level) -> Level {
    let (width, height) = (level.size.width as usize, level.size.height as usize);
    let mut half =
        Level::black(Size::new(level.size.width.div_ceil(2), level.size.height.div_ceil(2)));
    for (plane, half) in level.planes.iter().zip(&mut half.planes) {
        for (y, out) in half.chunks_exact_mut(width.div_ceil(2)).enumerate() {
            let upper = &plane[2 * y * width..][..width];
            let lower = &plane[(2 * y + 1).min(height - 1) * width..][..width];
            let ((upper, last_upper), (lower, last_lower)) =
                (upper.as_chunks::<2>(), lower.as_chunks::<2>());
            for ((upper, lower), out) in upper.iter().zip(lower).zip(out.iter_mut()) {
                *out = ((upper[0] + upper[1]) + (lower[0] + lower[1])) * 0.25;
            }
            if let ([upper], [lower], Some(out)) = (last_upper, last_lower, out.last_mut()) {
                *out = (upper + lower) * 0.5;
            }
        }
    }
    half
}
