//! WebP through libwebp, still and animated. The only calls across the C boundary are in the fenced
//! functions and type below.
#![allow(unsafe_code)]

use std::{ffi::c_int, mem::MaybeUninit};

use kivet_recipe::{Format, Gamut, Size};
use libwebp_sys as sys;
use sys::{
    VP8StatusCode, WebPBitstreamFeatures, WebPDecodeRGBAInto, WebPDecodeRGBInto, WebPGetFeatures,
};

use super::{
    Whole,
    frames::{Frame, Frames},
};
use crate::{
    ImageError, Limits,
    colour::{Buffer, Layout, Space},
    riff,
};

/// Decodes a still WebP whole: the format has no reduced-size decoding that keeps our filter.
pub(super) fn open(bytes: &[u8], gamut: Gamut, limits: Limits) -> Result<Whole, ImageError> {
    let features = features(bytes)?;
    let size = Size::new(features.width as u32, features.height as u32);
    // The library's own planes, and ours.
    limits.check_whole(size, 7)?;
    let alpha = features.has_alpha != 0;
    let layout = if alpha { Layout::Rgba } else { Layout::Rgb };
    let stride = size.width as usize * layout.channels();
    let mut pixels = vec![0; stride * size.height as usize];
    let decode = if alpha { WebPDecodeRGBAInto } else { WebPDecodeRGBInto };
    // SAFETY: the buffer is `stride * height` bytes for exactly the size the header states,
    // `stride` is the length of one of its rows, and the library writes no further than the length
    // it is given.
    let written = unsafe {
        decode(bytes.as_ptr(), bytes.len(), pixels.as_mut_ptr(), pixels.len(), stride as c_int)
    };
    if written.is_null() {
        return Err(damaged("its pixel data cannot be decoded"));
    }
    Ok(Whole::new(size, layout, Buffer::Eight(pixels), &space(bytes), gamut))
}

/// What its colours mean (RFC 9649, section 2.7.1.4).
fn space(bytes: &[u8]) -> Space {
    Space::of_icc(riff::chunk(bytes, *b"ICCP"))
}

/// What the header says: size, alpha, animated, lossy or lossless. No pixel is decoded.
pub(crate) fn features(bytes: &[u8]) -> Result<WebPBitstreamFeatures, ImageError> {
    let mut features = MaybeUninit::<WebPBitstreamFeatures>::zeroed();
    // SAFETY: the pointer and length are of one slice, the struct is plain integers for which zero
    // is valid, and the library only reads the former and fills the latter.
    let (status, features) = unsafe {
        let status = WebPGetFeatures(bytes.as_ptr(), bytes.len(), features.as_mut_ptr());
        (status, features.assume_init())
    };
    match status {
        VP8StatusCode::VP8_STATUS_OK => Ok(features),
        other => Err(damaged(format!("its header is not valid ({other:?})"))),
    }
}

/// The frames of an animated WebP.
pub(super) fn frames(bytes: &[u8]) -> Result<Frames<'_>, ImageError> {
    let mut animated = AnimationDecoder::open(bytes)?;
    let loop_count = animated.info.loop_count;
    Ok(Frames::new(loop_count, space(bytes), Box::new(move || animated.next_frame())))
}

/// The library's decoder of animated pictures, which composites; freed on drop.
struct AnimationDecoder<'a> {
    decoder: *mut sys::WebPAnimDecoder,
    info: sys::WebPAnimInfo,
    before_ms: c_int,
    /// The decoder reads from these bytes for as long as it lives.
    _bytes: std::marker::PhantomData<&'a [u8]>,
}

impl<'a> AnimationDecoder<'a> {
    fn open(bytes: &'a [u8]) -> Result<Self, ImageError> {
        // SAFETY: the options are initialised by the library before use; the decoder is checked for
        // null and owned by the returned value alone; the bytes it keeps a pointer to outlive it by
        // the lifetime on the type; the info is plain integers for which zero is valid.
        unsafe {
            let mut options = MaybeUninit::<sys::WebPAnimDecoderOptions>::zeroed();
            let version = sys::WEBP_DEMUX_ABI_VERSION as c_int;
            if sys::WebPAnimDecoderOptionsInitInternal(options.as_mut_ptr(), version) == 0 {
                return Err(damaged("the library has another version"));
            }
            let data = sys::WebPData { bytes: bytes.as_ptr(), size: bytes.len() };
            let decoder = sys::WebPAnimDecoderNewInternal(&data, options.as_ptr(), version);
            if decoder.is_null() {
                return Err(damaged("its frames cannot be found"));
            }
            let mut info = MaybeUninit::<sys::WebPAnimInfo>::zeroed();
            sys::WebPAnimDecoderGetInfo(decoder, info.as_mut_ptr());
            Ok(Self {
                decoder,
                info: info.assume_init(),
                before_ms: 0,
                _bytes: std::marker::PhantomData,
            })
        }
    }

    fn next_frame(&mut self) -> Option<Result<Frame, ImageError>> {
        let mut pixels: *mut u8 = std::ptr::null_mut();
        let mut until_ms: c_int = 0;
        let size = Size::new(self.info.canvas_width, self.info.canvas_height);
        // SAFETY: the decoder is valid; on success `pixels` points at the whole canvas, four bytes
        // a pixel, owned by the decoder until its next call and copied before that.
        let pixels = unsafe {
            if sys::WebPAnimDecoderHasMoreFrames(self.decoder) == 0 {
                return None;
            }
            if sys::WebPAnimDecoderGetNext(self.decoder, &mut pixels, &mut until_ms) == 0 {
                return Some(Err(damaged("a frame cannot be decoded")));
            }
            std::slice::from_raw_parts(pixels, size.pixels() as usize * 4).to_vec()
        };
        let shown_ms = until_ms.saturating_sub(self.before_ms).max(0) as u32;
        self.before_ms = until_ms;
        Some(Ok(Frame::rgba(size, pixels, shown_ms)))
    }
}

impl Drop for AnimationDecoder<'_> {
    fn drop(&mut self) {
        // SAFETY: created by the library, owned by this value alone, freed once.
        unsafe { sys::WebPAnimDecoderDelete(self.decoder) }
    }
}

fn damaged(problem: impl ToString) -> ImageError {
    ImageError::damaged(Format::Webp, problem)
}
