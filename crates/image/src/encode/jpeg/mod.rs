//! JPEG through mozjpeg: progressive, 4:2:0 or at high settings 4:4:4, with trellis quantisation
//! and optimised Huffman tables. There is no slow preset: what searched scans save is far less than
//! the tenth that lets a second rendition take the place of the first.

mod compressor;
mod planes;

use kivet_recipe::Format;
use mozjpeg::qtable::{MSSSIM_Luma, NRobidoux};
use mozjpeg_sys::jpeg_scan_info;

use self::{
    compressor::{Settings, scan},
    planes::Planes,
};
use super::{FullColour, Writing};
use crate::{ImageError, Raster};

/// The longest payload of one segment (ITU-T T.81, B.1.1.4).
const LONGEST: usize = 65_533;

/// From this setting on chroma is stored at full resolution (4:4:4): 4:2:0 limits the score below
/// what is asked there, and takes more bytes for it.
const FULL_COLOUR: FullColour = FullColour { from: 97.0, as_good: 94.6 };

/// Below it steps are so wide that next to nothing is left of a picture.
const MIN_QUALITY: f32 = 3.0;

/// What changes slowly is seen longest: there steps are so much narrower than the tables have them,
/// which takes fewer bytes for a score.
const SLOW: f32 = 0.6;

/// First means, so that the whole picture shows at once; then the slowest luma, colour, and all
/// else. No value comes in more than one scan: doing that by bits takes longer, and more bytes for
/// pictures of the web's sizes.
static SCANS: [jpeg_scan_info; 5] = [
    scan(&[0, 1, 2], 0, 0),
    scan(&[0], 1, 2),
    scan(&[1], 1, 63),
    scan(&[2], 1, 63),
    scan(&[0], 3, 63),
];

pub(super) fn encode(
    raster: &Raster,
    setting: f32,
    writing: &Writing,
) -> Result<Vec<u8>, ImageError> {
    let flat;
    let raster = if raster.has_alpha() {
        flat = raster.clone().flattened([255; 3]);
        &flat
    } else {
        raster
    };
    // Of the known tables these take the fewest bytes at equal score; the library's own scaling
    // knows whole settings only.
    let quality = FULL_COLOUR.quality(setting, writing).max(MIN_QUALITY);
    let slow = with_steps(quality, SLOW);
    let settings = Settings {
        size: raster.size(),
        tables: [MSSSIM_Luma.scaled(slow, quality), NRobidoux.scaled(slow, quality)],
        scans: &SCANS,
        segments: &segments(writing),
    };
    compressor::write(&Planes::of(raster, !FULL_COLOUR.applies(setting, writing)), &settings)
        .map_err(|said| ImageError::not_encoded(Format::Jpeg, said))
}

/// The quality whose steps of quantisation are `share` times as wide: below 50 they are as its
/// reciprocal, above a straight line.
fn with_steps(quality: f32, share: f32) -> f32 {
    let wide = share * if quality < 50.0 { 50.0 / quality } else { (100.0 - quality) / 50.0 };
    if wide > 1.0 { 50.0 / wide } else { 100.0 - 50.0 * wide }
}

/// What is kept beside the picture, each under the number of its application's segment. What does
/// not fit a segment is left out: metadata never costs a picture.
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
    segments.extend(
        parts.zip(1..).map(|(part, place)| (2, [PROFILE, &[place, number], part].concat())),
    );
    segments
}
