//! Known colours in every way a file can say what its numbers mean; each must come out within 2 of
//! 255.
//!
//! Expected values are computed here from the definitions (CSS Color 4, section 17; IEC 61966-2-1),
//! not by the engine.

mod avif;
mod inks;
#[cfg(feature = "jxl")]
mod jxl;
mod tiff;

use kivet_image::{Raster, encode};
use kivet_recipe::{Encoding, Format, Gamut, Policy, Size};
use png::{BitDepth, ColorType};

use crate::{pixels, rendered, rendered_by};

type Matrix = [[f64; 3]; 3];

/// Linear light of each space to XYZ under D65 (CSS Color 4, section 17.1, rounded there to as many
/// digits).
const SRGB: Matrix = [
    [0.412_390_8, 0.357_584_3, 0.180_480_8],
    [0.212_639, 0.715_168_7, 0.072_192_3],
    [0.019_330_8, 0.119_194_8, 0.950_532_1],
];
const P3: Matrix = [
    [0.486_570_9, 0.265_667_7, 0.198_217_3],
    [0.228_974_6, 0.691_738_5, 0.079_286_9],
    [0.0, 0.045_113_4, 1.043_944_4],
];
const BT2020: Matrix = [
    [0.636_958, 0.144_616_9, 0.168_881],
    [0.262_700_2, 0.677_998_1, 0.059_301_7],
    [0.0, 0.028_072_7, 1.060_985_1],
];
const ADOBE: Matrix = [
    [0.576_669, 0.185_558_2, 0.188_228_6],
    [0.297_344_9, 0.627_363_6, 0.075_291_5],
    [0.027_031_4, 0.070_688_9, 0.991_337_5],
];

/// Patches inside every gamut tested.
const PATCHES: [[f64; 3]; 6] = [
    [0.0, 0.0, 0.0],
    [1.0, 1.0, 1.0],
    [0.5, 0.5, 0.5],
    [0.62, 0.45, 0.36],
    [0.35, 0.52, 0.44],
    [0.42, 0.40, 0.60],
];

fn srgb_to_linear(value: f64) -> f64 {
    if value <= 0.040_45 { value / 12.92 } else { ((value + 0.055) / 1.055).powf(2.4) }
}

fn linear_to_srgb(value: f64) -> f64 {
    if value <= 0.003_130_8 { value * 12.92 } else { 1.055 * value.powf(1.0 / 2.4) - 0.055 }
}

fn times(matrix: &Matrix, vector: [f64; 3]) -> [f64; 3] {
    matrix.map(|row| row.iter().zip(vector).map(|(a, b)| a * b).sum())
}

fn inverse(m: &Matrix) -> Matrix {
    let minor = |r: usize, c: usize| {
        let at = |i: usize, j: usize| m[(r + i) % 3][(c + j) % 3];
        at(1, 1) * at(2, 2) - at(1, 2) * at(2, 1)
    };
    let determinant: f64 = (0..3).map(|c| m[0][c] * minor(0, c)).sum();
    std::array::from_fn(|r| std::array::from_fn(|c| minor(c, r) / determinant))
}

/// A patch of another space as 8-bit sRGB.
fn expected(patch: [f64; 3], space: &Matrix, to_linear: impl Fn(f64) -> f64) -> [u8; 3] {
    let linear = times(&inverse(&SRGB), times(space, patch.map(to_linear)));
    linear.map(|value| (linear_to_srgb(value.clamp(0.0, 1.0)) * 255.0).round() as u8)
}

/// A patch of sRGB as 8-bit sRGB.
fn as_srgb(patch: [f64; 3]) -> [u8; 3] {
    patch.map(|value| (value * 255.0).round() as u8)
}

/// Six patches side by side, eight pixels each, as samples of `most` from `value`.
fn strip(max: f64) -> Vec<u16> {
    let line: Vec<u16> = PATCHES
        .iter()
        .flat_map(|patch| patch.map(|value| (value * max).round() as u16).repeat(8))
        .collect();
    line.repeat(8)
}

const STRIP: Size = Size::new(48, 8);

#[track_caller]
fn patches_are(drawn: &Raster, expected: impl Fn([f64; 3]) -> [u8; 3], what: &str) {
    for (i, patch) in PATCHES.into_iter().enumerate() {
        let at = (4 * 48 + i * 8 + 4) * drawn.channels();
        let got = &drawn.bytes()[at..at + 3];
        let near =
            got.iter().zip(expected(patch)).all(|(got, expected)| got.abs_diff(expected) <= 2);
        assert!(near, "{what}, patch {i}: {got:?}, expected {:?}", expected(patch));
    }
}

fn png(depth: BitDepth, add: impl FnOnce(&mut png::Writer<&mut Vec<u8>>)) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, STRIP.width, STRIP.height);
    encoder.set_color(ColorType::Rgb);
    encoder.set_depth(depth);
    let mut writer = encoder.write_header().expect("a header");
    add(&mut writer);
    let data: Vec<u8> = match depth {
        BitDepth::Sixteen => strip(65_535.0).into_iter().flat_map(u16::to_be_bytes).collect(),
        _ => strip(255.0).into_iter().map(|value| value as u8).collect(),
    };
    writer.write_image_data(&data).expect("pixels");
    writer.finish().expect("finished");
    bytes
}

fn chunk(name: [u8; 4], data: Vec<u8>) -> impl FnOnce(&mut png::Writer<&mut Vec<u8>>) {
    move |writer| writer.write_chunk(png::chunk::ChunkType(name), &data).expect("a chunk")
}

#[test]
fn png_says_what_its_colours_mean_in_four_ways_at_two_depths() {
    let gamma = |exponent: f64| ((exponent * 100_000.0).round() as u32).to_be_bytes().to_vec();
    let points: Vec<u8> = [0.3127, 0.329, 0.64, 0.33, 0.21, 0.71, 0.15, 0.06]
        .iter()
        .flat_map(|value: &f64| ((value * 100_000.0).round() as u32).to_be_bytes())
        .collect();
    for depth in [BitDepth::Eight, BitDepth::Sixteen] {
        patches_are(&pixels(&png(depth, |_| {})), as_srgb, "nothing said");
        patches_are(&pixels(&png(depth, chunk(*b"sRGB", vec![0]))), as_srgb, "sRGB");
        let p3 = |patch| expected(patch, &P3, srgb_to_linear);
        patches_are(
            &pixels(&png(depth, chunk(*b"cICP", vec![12, 13, 0, 1]))),
            p3,
            "cICP Display P3",
        );
        let wide = |patch| expected(patch, &BT2020, srgb_to_linear);
        patches_are(&pixels(&png(depth, chunk(*b"cICP", vec![9, 13, 0, 1]))), wide, "cICP BT.2020");
        let plain = |patch| expected(patch, &SRGB, |value| value.powf(1.8));
        patches_are(&pixels(&png(depth, chunk(*b"gAMA", gamma(1.0 / 1.8)))), plain, "gAMA 1.8");
        let linear = |patch| expected(patch, &SRGB, |value| value);
        patches_are(&pixels(&png(depth, chunk(*b"gAMA", gamma(1.0)))), linear, "gAMA linear");
        let adobe = |patch| expected(patch, &ADOBE, |value| value.powf(2.2));
        let both = |writer: &mut png::Writer<&mut Vec<u8>>| {
            chunk(*b"gAMA", gamma(1.0 / 2.2 + 0.01))(writer);
            chunk(*b"cHRM", points.clone())(writer);
        };
        let near_adobe =
            |patch| expected(patch, &ADOBE, |value| value.powf(1.0 / (1.0 / 2.2 + 0.01)));
        patches_are(&pixels(&png(depth, both)), near_adobe, "gAMA and cHRM");
        let icc = moxcms::ColorProfile::new_adobe_rgb().encode().expect("a profile");
        let packed = {
            use std::io::Write;
            let mut packer =
                flate2::write::ZlibEncoder::new(b"a\0\0".to_vec(), flate2::Compression::fast());
            packer.write_all(&icc).expect("packed");
            packer.finish().expect("packed")
        };
        patches_are(&pixels(&png(depth, chunk(*b"iCCP", packed))), adobe, "an Adobe RGB profile");
    }
}

#[test]
fn sixteen_bits_are_not_quantised_before_resampling() {
    // Two deep values between which no 8-bit one lies, averaged by reduction: half way, not either.
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, 640, 64);
    encoder.set_color(ColorType::Grayscale);
    encoder.set_depth(BitDepth::Sixteen);
    // A ramp from 100.0 to 101.0 of 255: 8 bits would give one hard step in the middle.
    let row: Vec<u8> = (0..640)
        .flat_map(|x| {
            ((100.0 + f64::from(x) / 640.0) * 257.0)
                .round()
                .to_string()
                .parse::<u16>()
                .expect("a sample")
                .to_be_bytes()
        })
        .collect();
    encoder.write_header().expect("a header").write_image_data(&row.repeat(64)).expect("pixels");
    let small = rendered(&bytes, "64w_as-png_contrast-1000");
    let drawn = pixels(&small.bytes);
    assert!(drawn.size() == Size::new(64, 6));
    let facts = kivet_image::probe(&bytes, kivet_image::Limits::default()).expect("a picture");
    assert_eq!(facts.depth, 16);
}

#[test]
fn a_profile_in_a_jpeg_is_honoured_and_bitmaps_without_one_are_srgb() {
    let rgb: Vec<u8> = strip(255.0).into_iter().map(|value| value as u8).collect();
    let p3 = moxcms::ColorProfile::new_display_p3().encode().expect("a profile");
    let as_p3 = |patch| expected(patch, &P3, srgb_to_linear);
    let mut compress = mozjpeg::Compress::new(mozjpeg::ColorSpace::JCS_RGB);
    compress.set_size(48, 8);
    compress.set_quality(100.0);
    compress.set_chroma_sampling_pixel_sizes((1, 1), (1, 1));
    let mut started = compress.start_compress(Vec::new()).expect("started");
    started.write_icc_profile(&p3);
    started.write_scanlines(&rgb).expect("written");
    let jpeg = started.finish().expect("finished");
    patches_are(&pixels(&jpeg), as_p3, "a JPEG in Display P3");

    let mut tiff = std::io::Cursor::new(Vec::new());
    let encoder = image::codecs::tiff::TiffEncoder::new(&mut tiff);
    image::ImageEncoder::write_image(encoder, &rgb, 48, 8, image::ExtendedColorType::Rgb8)
        .expect("written");
    patches_are(&pixels(tiff.get_ref()), as_srgb, "a TIFF");
    let mut bmp = Vec::new();
    image::ImageEncoder::write_image(
        image::codecs::bmp::BmpEncoder::new(&mut bmp),
        &rgb,
        48,
        8,
        image::ExtendedColorType::Rgb8,
    )
    .expect("written");
    patches_are(&pixels(&bmp), as_srgb, "a BMP");
    let deep: Vec<u8> = strip(65_535.0).into_iter().flat_map(u16::to_ne_bytes).collect();
    let mut tiff = std::io::Cursor::new(Vec::new());
    let encoder = image::codecs::tiff::TiffEncoder::new(&mut tiff);
    image::ImageEncoder::write_image(encoder, &deep, 48, 8, image::ExtendedColorType::Rgb16)
        .expect("written");
    patches_are(&pixels(tiff.get_ref()), as_srgb, "a TIFF of 16 bits");
}

#[test]
fn a_wide_gamut_is_kept_by_policy_and_said_in_every_format() {
    // Display P3's own red: outside sRGB.
    let red = png_of([255, 0, 0]);
    let wide = Policy { gamut: Gamut::DisplayP3, ..Policy::default() };
    for format in
        ["png", "jpeg", "webp", "avif"].into_iter().chain(cfg!(feature = "jxl").then_some("jxl"))
    {
        let recipe = format!("as-{format}_fidelity-90");
        let kept = rendered_by(&red, &recipe, &wide);
        let facts =
            kivet_image::probe(&kept.bytes, kivet_image::Limits::default()).expect("a picture");
        assert!(facts.wide, "{format} says that it is wide");
        let back = rendered_by(&kept.bytes, "as-png", &wide);
        let plain = stored_samples(&back.bytes);
        assert!(plain[0] >= 250 && plain[1] <= 24 && plain[2] <= 24, "{format}: {:?}", &plain[..3]);
        let narrow = rendered(&red, &recipe);
        let facts =
            kivet_image::probe(&narrow.bytes, kivet_image::Limits::default()).expect("a picture");
        assert!(!facts.wide, "{format} is in sRGB by default");
    }
}

/// A plain PNG in Display P3.
fn png_of(colour: [u8; 3]) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, 32, 32);
    encoder.set_color(ColorType::Rgb);
    encoder.set_depth(BitDepth::Eight);
    let mut writer = encoder.write_header().expect("a header");
    chunk(*b"cICP", vec![12, 13, 0, 1])(&mut writer);
    writer.write_image_data(&colour.repeat(32 * 32)).expect("pixels");
    writer.finish().expect("finished");
    bytes
}

/// The samples of a PNG as they stand in it, whatever they mean.
fn stored_samples(file: &[u8]) -> Vec<u8> {
    let mut decoder = png::Decoder::new(std::io::Cursor::new(file));
    decoder.set_transformations(png::Transformations::EXPAND);
    let mut reader = decoder.read_info().expect("a PNG");
    let mut samples = vec![0; reader.output_buffer_size().expect("a size")];
    reader.next_frame(&mut samples).expect("pixels");
    samples
}

/// Half-size colour alone darkens and brightens what lies beside an edge between strong colours.
#[test]
fn strong_colours_keep_their_light_where_colour_is_stored_at_half_size() {
    let (size, colours) = (Size::new(96, 64), [[225, 40, 35], [20, 120, 240]]);
    let stripes = (0..size.pixels() as usize)
        .flat_map(|at| colours[(at % 96 / 3 + at / 96 / 5) % 2])
        .collect();
    let raster = Raster::new(size, false, stripes).expect("a raster");
    let light = |pixel: &[u8]| {
        times(&SRGB, [0, 1, 2].map(|at| srgb_to_linear(f64::from(pixel[at]) / 255.0)))[1]
    };
    for (format, setting) in [(Format::Webp, 96.0), (Format::Avif, 95.0)] {
        let file = encode(&raster, format, Encoding::lossy(setting)).expect("a file");
        let shown = pixels(&file);
        let off = |(one, other): (&[u8], &[u8])| (light(one) - light(other)).abs();
        let pairs = raster.bytes().chunks(3).zip(shown.bytes().chunks(shown.channels()));
        let mean = pairs.map(off).sum::<f64>() / size.pixels() as f64;
        println!("{format}: {mean:.4} off");
        assert!(mean < 0.013, "{format}: {mean:.4} of full light off");
    }
}

/// A gray profile whose connection space is Lab: the curve's values are lightness, not light.
#[test]
fn gray_by_lightness_is_not_taken_for_light() {
    let straight = [b"curv".as_slice(), &[0; 8]].concat();
    let profile = inks::icc(b"mntrGRAYLab ", &[(*b"kTRC", straight)]);
    let mut file = Vec::new();
    let mut info = png::Info::with_size(2, 1);
    info.color_type = ColorType::Grayscale;
    info.bit_depth = BitDepth::Eight;
    info.icc_profile = Some(profile.into());
    let encoder = png::Encoder::with_info(&mut file, info).expect("an encoder");
    let mut writer = encoder.write_header().expect("a header");
    writer.write_image_data(&[51, 128]).expect("pixels");
    writer.finish().expect("finished");
    let drawn = pixels(&file);
    for (i, lightness) in [20.0, 50.2].into_iter().enumerate() {
        let expected = inks::srgb_of_lab([lightness, 0.0, 0.0]);
        let found = &drawn.bytes()[i * 3..][..3];
        let near = found.iter().zip(expected).all(|(a, b)| a.abs_diff(b) <= 2);
        assert!(near, "{found:?}, not {expected:?}");
    }
}
