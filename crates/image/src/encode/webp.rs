//! WebP through libwebp. The only calls across the C boundary are in the fenced types and function
//! below.
#![allow(unsafe_code)]

use std::{ffi::c_int, mem::MaybeUninit};

use kivet_recipe::{Encoding, Format, Size};
use libwebp_sys as sys;

use super::{
    Writing,
    frame::TimedFrame,
    planes::{self, Plane},
};
use crate::{ImageError, Raster, Work, colour::Range, riff};

/// Of 0 (fastest) to 6 (smallest). What 6 saves beside 4, 3 to 5% of bytes at equal score in twice
/// the time, is too little for a second rendition to take the place of the first: it is taken at
/// once, and there is no better encoder.
const LOSSY_METHOD: c_int = 6;

/// With an alpha channel, whose own lossless coding 6 tries in every way: for seconds, to save a
/// twentieth.
const LOSSY_METHOD_WITH_ALPHA: c_int = 5;

/// For animated pictures with the fast preset: they have many frames.
const ANIMATED_METHOD: c_int = 2;

/// How little the smoothing of block edges touches what is sharp, 0 to 7: the most costs no time
/// and saves a few bytes.
const EDGES_KEPT: c_int = 7;

/// Of 0 (fastest) to 9 (smallest).
const LOSSLESS_LEVEL: c_int = 3;
const SLOW_LOSSLESS_LEVEL: c_int = 8;

/// Lossy at `setting`, 0 to 100; lossless without one.
pub(super) fn encode(
    raster: &Raster,
    setting: Option<f32>,
    writing: &Writing,
) -> Result<Vec<u8>, ImageError> {
    let method = if raster.has_alpha() { LOSSY_METHOD_WITH_ALPHA } else { LOSSY_METHOD };
    let config = config(setting, method, writing.is_best())?;
    let mut picture = Picture::import(raster, setting.is_none())?;
    let file = picture.encode(&config, &writing.work)?;
    Ok(with_chunks(file, raster, writing))
}

/// The file in its extended form where there is something to add (RFC 9649, section 2.7).
fn with_chunks(file: Vec<u8>, raster: &Raster, writing: &Writing) -> Vec<u8> {
    let icc = writing.icc();
    let (exif, xmp) = (writing.kept.exif.as_deref(), writing.kept.xmp.as_deref());
    if icc.is_none() && exif.is_none() && xmp.is_none() {
        return file;
    }
    const ICC: u8 = 0x20;
    const ALPHA: u8 = 0x10;
    const EXIF: u8 = 0x08;
    const XMP: u8 = 0x04;
    let flag = |there: bool, flag: u8| if there { flag } else { 0 };
    let flags = flag(icc.is_some(), ICC)
        | flag(raster.has_alpha(), ALPHA)
        | flag(exif.is_some(), EXIF)
        | flag(xmp.is_some(), XMP);
    let side = |length: u32| (length - 1).to_le_bytes();
    let (width, height) = (side(raster.size().width), side(raster.size().height));
    let head = [flags, 0, 0, 0, width[0], width[1], width[2], height[0], height[1], height[2]];
    let pixels = riff::chunks(&file).filter(|(name, _)| name != b"VP8X");
    let mut chunks: Vec<([u8; 4], &[u8])> = vec![(*b"VP8X", &head)];
    chunks.extend(icc.as_deref().map(|icc| (*b"ICCP", icc)));
    chunks.extend(pixels);
    chunks.extend(exif.map(|exif| (*b"EXIF", exif)));
    chunks.extend(xmp.map(|xmp| (*b"XMP ", xmp)));
    riff::file(*b"WEBP", &chunks)
}

/// An animated WebP. `loop_count` is how often it is shown, 0 for ever.
pub(super) fn encode_animated(
    size: Size,
    loop_count: u32,
    timed_frames: &mut dyn Iterator<Item = Result<TimedFrame, ImageError>>,
    writing: &Writing,
) -> Result<Vec<u8>, ImageError> {
    let setting = match writing.encoding {
        Encoding::Lossy { setting } => Some(setting.get()),
        _ => None,
    };
    let method = if writing.is_best() { LOSSY_METHOD_WITH_ALPHA } else { ANIMATED_METHOD };
    let config = config(setting, method, writing.is_best())?;
    let mut animation = Animation::new(size, loop_count, setting.is_some())?;
    let mut at_ms: c_int = 0;
    for timed_frame in timed_frames {
        let TimedFrame { raster, shown_ms } = timed_frame?;
        animation.add(&mut Picture::import(&raster, true)?, at_ms, &config)?;
        at_ms = at_ms.saturating_add(shown_ms.min(1 << 24) as c_int);
    }
    animation.finish(at_ms)
}

/// The library's encoder of animated pictures, freed on drop.
struct Animation(*mut sys::WebPAnimEncoder);

impl Animation {
    fn new(size: Size, loop_count: u32, mixed: bool) -> Result<Self, ImageError> {
        let version = sys::WEBP_MUX_ABI_VERSION as c_int;
        let mut options = MaybeUninit::<sys::WebPAnimEncoderOptions>::zeroed();
        // SAFETY: the options are plain integers, initialised by the library before they are
        // changed and read; the encoder is checked for null and owned by the returned value alone.
        unsafe {
            if sys::WebPAnimEncoderOptionsInitInternal(options.as_mut_ptr(), version) == 0 {
                return Err(failed("the library has another version"));
            }
            let options = options.assume_init_mut();
            options.anim_params.loop_count = loop_count.min(65_535) as c_int;
            // Clear, for viewers that heed it.
            options.anim_params.bgcolor = 0;
            // Each frame lossy or lossless, whichever is smaller: drawn pictures move too.
            options.allow_mixed = c_int::from(mixed);
            let encoder = sys::WebPAnimEncoderNewInternal(
                size.width as c_int,
                size.height as c_int,
                options,
                version,
            );
            if encoder.is_null() {
                Err(failed("no memory for an encoder"))
            } else {
                Ok(Self(encoder))
            }
        }
    }

    fn add(
        &mut self,
        picture: &mut Picture,
        at_ms: c_int,
        config: &sys::WebPConfig,
    ) -> Result<(), ImageError> {
        // SAFETY: encoder, picture and config are valid; the library copies what it keeps of the
        // picture.
        let done = unsafe { sys::WebPAnimEncoderAdd(self.0, &mut picture.0, at_ms, config) };
        if done == 0 { Err(self.failed()) } else { Ok(()) }
    }

    fn finish(self, end_ms: c_int) -> Result<Vec<u8>, ImageError> {
        let mut data = sys::WebPData { bytes: std::ptr::null(), size: 0 };
        // SAFETY: a null picture ends the last frame, as the library documents; on success it owns
        // `size` bytes at `bytes`, allocated by its own allocator, which are copied before they are
        // freed.
        unsafe {
            if sys::WebPAnimEncoderAdd(self.0, std::ptr::null_mut(), end_ms, std::ptr::null()) == 0
                || sys::WebPAnimEncoderAssemble(self.0, &mut data) == 0
            {
                return Err(self.failed());
            }
            let bytes = std::slice::from_raw_parts(data.bytes, data.size).to_vec();
            sys::WebPFree(data.bytes.cast_mut().cast());
            Ok(bytes)
        }
    }

    fn failed(&self) -> ImageError {
        // SAFETY: the library answers with a string that lives as long as the encoder.
        let said = unsafe { std::ffi::CStr::from_ptr(sys::WebPAnimEncoderGetError(self.0)) };
        failed(said.to_string_lossy())
    }
}

impl Drop for Animation {
    fn drop(&mut self) {
        // SAFETY: created by the library, owned by this value alone, freed once.
        unsafe { sys::WebPAnimEncoderDelete(self.0) }
    }
}

fn config(setting: Option<f32>, method: c_int, best: bool) -> Result<sys::WebPConfig, ImageError> {
    let mut config =
        sys::WebPConfig::new().map_err(|()| failed("the library has another version"))?;
    let level = if best { SLOW_LOSSLESS_LEVEL } else { LOSSLESS_LEVEL };
    match setting {
        Some(setting) => {
            config.quality = setting.clamp(0.0, 100.0);
            config.method = method;
            config.filter_sharpness = EDGES_KEPT;
        }
        // SAFETY: the config is initialised; the library only writes its fields.
        None if unsafe { sys::WebPConfigLosslessPreset(&mut config, level) } == 0 => {
            return Err(failed("the lossless preset is refused"));
        }
        None => {}
    }
    Ok(config)
}

/// A picture in the library's own memory, freed on drop.
struct Picture(sys::WebPPicture);

impl Picture {
    /// In full colour where `full`, else halved at once.
    fn import(raster: &Raster, full: bool) -> Result<Self, ImageError> {
        let mut picture =
            sys::WebPPicture::new().map_err(|()| failed("the library has another version"))?;
        picture.width = raster.size().width as c_int;
        picture.height = raster.size().height as c_int;
        picture.use_argb = c_int::from(full);
        let mut picture = Self(picture);
        if !full && !raster.has_alpha() {
            planes::split(raster, true, Range::LIMITED, picture.planes()?);
            return Ok(picture);
        }
        let import =
            if raster.has_alpha() { sys::WebPPictureImportRGBA } else { sys::WebPPictureImportRGB };
        // SAFETY: the raster holds `stride * height` bytes of the layout the import function reads,
        // and the picture's size was set to the raster's; the library copies out of it.
        let done =
            unsafe { import(&mut picture.0, raster.bytes().as_ptr(), raster.stride() as c_int) };
        if done == 0 { Err(failed(format!("{:?}", picture.0.error_code))) } else { Ok(picture) }
    }

    /// Planes to be filled, chroma at half the width and height.
    fn planes(&mut self) -> Result<[Plane<'_>; 3], ImageError> {
        // SAFETY: on success the library allocated each plane with so many rows, `stride` bytes
        // apart; they are distinct and live as long as the picture that is borrowed.
        unsafe {
            if sys::WebPPictureAlloc(&mut self.0) == 0 {
                return Err(failed(format!("{:?}", self.0.error_code)));
            }
            let plane = |start: *mut u8, rows: c_int, stride: c_int| Plane {
                bytes: std::slice::from_raw_parts_mut(start, rows as usize * stride as usize),
                stride: stride as usize,
            };
            let (picture, half) = (&self.0, (self.0.height + 1) / 2);
            Ok([
                plane(picture.y, picture.height, picture.y_stride),
                plane(picture.u, half, picture.uv_stride),
                plane(picture.v, half, picture.uv_stride),
            ])
        }
    }

    fn encode(&mut self, config: &sys::WebPConfig, work: &Work) -> Result<Vec<u8>, ImageError> {
        let mut writer = MaybeUninit::<sys::WebPMemoryWriter>::uninit();
        // SAFETY: the writer is initialised by the library before use, outlives the encode call
        // that holds its address, and its `size` bytes at `mem` are copied before it is cleared. The
        // hook is called during the encode call alone, which `work` outlives.
        unsafe {
            sys::WebPMemoryWriterInit(writer.as_mut_ptr());
            self.0.writer = Some(sys::WebPMemoryWrite);
            self.0.custom_ptr = writer.as_mut_ptr().cast();
            self.0.progress_hook = Some(goes_on);
            self.0.user_data = std::ptr::from_ref(work).cast_mut().cast();
            let done = sys::WebPEncode(config, &mut self.0);
            let written = writer.assume_init_mut();
            let bytes =
                (done != 0).then(|| std::slice::from_raw_parts(written.mem, written.size).to_vec());
            sys::WebPMemoryWriterClear(written);
            work.go_on()?;
            bytes.ok_or_else(|| failed(format!("{:?}", self.0.error_code)))
        }
    }
}

/// Asks between its steps whether the library is to go on.
unsafe extern "C" fn goes_on(_percent: c_int, picture: *const sys::WebPPicture) -> c_int {
    // SAFETY: called by the library with the picture that `Picture::encode` gave it, whose user data
    // is a `Work` that lives as long as that call.
    let work = unsafe { &*(*picture).user_data.cast::<Work>() };
    c_int::from(work.go_on().is_ok())
}

impl Drop for Picture {
    fn drop(&mut self) {
        // SAFETY: initialised by the library, owned by this value alone.
        unsafe { sys::WebPPictureFree(&mut self.0) }
    }
}

fn failed(problem: impl ToString) -> ImageError {
    ImageError::not_encoded(Format::Webp, problem)
}
