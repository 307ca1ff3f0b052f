//! AVIF of every depth and signalling, written by its own library. The only calls across the C
//! boundary are in the fenced function below.
#![allow(unsafe_code)]

use libavif_sys as avif;

use super::*;

/// How the colours of an AVIF are said and stored.
#[derive(Clone, Copy)]
struct Signalled<'a> {
    depth: u32,
    layout: avif::avifPixelFormat,
    range: avif::avifRange,
    primaries: u16,
    transfer: u16,
    icc: Option<&'a [u8]>,
}

/// The strip of patches at the best the encoder has.
fn avif(said: Signalled<'_>) -> Vec<u8> {
    let samples = strip(f64::from((1u32 << said.depth) - 1));
    let bytes: Vec<u8> = match said.depth {
        8 => samples.iter().map(|sample| *sample as u8).collect(),
        _ => samples.iter().copied().flat_map(u16::to_ne_bytes).collect(),
    };
    // SAFETY: every object is checked for null, used while it lives and freed once; the samples
    // outlive the conversion, which copies them, and are as many as the size, the depth and three
    // channels say.
    unsafe {
        let image = avif::avifImageCreate(STRIP.width, STRIP.height, said.depth, said.layout);
        let encoder = avif::avifEncoderCreate();
        assert!(!image.is_null() && !encoder.is_null());
        (*image).yuvRange = said.range;
        (*image).colorPrimaries = said.primaries;
        (*image).transferCharacteristics = said.transfer;
        (*image).matrixCoefficients = avif::AVIF_MATRIX_COEFFICIENTS_BT601 as _;
        if let Some(icc) = said.icc {
            assert!(
                avif::avifImageSetProfileICC(image, icc.as_ptr(), icc.len())
                    == avif::AVIF_RESULT_OK
            );
        }
        let mut rgb = avif::avifRGBImage::default();
        avif::avifRGBImageSetDefaults(&mut rgb, image);
        rgb.format = avif::AVIF_RGB_FORMAT_RGB;
        rgb.rowBytes = (bytes.len() / STRIP.height as usize) as u32;
        rgb.pixels = bytes.as_ptr().cast_mut();
        (*encoder).quality = 100;
        (*encoder).speed = 8;
        let mut output = avif::avifRWData { data: std::ptr::null_mut(), size: 0 };
        assert!(avif::avifImageRGBToYUV(image, &rgb) == avif::AVIF_RESULT_OK);
        assert!(avif::avifEncoderWrite(encoder, image, &mut output) == avif::AVIF_RESULT_OK);
        let file = std::slice::from_raw_parts(output.data, output.size).to_vec();
        avif::avifRWDataFree(&mut output);
        avif::avifEncoderDestroy(encoder);
        avif::avifImageDestroy(image);
        file
    }
}

#[test]
fn avif_says_its_colours_by_code_points_or_a_profile_at_three_depths() {
    let (full, limited) = (avif::AVIF_RANGE_FULL, avif::AVIF_RANGE_LIMITED);
    let plain = Signalled {
        depth: 8,
        layout: avif::AVIF_PIXEL_FORMAT_YUV444,
        range: full,
        primaries: 1,
        transfer: 13,
        icc: None,
    };
    let adobe = moxcms::ColorProfile::new_adobe_rgb().encode().expect("a profile");
    let luma = |patch: [f64; 3]| 0.299 * patch[0] + 0.587 * patch[1] + 0.114 * patch[2];
    for depth in [8, 10, 12] {
        let at = Signalled { depth, ..plain };
        let check = |said: Signalled<'_>, means: &dyn Fn([f64; 3]) -> [u8; 3], what: &str| {
            let file = avif(said);
            let facts =
                kivet_image::probe(&file, kivet_image::Limits::default()).expect("a picture");
            assert_eq!(u32::from(facts.depth), depth, "{what}");
            patches_are(&pixels(&file), means, &format!("AVIF of {depth} bits, {what}"));
        };
        check(at, &as_srgb, "sRGB");
        check(Signalled { range: limited, ..at }, &as_srgb, "limited range");
        check(
            Signalled { primaries: 12, ..at },
            &|patch| expected(patch, &P3, srgb_to_linear),
            "Display P3",
        );
        check(
            Signalled { primaries: 9, ..at },
            &|patch| expected(patch, &BT2020, srgb_to_linear),
            "BT.2020",
        );
        check(
            Signalled { transfer: 8, ..at },
            &|patch| expected(patch, &SRGB, |value| value),
            "linear",
        );
        let by_profile = Signalled { primaries: 2, transfer: 2, icc: Some(&adobe), ..at };
        check(by_profile, &|patch| expected(patch, &ADOBE, |value| value.powf(2.2)), "a profile");
        let halved = Signalled { layout: avif::AVIF_PIXEL_FORMAT_YUV420, ..at };
        check(halved, &as_srgb, "4:2:0 chroma");
        check(
            Signalled { range: limited, ..halved },
            &as_srgb,
            "4:2:0 chroma in the limited range",
        );
        let across = Signalled { layout: avif::AVIF_PIXEL_FORMAT_YUV422, ..at };
        check(across, &as_srgb, "colour at half the width");
        let gray = Signalled { layout: avif::AVIF_PIXEL_FORMAT_YUV400, ..at };
        check(gray, &|patch| as_srgb([luma(patch); 3]), "gray");
    }
}
