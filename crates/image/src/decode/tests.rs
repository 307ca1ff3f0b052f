//! Files as other programs write them, each with pixels known beforehand.

use kivet_recipe::{Encoding, Facts, Format, Orientation, Recipe, Size, Storage, plan_for};
use mozjpeg::{ColorSpace, Compress, Marker};
use png::{BitDepth, ColorType};

use crate::{Limits, Raster, draw, encode, probe, reduction_for};

/// The whole picture, drawn at its own size.
fn whole(bytes: &[u8]) -> Raster {
    let facts = probe(bytes, Limits::default()).expect("a picture");
    draw(bytes, &facts, &plan_for(&Recipe::default(), &facts), None).expect("drawn")
}

/// A PNG written with the given layout; `data` is its rows.
fn png_of(
    size: Size,
    colour: ColorType,
    depth: BitDepth,
    palette: Option<(&[u8], &[u8])>,
    data: &[u8],
) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, size.width, size.height);
    encoder.set_color(colour);
    encoder.set_depth(depth);
    if let Some((colours, alphas)) = palette {
        encoder.set_palette(colours);
        encoder.set_trns(alphas);
    }
    encoder.write_header().expect("a header").write_image_data(data).expect("pixels");
    bytes
}

#[test]
fn every_png_layout_gives_its_colours() {
    let two = Size::new(2, 1);
    let gray = png_of(two, ColorType::Grayscale, BitDepth::Eight, None, &[0, 200]);
    assert_eq!(whole(&gray).bytes(), [0, 0, 0, 200, 200, 200]);
    let bits = png_of(two, ColorType::Grayscale, BitDepth::One, None, &[0b0100_0000]);
    assert_eq!(whole(&bits).bytes(), [0, 0, 0, 255, 255, 255]);
    let gray_alpha =
        png_of(two, ColorType::GrayscaleAlpha, BitDepth::Eight, None, &[90, 255, 90, 128]);
    assert_eq!(whole(&gray_alpha).bytes(), [90, 90, 90, 255, 90, 90, 90, 128]);
    let deep = png_of(
        two,
        ColorType::Rgb,
        BitDepth::Sixteen,
        None,
        &[255, 255, 128, 128, 0, 0, 10, 10, 20, 20, 30, 30],
    );
    assert_eq!(whole(&deep).bytes(), [255, 128, 0, 10, 20, 30]);
    let palette: (&[u8], &[u8]) = (&[200, 30, 30, 30, 30, 200], &[255, 0]);
    let indexed = png_of(two, ColorType::Indexed, BitDepth::Eight, Some(palette), &[0, 1]);
    assert_eq!(whole(&indexed).bytes(), [200, 30, 30, 255, 0, 0, 0, 0]);
}

#[test]
fn gray_and_ink_jpegs_give_their_colours() {
    let jpeg = |space: ColorSpace, pixels: &[u8]| {
        let mut compress = Compress::new(space);
        compress.set_size(16, 16);
        compress.set_quality(95.0);
        let mut started = compress.start_compress(Vec::new()).expect("started");
        started.write_scanlines(pixels).expect("written");
        started.finish().expect("finished")
    };
    let gray = whole(&jpeg(ColorSpace::JCS_GRAYSCALE, &[140; 256]));
    assert!(gray.bytes().iter().all(|value| value.abs_diff(140) <= 1));
    // As programs write it: the light each ink leaves. Without a profile, light is multiplied.
    let inks = whole(&jpeg(ColorSpace::JCS_CMYK, &[204u8, 102, 51, 230].repeat(256)));
    for (got, expected) in inks.bytes().iter().zip([184u8, 92, 46].iter().cycle()) {
        assert!(got.abs_diff(*expected) <= 2, "{:?}", &inks.bytes()[..3]);
    }
}

#[test]
fn a_jpeg_cut_short_is_drawn_as_far_as_it_goes_and_flagged() {
    let bytes = (0..200u32 * 200).flat_map(|i| [(i % 200) as u8, (i / 200) as u8, 120]).collect();
    let raster = Raster::new(Size::new(200, 200), false, bytes).expect("pixels");
    let jpeg = encode(&raster, Format::Jpeg, Encoding::lossy(90.0)).expect("encoded");
    let mut baseline = Compress::new(ColorSpace::JCS_RGB);
    baseline.set_fastest_defaults();
    baseline.set_size(200, 200);
    let mut started = baseline.start_compress(Vec::new()).expect("started");
    started.write_scanlines(raster.bytes()).expect("written");
    let baseline = started.finish().expect("finished");
    for whole_file in [jpeg, baseline] {
        assert!(!probe(&whole_file, Limits::default()).expect("a picture").truncated);
        let cut = &whole_file[..whole_file.len() * 2 / 3];
        assert!(probe(cut, Limits::default()).expect("a picture").truncated);
        let drawn = whole(cut);
        let top = drawn.bytes()[..200 * 60 * 3]
            .iter()
            .zip(raster.bytes())
            .map(|(a, b)| u32::from(a.abs_diff(*b)));
        assert!(top.sum::<u32>() / (200 * 60 * 3) < 16, "the top is there");
    }
}

#[test]
fn a_turned_jpeg_with_a_profile_comes_out_upright_in_srgb() {
    // Left half Display P3 (200, 120, 60), right half white; EXIF orientation 6 turns it a quarter
    // clockwise.
    let pixels: Vec<u8> = (0..64 * 32)
        .flat_map(|i| if i % 64 < 32 { [200, 120, 60] } else { [255, 255, 255] })
        .collect();
    let mut compress = Compress::new(ColorSpace::JCS_RGB);
    compress.set_size(64, 32);
    compress.set_quality(98.0);
    let mut started = compress.start_compress(Vec::new()).expect("started");
    started.write_marker(
        Marker::APP(1),
        b"Exif\0\0MM\0\x2a\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0",
    );
    started.write_icc_profile(&moxcms::ColorProfile::new_display_p3().encode().expect("a profile"));
    started.write_scanlines(&pixels).expect("written");
    let bytes = started.finish().expect("finished");

    let facts = probe(&bytes, Limits::default()).expect("a picture");
    assert_eq!(
        (facts.size, facts.orientation),
        (Size::new(32, 64), Orientation::from_exif(6).expect("6"))
    );
    assert!(facts.profile.expect("a profile").contains("P3"));
    let upright = whole(&bytes);
    let at = |x: usize, y: usize| &upright.bytes()[(y * 32 + x) * 3..][..3];
    for (got, expected) in at(16, 8).iter().zip([213u8, 115, 42]) {
        assert!(got.abs_diff(expected) <= 3, "{:?}", at(16, 8));
    }
    assert!(at(16, 56).iter().all(|value| *value >= 252), "{:?}", at(16, 56));
}

#[test]
fn lossless_formats_return_every_pixel() {
    let noise = |i: u32| (i.wrapping_mul(2_654_435_761) >> 13) as u8;
    for alpha in [false, true] {
        let channels = if alpha { 4 } else { 3 };
        // Colours under full transparency may be forgotten, so there is none here.
        let byte = |i: u32| if alpha && i % 4 == 3 { noise(i) | 0x80 } else { noise(i) };
        let raster =
            Raster::new(Size::new(37, 23), alpha, (0..37 * 23 * channels).map(byte).collect())
                .expect("pixels");
        for format in crate::written([Format::Png, Format::Webp, Format::Jxl]) {
            let bytes = encode(&raster, format, Encoding::Lossless).expect("encoded");
            let back = whole(&bytes);
            let worst = raster.bytes().iter().zip(back.bytes()).map(|(a, b)| a.abs_diff(*b)).max();
            // Premultiplying and back may round once where alpha is low; opaque pixels are exact.
            assert!(worst <= Some(if alpha { 1 } else { 0 }), "{format} alpha {alpha}: {worst:?}");
        }
    }
}

#[test]
fn reduced_decoding_always_leaves_twice_as_many_pixels_on_each_side() {
    let camera = Facts {
        detail: Some(1.5),
        ..Facts::plain(Format::Jpeg, Size::new(6000, 4000), Storage::Lossy)
    };
    for (crop, drawn) in [
        ((4800.0, 3200.0), Size::new(640, 427)),
        ((6000.0, 100.0), Size::new(30, 90)),
        ((10.0, 10.0), Size::new(10, 10)),
    ] {
        let eighths = f64::from(reduction_for(&camera, crop, drawn));
        assert!((1.0..=8.0).contains(&eighths));
        let enough = crop.0 * eighths / 8.0 >= 2.0 * f64::from(drawn.width)
            && crop.1 * eighths / 8.0 >= 2.0 * f64::from(drawn.height);
        assert!(enough || eighths == 8.0, "{crop:?} {drawn}: {eighths}");
    }
}

/// A TIFF of one strip: each entry a tag and a number.
fn tiff_of(little: bool, entries: &[(u16, u32)], strip: &[u8]) -> Vec<u8> {
    let two = |value: u16| if little { value.to_le_bytes() } else { value.to_be_bytes() };
    let four = |value: u32| if little { value.to_le_bytes() } else { value.to_be_bytes() };
    let data = 8 + 2 + (entries.len() as u32 + 2) * 12 + 4;
    let strip_entries = [(273, data), (279, strip.len() as u32)];
    let mut entries: Vec<(u16, u32)> = entries.iter().copied().chain(strip_entries).collect();
    entries.sort_unstable();
    let mut bytes = if little { b"II".to_vec() } else { b"MM".to_vec() };
    bytes.extend([two(42).as_slice(), &four(8), &two(entries.len() as u16)].concat());
    for (tag, value) in entries {
        bytes.extend([two(tag).as_slice(), &two(4), &four(1), &four(value)].concat());
    }
    [bytes.as_slice(), &four(0), strip].concat()
}

#[test]
fn tiffs_of_ten_to_fourteen_bits_give_their_values() {
    const WIDTH: usize = 7;
    for (bits, samples, white, little) in [
        (12, 1, true, true),
        (12, 1, false, false),
        (10, 1, false, true),
        (14, 1, false, false),
        (12, 3, false, true),
    ] {
        let max = (1u32 << bits) - 1;
        let values: Vec<u32> =
            (0..WIDTH * samples).map(|at| at as u32 * max / (WIDTH * samples - 1) as u32).collect();
        // Each row begins at a whole byte.
        let packed: String = values.iter().map(|value| format!("{value:0bits$b}")).collect();
        let row: Vec<u8> = packed
            .as_bytes()
            .chunks(8)
            .map(|bits| bits.iter().enumerate().map(|(at, bit)| (bit - b'0') << (7 - at)).sum())
            .collect();
        let photometric = if samples == 3 { 2 } else { u32::from(!white) };
        let entries = [
            (256, WIDTH as u32),
            (257, 2),
            (258, bits as u32),
            (259, 1),
            (262, photometric),
            (277, samples as u32),
            (278, 2),
        ];
        let raster = whole(&tiff_of(little, &entries, &[row.clone(), row].concat()));
        assert_eq!(raster.size(), Size::new(WIDTH as u32, 2));
        let shown = |value: &u32| {
            let value = if white { max - value } else { *value };
            (f64::from(value) / f64::from(max) * 255.0).round() as i32
        };
        let wanted: Vec<i32> = match samples {
            1 => values.iter().flat_map(|value| [shown(value); 3]).collect(),
            _ => values.iter().map(shown).collect(),
        };
        let near = |(one, other): (&u8, &i32)| (i32::from(*one) - other).abs() <= 1;
        let row = raster.bytes().iter().zip(wanted.iter().cycle());
        assert!(row.clone().all(near), "{bits} bits, {samples} samples: {:?}", raster.bytes());
    }
}

#[test]
fn a_jpeg_whose_segment_is_cut_short_is_read() {
    let raster = Raster::filled(Size::new(40, 30), [200, 60, 20, 255], false);
    let jpeg = encode(&raster, Format::Jpeg, Encoding::lossy(90.0)).expect("a file");
    for content in [b"Adobe".as_slice(), b"Adobe\0d\0\0\0\0"] {
        for said in [14, content.len() as u8 + 2] {
            let cut = [&jpeg[..2], &[0xFF, 0xEE, 0, said], content, &jpeg[2..]].concat();
            assert_eq!(whole(&cut).bytes(), whole(&jpeg).bytes(), "{said} for {content:?}");
        }
    }
}
