//! AVIF through libavif over libaom. The only calls across the C boundary are in the fenced types
//! below.
#![allow(unsafe_code)]

use std::{ffi::CStr, ffi::c_int};

use kivet_recipe::{Format, Gamut};
use libavif_sys as sys;

use super::{
    FullColour, Writing,
    planes::{self, Plane},
};
use crate::{ImageError, Raster, colour::Range};

/// Of 0 (smallest) to 10 (fastest). 8 saves a seventh (`bench prior`) and takes four to five times
/// as long; 7 saves little more, for half as much time again.
const SPEED: c_int = 9;
const SLOW_SPEED: c_int = 8;

/// From this setting on chroma is stored at full resolution (4:4:4): 4:2:0 limits the score below
/// what is asked there.
const FULL_COLOUR: FullColour = FullColour { from: 96.0, as_good: 92.6 };

/// Quantisation by frequency, from the steepest of the codec's matrices on: fewer bytes at equal
/// score in the same time, most of all on grain. Errors are weighed by the same matrices where the
/// encoder decides what to keep: without that they cost bytes with the slow preset. No palettes: at
/// speed 8 they multiply the bytes of very smooth pictures, and flat art is written losslessly
/// elsewhere.
const OPTIONS: [(&CStr, &CStr); 4] = [
    (c"color:enable-qm", c"1"),
    (c"color:qm-min", c"0"),
    (c"color:dist-metric", c"qm-psnr"),
    (c"color:enable-palette", c"0"),
];

/// Transparency has hard edges that show damage first, and costs few bytes.
const ALPHA_QUALITY: c_int = 90;

pub(super) fn encode(
    raster: &Raster,
    setting: f32,
    writing: &Writing,
) -> Result<Vec<u8>, ImageError> {
    let speed = if writing.is_best() { SLOW_SPEED } else { SPEED };
    Encoder::new(FULL_COLOUR.quality(setting, writing), speed)?
        .encode(&Image::import(raster, setting, writing)?)
}

/// Pixels in the library's own planes, freed on drop.
struct Image(*mut sys::avifImage);

impl Image {
    /// 8 bits, 4:2:0 or 4:4:4, marked as sRGB or Display P3 (ITU-T H.273: primaries 1 or 12,
    /// transfer 13, matrix 6).
    fn import(raster: &Raster, setting: f32, writing: &Writing) -> Result<Self, ImageError> {
        // SAFETY: the image is checked for null and owned by the returned value alone.
        unsafe {
            let size = raster.size();
            let full = FULL_COLOUR.applies(setting, writing);
            let layout =
                if full { sys::AVIF_PIXEL_FORMAT_YUV444 } else { sys::AVIF_PIXEL_FORMAT_YUV420 };
            let image = sys::avifImageCreate(size.width, size.height, 8, layout);
            if image.is_null() {
                return Err(failed("no memory for an image"));
            }
            let mut image = Self(image);
            (*image.0).colorPrimaries = match writing.gamut {
                Gamut::Srgb => sys::AVIF_COLOR_PRIMARIES_BT709 as _,
                Gamut::DisplayP3 => sys::AVIF_COLOR_PRIMARIES_SMPTE432 as _,
            };
            (*image.0).transferCharacteristics = sys::AVIF_TRANSFER_CHARACTERISTICS_SRGB as _;
            (*image.0).matrixCoefficients = sys::AVIF_MATRIX_COEFFICIENTS_BT601 as _;
            if raster.has_alpha() {
                image.convert(raster)?;
            } else {
                planes::split(raster, !full, Range::FULL, image.planes(!full)?);
            }
            // The library copies what it is given here.
            if let Some(exif) = &writing.kept.exif {
                check(sys::avifImageSetMetadataExif(image.0, exif.as_ptr(), exif.len()))?;
            }
            if let Some(xmp) = &writing.kept.xmp {
                check(sys::avifImageSetMetadataXMP(image.0, xmp.as_ptr(), xmp.len()))?;
            }
            Ok(image)
        }
    }

    /// Lets the library convert pixels, with their transparency.
    fn convert(&mut self, raster: &Raster) -> Result<(), ImageError> {
        // SAFETY: `rgb` describes the raster's own memory, which the library only reads while
        // converting into planes it allocates itself.
        unsafe {
            let mut rgb = sys::avifRGBImage::default();
            sys::avifRGBImageSetDefaults(&mut rgb, self.0);
            rgb.depth = 8;
            rgb.format = sys::AVIF_RGB_FORMAT_RGBA;
            rgb.pixels = raster.bytes().as_ptr().cast_mut();
            rgb.rowBytes = raster.stride() as u32;
            check(sys::avifImageRGBToYUV(self.0, &rgb))
        }
    }

    /// Planes to be filled, chroma at half the width and height where `halved`.
    fn planes(&mut self, halved: bool) -> Result<[Plane<'_>; 3], ImageError> {
        // SAFETY: the library allocates each plane with so many rows of so many bytes; they are
        // distinct, and live as long as the image that is borrowed.
        unsafe {
            check(sys::avifImageAllocatePlanes(self.0, sys::AVIF_PLANES_YUV))?;
            let image = &*self.0;
            Ok(std::array::from_fn(|plane| {
                let rows = if halved && plane > 0 { image.height.div_ceil(2) } else { image.height }
                    as usize;
                let stride = image.yuvRowBytes[plane] as usize;
                Plane {
                    bytes: std::slice::from_raw_parts_mut(image.yuvPlanes[plane], rows * stride),
                    stride,
                }
            }))
        }
    }
}

impl Drop for Image {
    fn drop(&mut self) {
        // SAFETY: created by the library, owned by this value alone, freed once.
        unsafe { sys::avifImageDestroy(self.0) }
    }
}

/// The library's encoder, freed on drop.
struct Encoder(*mut sys::avifEncoder);

impl Encoder {
    fn new(quality: f32, speed: c_int) -> Result<Self, ImageError> {
        // SAFETY: checked for null before its plain fields are set; options are static,
        // null-terminated strings, which the library copies.
        unsafe {
            let encoder = sys::avifEncoderCreate();
            if encoder.is_null() {
                return Err(failed("no memory for an encoder"));
            }
            (*encoder).speed = speed;
            (*encoder).quality = quality.round().clamp(0.0, 100.0) as c_int;
            (*encoder).qualityAlpha = ALPHA_QUALITY;
            // Requests run beside each other; one thread each keeps them fair.
            (*encoder).maxThreads = 1;
            let encoder = Self(encoder);
            for (name, value) in OPTIONS {
                check(sys::avifEncoderSetCodecSpecificOption(
                    encoder.0,
                    name.as_ptr(),
                    value.as_ptr(),
                ))?;
            }
            Ok(encoder)
        }
    }

    fn encode(self, image: &Image) -> Result<Vec<u8>, ImageError> {
        let mut output = sys::avifRWData { data: std::ptr::null_mut(), size: 0 };
        // SAFETY: both pointers are valid and owned by their types; on success the library owns
        // `size` bytes at `data`, which are copied before they are freed. Freeing an empty output
        // is allowed.
        unsafe {
            let result = check(sys::avifEncoderWrite(self.0, image.0, &mut output));
            let bytes =
                result.map(|()| std::slice::from_raw_parts(output.data, output.size).to_vec());
            sys::avifRWDataFree(&mut output);
            bytes
        }
    }
}

impl Drop for Encoder {
    fn drop(&mut self) {
        // SAFETY: created by the library, owned by this value alone, freed once.
        unsafe { sys::avifEncoderDestroy(self.0) }
    }
}

fn check(result: sys::avifResult) -> Result<(), ImageError> {
    if result == sys::AVIF_RESULT_OK {
        return Ok(());
    }
    // SAFETY: the library answers every result with a static, null-terminated string.
    let said = unsafe { CStr::from_ptr(sys::avifResultToString(result)) };
    Err(failed(said.to_string_lossy()))
}

fn failed(problem: impl ToString) -> ImageError {
    ImageError::not_encoded(Format::Avif, problem)
}
