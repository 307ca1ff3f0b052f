//! WebP through libwebp. The only calls across the C boundary are in the fenced type and function below.
#![allow(unsafe_code)]

use std::{ffi::c_int, mem::MaybeUninit};

use kivet_recipe::Format;
use libwebp_sys as sys;

use crate::{ImageError, Raster};

/// Of 0 (fastest) to 6 (smallest).
const LOSSY_METHOD: c_int = 2;

/// Of 0 (fastest) to 9 (smallest).
const LOSSLESS_LEVEL: c_int = 3;

/// Lossy at `setting`, 0 to 100; lossless without one.
pub(super) fn encode(raster: &Raster, setting: Option<f32>) -> Result<Vec<u8>, ImageError> {
    let config = config(setting)?;
    let mut picture = Picture::import(raster, setting.is_none())?;
    picture.encode(&config)
}

fn config(setting: Option<f32>) -> Result<sys::WebPConfig, ImageError> {
    let mut config = sys::WebPConfig::new().map_err(|()| failed("the library has another version"))?;
    match setting {
        Some(setting) => {
            config.quality = setting.clamp(0.0, 100.0);
            config.method = LOSSY_METHOD;
        }
        // SAFETY: the config is initialised; the library only writes its fields.
        None if unsafe { sys::WebPConfigLosslessPreset(&mut config, LOSSLESS_LEVEL) } == 0 => {
            return Err(failed("the lossless preset is refused"));
        }
        None => {}
    }
    Ok(config)
}

/// A picture in the library's own memory, freed on drop.
struct Picture(sys::WebPPicture);

impl Picture {
    fn import(raster: &Raster, lossless: bool) -> Result<Self, ImageError> {
        let mut picture = sys::WebPPicture::new().map_err(|()| failed("the library has another version"))?;
        picture.width = raster.size().width as c_int;
        picture.height = raster.size().height as c_int;
        picture.use_argb = c_int::from(lossless);
        let mut picture = Self(picture);
        let import = if raster.has_alpha() { sys::WebPPictureImportRGBA } else { sys::WebPPictureImportRGB };
        // SAFETY: the raster holds `stride * height` bytes of the layout the import function reads, and the picture's
        // size was set to the raster's; the library copies out of it.
        let done = unsafe { import(&mut picture.0, raster.bytes().as_ptr(), raster.stride() as c_int) };
        if done == 0 { Err(failed(format!("{:?}", picture.0.error_code))) } else { Ok(picture) }
    }

    fn encode(&mut self, config: &sys::WebPConfig) -> Result<Vec<u8>, ImageError> {
        let mut writer = MaybeUninit::<sys::WebPMemoryWriter>::uninit();
        // SAFETY: the writer is initialised by the library before use, outlives the encode call that holds its
        // address, and its `size` bytes at `mem` are copied before it is cleared.
        unsafe {
            sys::WebPMemoryWriterInit(writer.as_mut_ptr());
            self.0.writer = Some(sys::WebPMemoryWrite);
            self.0.custom_ptr = writer.as_mut_ptr().cast();
            let done = sys::WebPEncode(config, &mut self.0);
            let written = writer.assume_init_mut();
            let bytes = (done != 0).then(|| std::slice::from_raw_parts(written.mem, written.size).to_vec());
            sys::WebPMemoryWriterClear(written);
            bytes.ok_or_else(|| failed(format!("{:?}", self.0.error_code)))
        }
    }
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
