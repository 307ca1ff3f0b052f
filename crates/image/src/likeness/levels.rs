//! A picture at one size after the other, each half as large, in the colours of the metric.

use kivet_recipe::Size;

use super::loops::Loops;
use crate::{
    Raster,
    colour::{LINEAR, to_linear},
};

/// The most levels there are.
pub(super) const MOST_LEVELS: usize = 6;

/// A picture is mirrored at its edges until it has so many pixels a side, and halved no further below it.
const LEAST: u32 = 8;

/// One level: three planes of `size`.
pub(super) struct Level {
    pub(super) size: Size,
    /// X (red against green), Y (brightness), B (blue), in this order.
    pub(super) planes: [Vec<f32>; 3],
}

/// How many levels a picture of `size` has: a level is made while the one before it has eight pixels a side.
pub(super) fn count(size: Size) -> usize {
    let mut side = size.width.min(size.height).max(LEAST);
    let mut count = 1;
    while count < MOST_LEVELS && side >= LEAST {
        count += 1;
        side = side.div_ceil(2);
    }
    count
}

/// The levels of `raster`, largest first, as many as `wanted` says; transparent parts before a gray of `behind`, encoded.
pub(super) fn levels(raster: &Raster, behind: f32, wanted: usize, loops: Loops) -> Vec<Level> {
    let mut levels = Vec::with_capacity(wanted);
    let mut linear = linear(raster, behind);
    for index in 0..wanted {
        let smaller = (index + 1 < wanted).then(|| halved(&linear));
        let width = linear.size.width as usize;
        let [red, green, blue] = &mut linear.planes;
        for ((red, green), blue) in
            red.chunks_exact_mut(width).zip(green.chunks_exact_mut(width)).zip(blue.chunks_exact_mut(width))
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

/// Linear light.
fn linear(raster: &Raster, behind: f32) -> Level {
    let own = raster.size();
    let size = Size::new(own.width.max(LEAST), own.height.max(LEAST));
    let channels = raster.channels();
    let mut planes: [Vec<f32>; 3] = std::array::from_fn(|_| Vec::with_capacity(size.pixels() as usize));
    for y in 0..size.height {
        let row = &raster.bytes()[mirrored(y, own.height) * raster.stride()..][..raster.stride()];
        for x in 0..size.width {
            let pixel = &row[mirrored(x, own.width) * channels..][..channels];
            let alpha = pixel.get(3).copied().unwrap_or(255);
            for (plane, value) in planes.iter_mut().zip(pixel) {
                plane.push(match alpha {
                    255 => LINEAR[0][usize::from(*value)][0],
                    _ => seen_through(*value, alpha, behind),
                });
            }
        }
    }
    Level { size, planes }
}

fn seen_through(value: u8, alpha: u8, behind: f32) -> f32 {
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
    let size = Size::new(level.size.width.div_ceil(2), level.size.height.div_ceil(2));
    let planes = level.planes.each_ref().map(|plane| {
        let mut half = Vec::with_capacity(size.pixels() as usize);
        for y in 0..size.height as usize {
            let upper = &plane[2 * y * width..][..width];
            let lower = &plane[(2 * y + 1).min(height - 1) * width..][..width];
            let pairs = upper.chunks(2).zip(lower.chunks(2));
            half.extend(pairs.map(|(upper, lower)| {
                let sum = |pair: &[f32]| pair[0] + pair[pair.len() - 1];
                (sum(upper) + sum(lower)) * 0.25
            }));
        }
        half
    });
    Level { size, planes }
}
