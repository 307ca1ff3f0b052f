//! JPEG XL through libjxl. The only calls across the C boundary are in the fenced type below.
#![allow(unsafe_code)]

use jxl_sys::{
    self as sys,
    JxlEncoderFrameSettingId::{JXL_ENC_FRAME_SETTING_EFFORT, JXL_ENC_FRAME_SETTING_RESAMPLING},
    JxlEncoderStatus as Status,
};
use kivet_recipe::{Format, Gamut};

use super::Writing;
use crate::{ImageError, Raster};

/// Of 1 (fastest) to 9 (smallest).
const EFFORT: i64 = 3;
/// From this setting on one step more takes a few percent fewer bytes at equal score in a tenth
/// more time; below, none fewer, and it cannot get as low.
const HIGH: (f32, i64) = (30.0, 4);
/// More effort takes half as long again and no fewer bytes at equal score.
const SLOW_EFFORT: i64 = 5;

/// At every setting the picture's own size: left alone, the library halves a picture at low
/// settings, which takes it four times as long, jumps, and never falls below a score of about 45.
const RESAMPLING: i64 = 1;

/// Lossy at `setting`, 0 to 100 on the scale of JPEG's; lossless without one.
pub(super) fn encode(
    raster: &Raster,
    setting: Option<f32>,
    writing: &Writing,
) -> Result<Vec<u8>, ImageError> {
    Encoder::new()?.encode(raster, setting, writing)
}

/// The library's encoder, freed on drop.
struct Encoder(*mut sys::JxlEncoder);

impl Encoder {
    fn new() -> Result<Self, ImageError> {
        // SAFETY: checked for null, owned by the returned value alone.
        let encoder = unsafe { sys::JxlEncoderCreate(std::ptr::null()) };
        if encoder.is_null() { Err(failed("no memory for an encoder")) } else { Ok(Self(encoder)) }
    }

    fn encode(
        self,
        raster: &Raster,
        setting: Option<f32>,
        writing: &Writing,
    ) -> Result<Vec<u8>, ImageError> {
        self.describe(raster, setting.is_none(), writing)?;
        self.add_boxes(writing)?;
        // SAFETY: the encoder is valid and owns the settings; the raster's bytes are as many as its
        // size and channels say, and are copied by the library.
        unsafe {
            let settings = sys::JxlEncoderFrameSettingsCreate(self.0, std::ptr::null());
            let effort = match (writing.is_best(), setting) {
                (true, _) => SLOW_EFFORT,
                (false, Some(setting)) if setting >= HIGH.0 => HIGH.1,
                (false, _) => EFFORT,
            };
            done(sys::JxlEncoderFrameSettingsSetOption(
                settings,
                JXL_ENC_FRAME_SETTING_EFFORT,
                effort,
            ))?;
            done(sys::JxlEncoderFrameSettingsSetOption(
                settings,
                JXL_ENC_FRAME_SETTING_RESAMPLING,
                RESAMPLING,
            ))?;
            match setting {
                None => done(sys::JxlEncoderSetFrameLossless(settings, 1))?,
                Some(setting) => {
                    let distance = sys::JxlEncoderDistanceFromQuality(setting.clamp(0.0, 99.9));
                    done(sys::JxlEncoderSetFrameDistance(settings, distance.clamp(0.01, 25.0)))?;
                }
            }
            let format = sys::JxlPixelFormat {
                num_channels: raster.channels() as u32,
                data_type: sys::JxlDataType::JXL_TYPE_UINT8,
                endianness: sys::JxlEndianness::JXL_NATIVE_ENDIAN,
                align: 0,
            };
            let bytes = raster.bytes();
            done(sys::JxlEncoderAddImageFrame(
                settings,
                &format,
                bytes.as_ptr().cast(),
                bytes.len(),
            ))?;
            sys::JxlEncoderCloseInput(self.0);
        }
        self.output()
    }

    /// Size, alpha and what the colours are.
    fn describe(
        &self,
        raster: &Raster,
        lossless: bool,
        writing: &Writing,
    ) -> Result<(), ImageError> {
        let mut info = std::mem::MaybeUninit::<sys::JxlBasicInfo>::uninit();
        let mut colour = std::mem::MaybeUninit::<sys::JxlColorEncoding>::uninit();
        // SAFETY: both structs are filled by the library before they are changed and read.
        unsafe {
            sys::JxlEncoderInitBasicInfo(info.as_mut_ptr());
            let info = info.assume_init_mut();
            (info.xsize, info.ysize) = (raster.size().width, raster.size().height);
            info.uses_original_profile = i32::from(lossless);
            if raster.has_alpha() {
                (info.num_extra_channels, info.alpha_bits) = (1, 8);
            }
            done(sys::JxlEncoderSetBasicInfo(self.0, info))?;
            sys::JxlColorEncodingSetToSRGB(colour.as_mut_ptr(), 0);
            let colour = colour.assume_init_mut();
            if writing.gamut == Gamut::DisplayP3 {
                colour.primaries = sys::JxlPrimaries::JXL_PRIMARIES_P3;
            }
            done(sys::JxlEncoderSetColorEncoding(self.0, colour))
        }
    }

    fn add_boxes(&self, writing: &Writing) -> Result<(), ImageError> {
        let kept = &writing.kept;
        if kept.exif.is_none() && kept.xmp.is_none() {
            return Ok(());
        }
        // Before the block stands where in it the data begins (ISO/IEC 18181-2, 9.4).
        let exif = kept.exif.as_ref().map(|exif| [&[0; 4], exif.as_slice()].concat());
        let boxes = [(c"Exif", exif.as_ref()), (c"xml ", kept.xmp.as_ref())];
        // SAFETY: the encoder is valid; names are four characters and a zero; contents are copied
        // by the library.
        unsafe {
            done(sys::JxlEncoderUseBoxes(self.0))?;
            for (name, content) in boxes {
                if let Some(content) = content {
                    done(sys::JxlEncoderAddBox(
                        self.0,
                        name.as_ptr(),
                        content.as_ptr(),
                        content.len(),
                        0,
                    ))?;
                }
            }
        }
        Ok(())
    }

    fn output(&self) -> Result<Vec<u8>, ImageError> {
        const STEP: usize = 64 << 10;
        let mut bytes = vec![0u8; STEP];
        let mut written = 0;
        loop {
            let mut left = bytes.len() - written;
            // SAFETY: `written` is within the buffer, of which `left` bytes follow; the library
            // moves the pointer on and counts `left` down by what it wrote.
            let status = unsafe {
                let mut next = bytes.as_mut_ptr().add(written);
                sys::JxlEncoderProcessOutput(self.0, &mut next, &mut left)
            };
            written = bytes.len() - left;
            match status {
                Status::JXL_ENC_SUCCESS => {
                    bytes.truncate(written);
                    return Ok(bytes);
                }
                Status::JXL_ENC_NEED_MORE_OUTPUT => bytes.resize(bytes.len() * 2, 0),
                other => return Err(failed(format!("{other:?}"))),
            }
        }
    }
}

impl Drop for Encoder {
    fn drop(&mut self) {
        // SAFETY: created by the library, owned by this value alone, freed once.
        unsafe { sys::JxlEncoderDestroy(self.0) }
    }
}

fn done(status: Status) -> Result<(), ImageError> {
    if status == Status::JXL_ENC_SUCCESS { Ok(()) } else { Err(failed(format!("{status:?}"))) }
}

fn failed(problem: impl ToString) -> ImageError {
    ImageError::not_encoded(Format::Jxl, problem)
}
