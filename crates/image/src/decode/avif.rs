//! AVIF through libavif. The only calls across the C boundary are in the fenced type below.
#![allow(unsafe_code)]

use std::ffi::CStr;

use kivet_recipe::{Format, Size};
use libavif_sys as sys;

use super::Whole;
use crate::ImageError;

/// Decodes an AVIF whole, to 8 bits a channel.
pub(super) fn open(bytes: &[u8]) -> Result<Whole, ImageError> {
    let avif = Avif::parse(bytes)?;
    if avif.motion() {
        return Err(ImageError::NotYetDrawn { sort: "moving AVIF" });
    }
    let profile = avif.profile();
    let (size, alpha) = (avif.size(), avif.alpha());
    let pixels = avif.pixels()?;
    Ok(Whole::new(size, alpha, pixels, profile.as_deref()))
}

/// A parsed AVIF: its header is known, no pixel is decoded yet. Owns the library's decoder and frees it on drop.
pub(crate) struct Avif<'a> {
    decoder: *mut sys::avifDecoder,
    /// The decoder reads from these bytes for as long as it lives.
    _bytes: std::marker::PhantomData<&'a [u8]>,
}

impl<'a> Avif<'a> {
    pub(crate) fn parse(bytes: &'a [u8]) -> Result<Self, ImageError> {
        // SAFETY: the decoder is checked for null before use and owned by the returned value alone; the memory it is
        // given outlives it by the lifetime on the type.
        unsafe {
            let decoder = sys::avifDecoderCreate();
            if decoder.is_null() {
                return Err(damaged("no memory for a decoder"));
            }
            let avif = Self { decoder, _bytes: std::marker::PhantomData };
            (*decoder).maxThreads = 1;
            (*decoder).strictFlags = sys::AVIF_STRICT_DISABLED as _;
            // Our own limits are checked against the header before any pixel is decoded.
            (*decoder).imageSizeLimit = sys::AVIF_DEFAULT_IMAGE_SIZE_LIMIT as _;
            check(sys::avifDecoderSetIOMemory(decoder, bytes.as_ptr(), bytes.len()))?;
            check(sys::avifDecoderParse(decoder))?;
            Ok(avif)
        }
    }

    /// Pixels as stored, before rotation and mirroring.
    pub(crate) fn size(&self) -> Size {
        Size::new(self.image().width, self.image().height)
    }

    pub(crate) fn alpha(&self) -> bool {
        // SAFETY: `decoder` is not null and parsed, by construction.
        unsafe { (*self.decoder).alphaPresent != 0 }
    }

    pub(crate) fn motion(&self) -> bool {
        // SAFETY: as above.
        unsafe { (*self.decoder).imageCount > 1 }
    }

    /// Quarter turns anticlockwise, and the mirroring axis: 0 swaps top and bottom, 1 left and right
    /// (ISO/IEC 23008-12, 6.5.10 and 6.5.12).
    pub(crate) fn turned(&self) -> (u8, Option<u8>) {
        let image = self.image();
        let has = |flag| image.transformFlags & flag != 0;
        let quarters = if has(sys::AVIF_TRANSFORM_IROT) { image.irot.angle } else { 0 };
        (quarters, has(sys::AVIF_TRANSFORM_IMIR).then_some(image.imir.axis))
    }

    pub(crate) fn profile(&self) -> Option<Vec<u8>> {
        let icc = &self.image().icc;
        if icc.size == 0 || icc.data.is_null() {
            return None;
        }
        // SAFETY: the library owns `size` bytes at `data` for as long as the decoder lives; they are copied here.
        Some(unsafe { std::slice::from_raw_parts(icc.data, icc.size) }.to_vec())
    }

    fn image(&self) -> &sys::avifImage {
        // SAFETY: after a successful parse the decoder's image is set, and lives as long as the decoder.
        unsafe { &*(*self.decoder).image }
    }

    /// Decodes the first frame: three bytes a pixel, four with alpha.
    fn pixels(self) -> Result<Vec<u8>, ImageError> {
        let alpha = self.alpha();
        // SAFETY: the decoder was parsed; the buffer is `rowBytes * height` long for the image the library has just
        // decoded, whose size is read afterwards so that it cannot differ.
        unsafe {
            check(sys::avifDecoderNextImage(self.decoder))?;
            let image = (*self.decoder).image;
            let mut rgb = sys::avifRGBImage::default();
            sys::avifRGBImageSetDefaults(&mut rgb, image);
            rgb.depth = 8;
            rgb.format = if alpha { sys::AVIF_RGB_FORMAT_RGBA } else { sys::AVIF_RGB_FORMAT_RGB };
            rgb.rowBytes = rgb.width * if alpha { 4 } else { 3 };
            let mut pixels = vec![0u8; rgb.rowBytes as usize * rgb.height as usize];
            rgb.pixels = pixels.as_mut_ptr();
            check(sys::avifImageYUVToRGB(image, &mut rgb))?;
            Ok(pixels)
        }
    }
}

impl Drop for Avif<'_> {
    fn drop(&mut self) {
        // SAFETY: created by the library, owned by this value alone, freed once.
        unsafe { sys::avifDecoderDestroy(self.decoder) }
    }
}

fn check(result: sys::avifResult) -> Result<(), ImageError> {
    if result == sys::AVIF_RESULT_OK {
        return Ok(());
    }
    // SAFETY: the library answers every result with a static, null-terminated string.
    let said = unsafe { CStr::from_ptr(sys::avifResultToString(result)) };
    Err(damaged(said.to_string_lossy()))
}

fn damaged(problem: impl ToString) -> ImageError {
    ImageError::damaged(Format::Avif, problem)
}
