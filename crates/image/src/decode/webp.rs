//! WebP stills through libwebp. The only calls across the C boundary are in the fenced functions below.
#![allow(unsafe_code)]

use kivet_recipe::{Format, Size};
use libwebp_sys::{VP8StatusCode, WebPBitstreamFeatures, WebPDecodeRGBAInto, WebPDecodeRGBInto, WebPGetFeatures};

use super::Whole;
use crate::ImageError;

/// Decodes a still WebP whole: the format has no reduced-size decoding that keeps our filter.
pub(super) fn open(bytes: &[u8], motion: bool) -> Result<Whole, ImageError> {
    if motion {
        return Err(ImageError::NotYetDrawn { sort: "moving WebP" });
    }
    let features = features(bytes)?;
    let size = Size::new(features.width as u32, features.height as u32);
    let alpha = features.has_alpha != 0;
    let channels = if alpha { 4 } else { 3 };
    let stride = size.width as usize * channels;
    let mut pixels = vec![0; stride * size.height as usize];
    let decode = if alpha { WebPDecodeRGBAInto } else { WebPDecodeRGBInto };
    // SAFETY: the buffer is `stride * height` bytes for exactly the size the header states, `stride` is the length of
    // one of its rows, and the library writes no further than the length it is given.
    let written = unsafe { decode(bytes.as_ptr(), bytes.len(), pixels.as_mut_ptr(), pixels.len(), stride as i32) };
    if written.is_null() {
        return Err(ImageError::damaged(Format::Webp, "its pixel data cannot be decoded"));
    }
    Ok(Whole::new(size, alpha, pixels, None))
}

/// What the header says: size, alpha, motion, lossy or lossless. No pixel is decoded.
pub(crate) fn features(bytes: &[u8]) -> Result<WebPBitstreamFeatures, ImageError> {
    let mut features = std::mem::MaybeUninit::<WebPBitstreamFeatures>::zeroed();
    // SAFETY: the pointer and length are of one slice, the struct is plain integers for which zero is valid, and the
    // library only reads the former and fills the latter.
    let (status, features) = unsafe {
        let status = WebPGetFeatures(bytes.as_ptr(), bytes.len(), features.as_mut_ptr());
        (status, features.assume_init())
    };
    match status {
        VP8StatusCode::VP8_STATUS_OK => Ok(features),
        other => Err(ImageError::damaged(Format::Webp, format!("its header is not valid ({other:?})"))),
    }
}
