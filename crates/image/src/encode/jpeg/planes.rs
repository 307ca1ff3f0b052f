//! The planes of a JPEG in whole blocks.

use crate::{
    Raster,
    colour::Range,
    encode::planes::{self, Plane},
};

/// The side of a block (ITU-T T.81, A.1.1).
pub(super) const BLOCK: usize = 8;

/// Luma and the two chroma components in whole blocks; what the picture does not fill repeats its
/// last column and row.
pub(super) struct Planes {
    /// Differences at half the width and height.
    pub(super) halved: bool,
    pub(super) samples: [Vec<u8>; 3],
    pub(super) strides: [usize; 3],
}

impl Planes {
    pub(super) fn of(raster: &Raster, halved: bool) -> Self {
        let (width, height) = (raster.size().width as usize, raster.size().height as usize);
        let colour = if halved { [width.div_ceil(2), height.div_ceil(2)] } else { [width, height] };
        let sides = [[width, height], colour, colour];
        let strides = sides.map(|[width, _]| width.next_multiple_of(BLOCK));
        let mut samples: [Vec<u8>; 3] = std::array::from_fn(|plane| {
            vec![0; strides[plane] * sides[plane][1].next_multiple_of(BLOCK)]
        });
        let [luma, blues, reds] = &mut samples;
        let filled = [
            Plane { bytes: luma, stride: strides[0] },
            Plane { bytes: blues, stride: strides[1] },
            Plane { bytes: reds, stride: strides[2] },
        ];
        planes::split(raster, halved, Range::FULL, filled);
        for ((plane, side), stride) in samples.iter_mut().zip(sides).zip(strides) {
            extend(plane, side, stride);
        }
        Self { halved, samples, strides }
    }

    /// The rows of one plane that belong to one row of units: of luma two rows of blocks where
    /// chroma has half the size, else one. `None` for those past the end.
    pub(super) fn rows(&self, plane: usize, unit: usize) -> [Option<&[u8]>; 2 * BLOCK] {
        let tall = if self.halved && plane == 0 { 2 * BLOCK } else { BLOCK };
        let mut rows =
            self.samples[plane].chunks_exact(self.strides[plane]).skip(unit * tall).take(tall);
        std::array::from_fn(|_| rows.next())
    }
}

/// Repeats the last column and row of what is filled.
fn extend(plane: &mut [u8], [width, height]: [usize; 2], stride: usize) {
    let (filled, rest) = plane.split_at_mut(height * stride);
    for row in filled.chunks_exact_mut(stride) {
        let last = row[width - 1];
        row[width..].fill(last);
    }
    for row in rest.chunks_exact_mut(stride) {
        row.copy_from_slice(&filled[(height - 1) * stride..]);
    }
}
