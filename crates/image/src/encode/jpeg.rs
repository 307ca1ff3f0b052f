//! JPEG through mozjpeg: progressive, 4:2:0 or at high settings 4:4:4; fast with optimised Huffman tables, at best with trellis quantisation and
//! searched scans.

use std::panic::{AssertUnwindSafe, catch_unwind};

use kivet_recipe::Format;
use mozjpeg::{
    ColorSpace, Compress, Marker,
    qtable::{MSSSIM_Luma, NRobidoux},
};

use super::{FullColour, Writing};
use crate::{ImageError, Raster};

/// The longest payload of one segment (ITU-T T.81, B.1.1.4).
const LONGEST: usize = 65_533;

/// From this setting on colour is stored at full size: half-size colour holds likeness below what is asked there.
const FULL_COLOUR: FullColour = FullColour { from: 94.0, as_good: 90.4 };

pub(super) fn encode(raster: &Raster, setting: f32, writing: &Writing) -> Result<Vec<u8>, ImageError> {
    let flat;
    let raster = if raster.has_alpha() {
        flat = raster.clone().flattened([255; 3]);
        &flat
    } else {
        raster
    };
    let icc = writing.icc();
    // The codec reports errors by unwinding.
    catch_unwind(AssertUnwindSafe(|| {
        let mut compress = Compress::new(ColorSpace::JCS_RGB);
        if !writing.is_best() {
            compress.set_fastest_defaults();
            compress.set_optimize_coding(true);
        }
        compress.set_size(raster.size().width as usize, raster.size().height as usize);
        // Of the known tables these take the fewest bytes for a likeness; the library's own scaling knows whole settings only.
        let quality = FULL_COLOUR.quality(setting).max(1.0);
        compress.set_luma_qtable(&MSSSIM_Luma.scaled(quality, quality));
        compress.set_chroma_qtable(&NRobidoux.scaled(quality, quality));
        compress.set_progressive_mode();
        if FULL_COLOUR.applies(setting) {
            compress.set_chroma_sampling_pixel_sizes((1, 1), (1, 1));
        }
        let mut started = compress.start_compress(Vec::new())?;
        if let Some(exif) = &writing.kept.exif {
            write_app1(&mut started, b"Exif\0\0", exif);
        }
        if let Some(xmp) = &writing.kept.xmp {
            write_app1(&mut started, b"http://ns.adobe.com/xap/1.0/\0", xmp);
        }
        if let Some(icc) = &icc {
            started.write_icc_profile(icc);
        }
        started.write_scanlines(raster.bytes())?;
        started.finish()
    }))
    .unwrap_or_else(|_| Err(std::io::Error::other("the codec gave up")))
    .map_err(|error| ImageError::not_encoded(Format::Jpeg, error))
}

/// What does not fit a segment is left out: metadata never costs a picture.
fn write_app1(started: &mut mozjpeg::compress::CompressStarted<Vec<u8>>, name: &[u8], data: &[u8]) {
    let payload = [name, data].concat();
    if payload.len() <= LONGEST {
        started.write_marker(Marker::APP(1), &payload);
    }
}
