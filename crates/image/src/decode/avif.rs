//! AVIF through libavif. The only calls across the C boundary are in the fenced type below.
#![allow(unsafe_code)]

use std::ffi::CStr;

use kivet_recipe::{Format, Gamut, Size};
use libavif_sys as sys;

use super::{
    Whole,
    frames::{Frame, Frames, Sample},
    yuv::{Plane, Planes},
};
use crate::{
    ImageError, Limits,
    colour::{Buffer, Layout, Range, Space},
};

/// Decodes an AVIF whole, its first frame if it moves: to 8 bits a channel, or 16 where it has more
/// than 8.
pub(super) fn open(bytes: &[u8], gamut: Gamut, limits: Limits) -> Result<Whole, ImageError> {
    let mut avif = Avif::parse(bytes)?;
    let size = avif.size();
    let deep = avif.depth() > 8;
    // The library's planes and ours.
    limits.check_whole(size, if deep { 12 } else { 6 })?;
    let space = avif.space();
    let layout = if avif.alpha() { Layout::Rgba } else { Layout::Rgb };
    let samples = avif.next_samples(deep)?;
    Ok(Whole::new(size, layout, samples, &space, gamut))
}

/// The frames of an AVIF sequence.
pub(super) fn frames(bytes: &[u8], limits: Limits) -> Result<Frames<'_>, ImageError> {
    let mut avif = Avif::parse(bytes)?;
    let size = avif.size();
    let deep = avif.depth() > 8;
    limits.check_whole(size, if deep { 24 } else { 12 })?;
    let layout = if avif.alpha() { Layout::Rgba } else { Layout::Rgb };
    let mut left = avif.frame_count();
    Ok(Frames::new(
        avif.loop_count(),
        avif.space(),
        Box::new(move || {
            left = left.checked_sub(1)?;
            Some(avif.next_samples(deep).map(|samples| Frame {
                size,
                layout,
                samples,
                shown_ms: avif.shown_ms(),
            }))
        }),
    ))
}

/// A parsed AVIF: its header is known, no pixel is decoded yet. Owns the library's decoder and
/// frees it on drop.
pub(crate) struct Avif<'a> {
    decoder: *mut sys::avifDecoder,
    /// The decoder reads from these bytes for as long as it lives.
    _bytes: std::marker::PhantomData<&'a [u8]>,
}

impl<'a> Avif<'a> {
    pub(crate) fn parse(bytes: &'a [u8]) -> Result<Self, ImageError> {
        // SAFETY: the decoder is checked for null before use and owned by the returned value alone;
        // the memory it is given outlives it by the lifetime on the type.
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

    /// Decodes the next frame: to 16 bits a channel where it is `deep`.
    fn next_samples(&mut self, deep: bool) -> Result<Buffer, ImageError> {
        self.decode_next()?;
        Ok(match self.planes().filter(|_| !deep) {
            Some(planes) => Buffer::Eight(planes.to_rgb()),
            None if deep => Buffer::Sixteen(self.pixels(16)?),
            None => Buffer::Eight(self.pixels(8)?),
        })
    }

    /// Pixels as stored, before rotation and mirroring.
    pub(crate) fn size(&self) -> Size {
        Size::new(self.image().width, self.image().height)
    }

    pub(crate) fn alpha(&self) -> bool {
        // SAFETY: `decoder` is not null and parsed, by construction.
        unsafe { (*self.decoder).alphaPresent != 0 }
    }

    pub(crate) fn animated(&self) -> bool {
        // SAFETY: as above.
        unsafe { (*self.decoder).imageCount > 1 }
    }

    /// Frames, at least one.
    fn frame_count(&self) -> u32 {
        // SAFETY: as above.
        unsafe { (*self.decoder).imageCount }.max(1) as u32
    }

    /// How often the frames are shown; 0 is for ever.
    fn loop_count(&self) -> u32 {
        // SAFETY: as above. Negative counts say "for ever" or "not said".
        u32::try_from(unsafe { (*self.decoder).repetitionCount })
            .map_or(0, |more| more.saturating_add(1))
    }

    /// How long the frame decoded last is shown.
    fn shown_ms(&self) -> u32 {
        // SAFETY: as above.
        (unsafe { (*self.decoder).imageTiming.duration } * 1000.0).round() as u32
    }

    /// Bits a channel.
    pub(crate) fn depth(&self) -> u8 {
        self.image().depth.min(16) as u8
    }

    /// What its colours mean: the profile, else the code points (ISO/IEC 23008-12, 6.5.5).
    pub(crate) fn space(&self) -> Space {
        match self.profile() {
            Some(icc) => Space::of_icc(Some(&icc)),
            None => {
                let image = self.image();
                Space::of_code_points(
                    image.colorPrimaries as u8,
                    image.transferCharacteristics as u8,
                )
            }
        }
    }

    /// Quarter turns anticlockwise, and the mirroring axis: 0 swaps top and bottom, 1 left and
    /// right (ISO/IEC 23008-12, 6.5.10 and 6.5.12).
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
        // SAFETY: the library owns `size` bytes at `data` for as long as the decoder lives; they
        // are copied here.
        Some(unsafe { std::slice::from_raw_parts(icc.data, icc.size) }.to_vec())
    }

    fn image(&self) -> &sys::avifImage {
        // SAFETY: after a successful parse the decoder's image is set, and lives as long as the
        // decoder.
        unsafe { &*(*self.decoder).image }
    }

    /// Decodes the next frame.
    fn decode_next(&mut self) -> Result<(), ImageError> {
        let expected = self.size();
        // SAFETY: the decoder was parsed.
        check(unsafe { sys::avifDecoderNextImage(self.decoder) })?;
        if self.size() == expected {
            Ok(())
        } else {
            Err(damaged("a frame differs in size from the header"))
        }
    }

    /// The decoded frame's planes, where they are opaque, of 8 bits and of a usual kind: the
    /// library converts them well, but slowly.
    fn planes(&self) -> Option<Planes<'_>> {
        let image = self.image();
        let halved = match image.yuvFormat {
            sys::AVIF_PIXEL_FORMAT_YUV444 => (false, false),
            sys::AVIF_PIXEL_FORMAT_YUV422 => (true, false),
            sys::AVIF_PIXEL_FORMAT_YUV420 => (true, true),
            _ => return None,
        };
        // Shares of red and blue in luma (ITU-T H.273, table 4); unsaid is BT.601, as browsers take
        // it.
        let shares = match u32::from(image.matrixCoefficients) {
            1 => (0.2126, 0.0722),
            2 | 5 | 6 => (0.299, 0.114),
            9 => (0.2627, 0.0593),
            _ => return None,
        };
        if image.depth != 8 || self.alpha() || image.yuvPlanes.iter().any(|plane| plane.is_null()) {
            return None;
        }
        let height = |index: usize| {
            if index > 0 && halved.1 { image.height.div_ceil(2) } else { image.height }
        };
        let plane = |index: usize| {
            let stride = image.yuvRowBytes[index] as usize;
            // SAFETY: after a frame is decoded the library owns a plane of as many rows of
            // `yuvRowBytes` bytes as its layout says, at least as long as the row is wide, until
            // the next frame is; this borrows the decoder.
            let bytes = unsafe {
                std::slice::from_raw_parts(image.yuvPlanes[index], stride * height(index) as usize)
            };
            Plane { bytes, stride }
        };
        let range =
            if image.yuvRange == sys::AVIF_RANGE_FULL { Range::FULL } else { Range::LIMITED };
        Some(Planes {
            size: self.size(),
            planes: [plane(0), plane(1), plane(2)],
            halved,
            range,
            shares,
        })
    }

    /// The decoded frame: three samples a pixel, four with alpha, each of `depth` bits, the width
    /// of `T`.
    fn pixels<T: Sample>(&mut self, depth: u32) -> Result<Vec<T>, ImageError> {
        let channels = if self.alpha() { 4 } else { 3 };
        // SAFETY: a frame was decoded; the buffer holds `channels * width * height` samples of the
        // depth asked for, of that very image.
        unsafe {
            let image = (*self.decoder).image;
            let mut rgb = sys::avifRGBImage::default();
            sys::avifRGBImageSetDefaults(&mut rgb, image);
            rgb.depth = depth;
            rgb.format =
                if channels == 4 { sys::AVIF_RGB_FORMAT_RGBA } else { sys::AVIF_RGB_FORMAT_RGB };
            rgb.rowBytes = rgb.width * channels * size_of::<T>() as u32;
            let mut pixels =
                vec![T::default(); (rgb.width * channels) as usize * rgb.height as usize];
            rgb.pixels = pixels.as_mut_ptr().cast();
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
