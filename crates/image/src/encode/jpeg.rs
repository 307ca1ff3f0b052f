//! JPEG through mozjpeg's fast mode: baseline, optimised Huffman tables, 4:2:0.

use std::panic::{AssertUnwindSafe, catch_unwind};

use kivet_recipe::Format;
use mozjpeg::{ColorSpace, Compress};

use crate::{ImageError, Raster};

pub(super) fn encode(raster: &Raster, setting: f32) -> Result<Vec<u8>, ImageError> {
    let flat;
    let raster = if raster.has_alpha() {
        flat = raster.clone().flattened([255; 3]);
        &flat
    } else {
        raster
    };
    // The codec reports errors by unwinding.
    catch_unwind(AssertUnwindSafe(|| {
        let mut compress = Compress::new(ColorSpace::JCS_RGB);
        compress.set_fastest_defaults();
        compress.set_optimize_coding(true);
        compress.set_size(raster.size().width as usize, raster.size().height as usize);
        compress.set_quality(setting);
        let mut started = compress.start_compress(Vec::new())?;
        started.write_scanlines(raster.bytes())?;
        started.finish()
    }))
    .unwrap_or_else(|_| Err(std::io::Error::other("the codec gave up")))
    .map_err(|error| ImageError::not_encoded(Format::Jpeg, error))
}
