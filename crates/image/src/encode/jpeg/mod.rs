//! JPEG through mozjpeg: progressive, 4:2:0 or at high settings 4:4:4, with trellis quantisation and optimised Huffman tables. There is
//! no slow preset: what searched scans save is far less than the tenth that lets a second rendition take the
//! place of the first.

mod compressor;

use kivet_recipe::Format;
use mozjpeg::qtable::{MSSSIM_Luma, NRobidoux};
use mozjpeg_sys::jpeg_scan_info;

use self::compressor::{Settings, scan};
use super::{
    FullColour, Writing,
    planes::{self, Plane},
};
use crate::{ImageError, Raster, colour::Range};

/// The longest payload of one segment (ITU-T T.81, B.1.1.4).
const LONGEST: usize = 65_533;

/// The side of a block (ITU-T T.81, A.1.1).
const BLOCK: usize = 8;

/// From this setting on chroma is stored at full resolution (4:4:4): 4:2:0 limits the score below what is asked there, and takes more
/// bytes for it.
const FULL_COLOUR: FullColour = FullColour { from: 97.0, as_good: 94.6 };

/// Below it steps are so wide that next to nothing is left of a picture.
const MIN_QUALITY: f32 = 3.0;

/// What changes slowly is seen longest: there steps are so much narrower than the tables have them, which takes fewer bytes for a
/// score.
const SLOW: f32 = 0.6;

/// First means, so that the whole picture shows at once; then the slowest luma, colour, and all else. No value comes in
/// more than one scan: doing that by bits takes longer, and more bytes for pictures of the web's sizes.
static SCANS: [jpeg_scan_info; 5] =
    [scan(&[0, 1, 2], 0, 0), scan(&[0], 1, 2), scan(&[1], 1, 63), scan(&[2], 1, 63), scan(&[0], 3, 63)];

pub(super) fn encode(raster: &Raster, setting: f32, writing: &Writing) -> Result<Vec<u8>, ImageError> {
    let flat;
    let raster = if raster.has_alpha() {
        flat = raster.clone().flattened([255; 3]);
        &flat
    } else {
        raster
    };
    // Of the known tables these take the fewest bytes at equal score; the library's own scaling knows whole settings only.
    let quality = FULL_COLOUR.quality(setting).max(MIN_QUALITY);
    let slow = with_steps(quality, SLOW);
    let settings = Settings {
        size: raster.size(),
        tables: [MSSSIM_Luma.scaled(slow, quality), NRobidoux.scaled(slow, quality)],
        scans: &SCANS,
        segments: &segments(writing),
    };
    compressor::write(&Planes::of(raster, !FULL_COLOUR.applies(setting)), &settings)
        .map_err(|said| ImageError::not_encoded(Format::Jpeg, said))
}

/// The quality whose steps of quantisation are `share` times as wide: below 50 they are as its reciprocal, above a straight line.
fn with_steps(quality: f32, share: f32) -> f32 {
    let wide = share * if quality < 50.0 { 50.0 / quality } else { (100.0 - quality) / 50.0 };
    if wide > 1.0 { 50.0 / wide } else { 100.0 - 50.0 * wide }
}

/// What is kept beside the picture, each under the number of its application's segment. What does not fit a segment is left out:
/// metadata never costs a picture.
fn segments(writing: &Writing) -> Vec<(u8, Vec<u8>)> {
    let kept = |name: &[u8], data: &Option<Vec<u8>>| {
        data.as_ref()
            .map(|data| [name, data].concat())
            .filter(|payload| payload.len() <= LONGEST)
            .map(|payload| (1, payload))
    };
    let mut segments: Vec<(u8, Vec<u8>)> = Vec::new();
    segments.extend(kept(b"Exif\0\0", &writing.kept.exif));
    segments.extend(kept(b"http://ns.adobe.com/xap/1.0/\0", &writing.kept.xmp));
    // In parts, each with its place and their number (ICC.1:2022, B.4).
    const PROFILE: &[u8] = b"ICC_PROFILE\0";
    let icc = writing.icc().unwrap_or_default();
    let parts = icc.chunks(LONGEST - PROFILE.len() - 2);
    let number = parts.len() as u8;
    segments.extend(parts.zip(1..).map(|(part, place)| (2, [PROFILE, &[place, number], part].concat())));
    segments
}

/// Luma and the two chroma components in whole blocks; what the picture does not fill repeats its last column and row.
struct Planes {
    /// Differences at half the width and height.
    halved: bool,
    samples: [Vec<u8>; 3],
    strides: [usize; 3],
}

impl Planes {
    fn of(raster: &Raster, halved: bool) -> Self {
        let (width, height) = (raster.size().width as usize, raster.size().height as usize);
        let colour = if halved { [width.div_ceil(2), height.div_ceil(2)] } else { [width, height] };
        let sides = [[width, height], colour, colour];
        let strides = sides.map(|[width, _]| width.next_multiple_of(BLOCK));
        let mut samples: [Vec<u8>; 3] =
            std::array::from_fn(|plane| vec![0; strides[plane] * sides[plane][1].next_multiple_of(BLOCK)]);
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

    /// The rows of one plane that belong to one row of units: of luma two rows of blocks where chroma has half the size,
    /// else one. `None` for those past the end.
    fn rows(&self, plane: usize, unit: usize) -> [Option<&[u8]>; 2 * BLOCK] {
        let tall = if self.halved && plane == 0 { 2 * BLOCK } else { BLOCK };
        let mut rows = self.samples[plane].chunks_exact(self.strides[plane]).skip(unit * tall).take(tall);
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
