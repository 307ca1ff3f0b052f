//! JPEG XL through libjxl. The only calls across the C boundary are in the fenced type below.
#![allow(unsafe_code)]

use std::{ffi::c_int, mem::MaybeUninit};

use jxl_sys::{
    self as sys, JxlColorProfileTarget::JXL_COLOR_PROFILE_TARGET_DATA, JxlDataType,
    JxlDecoderStatus as Status, JxlEndianness::JXL_NATIVE_ENDIAN,
};
use kivet_recipe::{Facts, Format, Gamut, Size, Storage};

use super::Whole;
use crate::{
    ImageError, Limits,
    colour::{Buffer, Layout, Space},
};

/// The facts, from the header. The library turns pixels upright itself.
pub(crate) fn probe(bytes: &[u8]) -> Result<Facts, ImageError> {
    let mut decoder = Decoder::new(bytes)?;
    let info = decoder.info()?;
    let icc = decoder.icc()?;
    let size = Size::new(info.xsize, info.ysize);
    if size.pixels() == 0 {
        return Err(damaged("it has no size"));
    }
    Ok(Facts {
        alpha: info.alpha_bits > 0,
        profile: icc.as_deref().and_then(crate::probe::profile_name),
        depth: info.bits_per_sample.min(32) as u8,
        wide: Space::of_icc(icc.as_deref()).is_wide(),
        ..Facts::plain(Format::Jxl, size, Storage::Lossy)
    })
}

/// Decodes a JPEG XL whole, its first frame if it moves: to 8 bits a channel, or 16 where it has
/// more than 8.
pub(super) fn open(bytes: &[u8], gamut: Gamut, limits: Limits) -> Result<Whole, ImageError> {
    let mut decoder = Decoder::new(bytes)?;
    let info = decoder.info()?;
    let size = Size::new(info.xsize, info.ysize);
    // The library works in floats.
    limits.check_whole(size, 16)?;
    let space = Space::of_icc(decoder.icc()?.as_deref());
    let layout = match (info.num_color_channels, info.alpha_bits > 0) {
        (1, false) => Layout::Gray,
        (1, true) => Layout::GrayAlpha,
        (_, false) => Layout::Rgb,
        (_, true) => Layout::Rgba,
    };
    let length = size.pixels() as usize * layout.channels();
    let samples = if info.bits_per_sample > 8 {
        Buffer::Sixteen(decoder.pixels(JxlDataType::JXL_TYPE_UINT16, layout, vec![0u16; length])?)
    } else {
        Buffer::Eight(decoder.pixels(JxlDataType::JXL_TYPE_UINT8, layout, vec![0u8; length])?)
    };
    Ok(Whole::new(size, layout, samples, &space, gamut))
}

/// The library's decoder, freed on drop.
struct Decoder<'a> {
    decoder: *mut sys::JxlDecoder,
    /// The decoder reads from these bytes for as long as it lives.
    _bytes: std::marker::PhantomData<&'a [u8]>,
}

impl<'a> Decoder<'a> {
    fn new(bytes: &'a [u8]) -> Result<Self, ImageError> {
        // SAFETY: the decoder is checked for null and owned by the returned value alone; the bytes
        // it is given outlive it by the lifetime on the type.
        unsafe {
            let decoder = sys::JxlDecoderCreate(std::ptr::null());
            if decoder.is_null() {
                return Err(damaged("no memory for a decoder"));
            }
            let decoder = Self { decoder, _bytes: std::marker::PhantomData };
            let events = Status::JXL_DEC_BASIC_INFO as c_int
                | Status::JXL_DEC_COLOR_ENCODING as c_int
                | Status::JXL_DEC_FULL_IMAGE as c_int;
            done(sys::JxlDecoderSubscribeEvents(decoder.decoder, events))?;
            done(sys::JxlDecoderSetUnpremultiplyAlpha(decoder.decoder, 1))?;
            done(sys::JxlDecoderSetInput(decoder.decoder, bytes.as_ptr(), bytes.len()))?;
            sys::JxlDecoderCloseInput(decoder.decoder);
            Ok(decoder)
        }
    }

    fn until(&mut self, wanted: Status) -> Result<(), ImageError> {
        // SAFETY: the decoder is valid and its input set.
        let status = unsafe { sys::JxlDecoderProcessInput(self.decoder) };
        if status == wanted {
            Ok(())
        } else {
            Err(damaged(format!("the decoder stopped with {status:?}")))
        }
    }

    fn info(&mut self) -> Result<sys::JxlBasicInfo, ImageError> {
        self.until(Status::JXL_DEC_BASIC_INFO)?;
        let mut info = MaybeUninit::<sys::JxlBasicInfo>::uninit();
        // SAFETY: on success the library has filled the struct.
        unsafe {
            done(sys::JxlDecoderGetBasicInfo(self.decoder, info.as_mut_ptr()))?;
            Ok(info.assume_init())
        }
    }

    /// The profile of the pixels that will come out.
    fn icc(&mut self) -> Result<Option<Vec<u8>>, ImageError> {
        self.until(Status::JXL_DEC_COLOR_ENCODING)?;
        let mut length = 0;
        // SAFETY: the buffer is as long as the library says the profile is.
        unsafe {
            let target = JXL_COLOR_PROFILE_TARGET_DATA;
            if sys::JxlDecoderGetICCProfileSize(self.decoder, target, &mut length)
                != Status::JXL_DEC_SUCCESS
            {
                return Ok(None);
            }
            let mut icc = vec![0; length];
            done(sys::JxlDecoderGetColorAsICCProfile(
                self.decoder,
                target,
                icc.as_mut_ptr(),
                length,
            ))?;
            Ok(Some(icc))
        }
    }

    /// Decodes into `buffer`, which holds the whole picture in `layout`, one `T` a sample.
    fn pixels<T>(
        &mut self,
        data_type: JxlDataType,
        layout: Layout,
        mut buffer: Vec<T>,
    ) -> Result<Vec<T>, ImageError> {
        self.until(Status::JXL_DEC_NEED_IMAGE_OUT_BUFFER)?;
        let num_channels = layout.channels() as u32;
        let format = sys::JxlPixelFormat {
            num_channels,
            data_type,
            endianness: JXL_NATIVE_ENDIAN,
            align: 0,
        };
        let length = size_of_val(buffer.as_slice());
        let mut needed = 0;
        // SAFETY: the buffer is compared with what the library will write, and outlives the call
        // that writes it.
        unsafe {
            done(sys::JxlDecoderImageOutBufferSize(self.decoder, &format, &mut needed))?;
            if needed != length {
                return Err(damaged("its size differs from its header's"));
            }
            done(sys::JxlDecoderSetImageOutBuffer(
                self.decoder,
                &format,
                buffer.as_mut_ptr().cast(),
                length,
            ))?;
        }
        self.until(Status::JXL_DEC_FULL_IMAGE)?;
        Ok(buffer)
    }
}

impl Drop for Decoder<'_> {
    fn drop(&mut self) {
        // SAFETY: created by the library, owned by this value alone, freed once.
        unsafe { sys::JxlDecoderDestroy(self.decoder) }
    }
}

fn done(status: Status) -> Result<(), ImageError> {
    if status == Status::JXL_DEC_SUCCESS {
        Ok(())
    } else {
        Err(damaged(format!("the decoder refused: {status:?}")))
    }
}

fn damaged(problem: impl ToString) -> ImageError {
    ImageError::damaged(Format::Jxl, problem)
}
