//! JPEG XL at two depths and in several spaces, written by its own library. The only calls across
//! the C boundary are in the fenced function below.
#![allow(unsafe_code)]

use jxl_sys::{self as jxl, JxlEncoderStatus::JXL_ENC_SUCCESS, JxlPrimaries, JxlTransferFunction};

use super::*;

/// The strip without loss, `channels` of it, at 8 or 16 bits.
fn jxl(
    deep: bool,
    channels: u32,
    primaries: JxlPrimaries,
    transfer: JxlTransferFunction,
) -> Vec<u8> {
    let samples: Vec<u16> = strip(if deep { 65_535.0 } else { 255.0 });
    let samples: Vec<u16> =
        if channels == 1 { samples.into_iter().step_by(3).collect() } else { samples };
    let bytes: Vec<u8> = match deep {
        false => samples.iter().map(|sample| *sample as u8).collect(),
        true => samples.iter().copied().flat_map(u16::to_ne_bytes).collect(),
    };
    // SAFETY: the encoder is checked for null, owns its settings and is freed once; the structs are
    // filled by the library before they are changed; the samples are as many as the header says and
    // copied by the call; the buffer is as long as the library is told.
    unsafe {
        let encoder = jxl::JxlEncoderCreate(std::ptr::null());
        assert!(!encoder.is_null());
        let mut info = std::mem::MaybeUninit::<jxl::JxlBasicInfo>::uninit();
        jxl::JxlEncoderInitBasicInfo(info.as_mut_ptr());
        let info = info.assume_init_mut();
        (info.xsize, info.ysize, info.num_color_channels) = (STRIP.width, STRIP.height, channels);
        (info.bits_per_sample, info.uses_original_profile) = (if deep { 16 } else { 8 }, 1);
        assert_eq!(jxl::JxlEncoderSetBasicInfo(encoder, info), JXL_ENC_SUCCESS);
        let mut colour = std::mem::MaybeUninit::<jxl::JxlColorEncoding>::uninit();
        jxl::JxlColorEncodingSetToSRGB(colour.as_mut_ptr(), i32::from(channels == 1));
        let colour = colour.assume_init_mut();
        (colour.primaries, colour.transfer_function) = (primaries, transfer);
        assert_eq!(jxl::JxlEncoderSetColorEncoding(encoder, colour), JXL_ENC_SUCCESS);
        let settings = jxl::JxlEncoderFrameSettingsCreate(encoder, std::ptr::null());
        assert_eq!(jxl::JxlEncoderSetFrameLossless(settings, 1), JXL_ENC_SUCCESS);
        let format = jxl::JxlPixelFormat {
            num_channels: channels,
            data_type: if deep {
                jxl::JxlDataType::JXL_TYPE_UINT16
            } else {
                jxl::JxlDataType::JXL_TYPE_UINT8
            },
            endianness: jxl::JxlEndianness::JXL_NATIVE_ENDIAN,
            align: 0,
        };
        let added =
            jxl::JxlEncoderAddImageFrame(settings, &format, bytes.as_ptr().cast(), bytes.len());
        assert_eq!(added, JXL_ENC_SUCCESS);
        jxl::JxlEncoderCloseInput(encoder);
        let mut file = vec![0; 64 << 10];
        let (mut next, mut left) = (file.as_mut_ptr(), file.len());
        assert_eq!(jxl::JxlEncoderProcessOutput(encoder, &mut next, &mut left), JXL_ENC_SUCCESS);
        jxl::JxlEncoderDestroy(encoder);
        file.truncate(file.len() - left);
        file
    }
}

#[test]
fn jpeg_xl_says_its_colours_at_two_depths() {
    use JxlPrimaries::{JXL_PRIMARIES_2100, JXL_PRIMARIES_P3, JXL_PRIMARIES_SRGB};
    use JxlTransferFunction::{
        JXL_TRANSFER_FUNCTION_LINEAR as LINEAR, JXL_TRANSFER_FUNCTION_SRGB as CURVED,
    };
    for deep in [false, true] {
        let drawn = |primaries, transfer| pixels(&jxl(deep, 3, primaries, transfer));
        let what = |said| format!("JPEG XL, {said}, deep: {deep}");
        patches_are(&drawn(JXL_PRIMARIES_SRGB, CURVED), as_srgb, &what("sRGB"));
        let p3 = |patch| expected(patch, &P3, srgb_to_linear);
        patches_are(&drawn(JXL_PRIMARIES_P3, CURVED), p3, &what("Display P3"));
        let wide = |patch| expected(patch, &BT2020, srgb_to_linear);
        patches_are(&drawn(JXL_PRIMARIES_2100, CURVED), wide, &what("BT.2020"));
        let linear = |patch| expected(patch, &SRGB, |value| value);
        patches_are(&drawn(JXL_PRIMARIES_SRGB, LINEAR), linear, &what("linear"));
        let gray = |patch: [f64; 3]| as_srgb([patch[0]; 3]);
        patches_are(&pixels(&jxl(deep, 1, JXL_PRIMARIES_SRGB, CURVED)), gray, &what("gray"));
    }
}
