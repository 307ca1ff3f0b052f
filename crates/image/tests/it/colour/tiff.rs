//! TIFF's kinds of pixels, in files written here byte by byte.

use kivet_image::{Limits, probe};
use kivet_recipe::Format;

use super::inks;
use crate::pixels;

/// A value of a directory: tag, type, numbers.
type Value<'a> = (u16, u16, &'a [u32]);

const SHORT: u16 = 3;
const LONG: u16 = 4;
const BYTES: u16 = 7;

/// A little-endian file of one strip. Tags must rise.
fn tiff(width: u32, height: u32, values: &[Value<'_>], strip: &[u8]) -> Vec<u8> {
    let mut all: Vec<(u16, u16, Vec<u32>)> =
        vec![(256, LONG, vec![width]), (257, LONG, vec![height])];
    all.extend(values.iter().map(|(tag, kind, numbers)| (*tag, *kind, numbers.to_vec())));
    all.extend([
        (278, LONG, vec![height]),
        (279, LONG, vec![strip.len() as u32]),
        (273, LONG, vec![8]),
    ]);
    all.sort_by_key(|value| value.0);
    let mut out = b"II*\0\0\0\0\0".to_vec();
    out.extend(strip);
    out.extend(vec![0; strip.len() % 2]);
    let mut entries = Vec::new();
    for (tag, kind, numbers) in &all {
        let value: Vec<u8> = numbers
            .iter()
            .flat_map(|number| {
                let width = match *kind {
                    SHORT => 2,
                    LONG => 4,
                    _ => 1,
                };
                number.to_le_bytes().into_iter().take(width)
            })
            .collect();
        entries.extend(tag.to_le_bytes());
        entries.extend(kind.to_le_bytes());
        entries.extend((numbers.len() as u32).to_le_bytes());
        if value.len() <= 4 {
            entries.extend(value.iter().copied().chain([0; 4]).take(4));
        } else {
            entries.extend((out.len() as u32).to_le_bytes());
            out.extend(&value);
            out.extend(vec![0; value.len() % 2]);
        }
    }
    let directory = (out.len() as u32).to_le_bytes();
    out[4..8].copy_from_slice(&directory);
    out.extend((all.len() as u16).to_le_bytes());
    out.extend(entries);
    out.extend([0; 4]);
    out
}

/// The first pixels of a file, with their alpha where it has one.
#[track_caller]
fn shows(name: &str, file: &[u8], expected: &[&[u8]]) {
    let facts = probe(file, Limits::default()).expect(name);
    assert_eq!(facts.format, Format::Tiff);
    let drawn = pixels(file);
    for (i, expected) in expected.iter().enumerate() {
        let pixel = &drawn.bytes()[i * drawn.channels()..][..drawn.channels()];
        let near = pixel.len() == expected.len()
            && pixel.iter().zip(*expected).all(|(a, b)| a.abs_diff(*b) <= 2);
        assert!(near, "{name}: pixel {i} is {pixel:?}, not {expected:?}");
    }
}

#[test]
fn narrow_samples_and_palettes_are_read() {
    let gray =
        tiff(3, 1, &[(258, SHORT, &[4]), (259, SHORT, &[1]), (262, SHORT, &[1])], &[0x0F, 0x80]);
    shows("4-bit gray", &gray, &[&[0; 3], &[255; 3], &[136; 3]]);
    let white_first =
        tiff(3, 1, &[(258, SHORT, &[4]), (259, SHORT, &[1]), (262, SHORT, &[0])], &[0x0F, 0x80]);
    shows("white is 0", &white_first, &[&[255; 3], &[0; 3], &[119; 3]]);
    // Bits from the lowest on: black, white, black, black, white...
    let turned = tiff(
        5,
        1,
        &[(258, SHORT, &[1]), (259, SHORT, &[1]), (262, SHORT, &[1]), (266, SHORT, &[2])],
        &[0b0001_0010],
    );
    shows("bits turned round", &turned, &[&[0; 3], &[255; 3], &[0; 3], &[0; 3], &[255; 3]]);
    let mut colours = vec![0u32; 48];
    // Of index 2: 200, 100, 50 of 255, in the three planes of 16 entries.
    (colours[2], colours[18], colours[34]) = (200 * 257, 100 * 257, 50 * 257);
    let palette = tiff(
        2,
        1,
        &[(258, SHORT, &[4]), (259, SHORT, &[1]), (262, SHORT, &[3]), (320, SHORT, &colours)],
        &[0x20],
    );
    shows("a palette", &palette, &[&[200, 100, 50], &[0, 0, 0]]);
    colours.resize(768, 0);
    let mut colours = vec![0u32; 768];
    (colours[2], colours[258], colours[514]) = (200 * 257, 100 * 257, 50 * 257);
    let clear = tiff(
        2,
        1,
        &[
            (258, SHORT, &[8, 8]),
            (259, SHORT, &[1]),
            (262, SHORT, &[3]),
            (277, SHORT, &[2]),
            (320, SHORT, &colours),
            (338, SHORT, &[2]),
        ],
        &[2, 255, 2, 0],
    );
    shows("a palette with alpha", &clear, &[&[200, 100, 50, 255], &[0, 0, 0, 0]]);
}

#[test]
fn premultiplied_alpha_is_taken_as_such() {
    let file = |extra: u32| {
        tiff(
            1,
            1,
            &[
                (258, SHORT, &[8, 8, 8, 8]),
                (259, SHORT, &[1]),
                (262, SHORT, &[2]),
                (277, SHORT, &[4]),
                (338, SHORT, &[extra]),
            ],
            &[100, 50, 25, 128],
        )
    };
    shows("premultiplied", &file(1), &[&[199, 100, 50, 128]]);
    shows("straight", &file(2), &[&[100, 50, 25, 128]]);
}

#[test]
fn lab_luma_and_inks_are_shown_as_they_mean() {
    let three = |kind: u32, strip: &[u8]| {
        tiff(
            1,
            1,
            &[
                (258, SHORT, &[8, 8, 8]),
                (259, SHORT, &[1]),
                (262, SHORT, &[kind]),
                (277, SHORT, &[3]),
            ],
            strip,
        )
    };
    // L* 54, a* 81, b* 70 under D50 is sRGB's red.
    shows("CIE Lab", &three(8, &[138, 81, 70]), &[&[254, 0, 0]]);
    shows("ICC Lab", &three(9, &[138, 209, 198]), &[&[254, 0, 0]]);
    // ITU-R BT.601 in full range.
    let luma = tiff(
        1,
        1,
        &[
            (258, SHORT, &[8, 8, 8]),
            (259, SHORT, &[1]),
            (262, SHORT, &[6]),
            (277, SHORT, &[3]),
            (530, SHORT, &[1, 1]),
        ],
        &[120, 90, 180],
    );
    shows("luma and chroma", &luma, &[&[193, 96, 53]]);

    let red = [200u8, 60, 40];
    let mut compress = mozjpeg::Compress::new(mozjpeg::ColorSpace::JCS_RGB);
    compress.set_size(16, 16);
    compress.set_quality(98.0);
    let mut started = compress.start_compress(Vec::new()).expect("started");
    started.write_scanlines(&red.repeat(256)).expect("written");
    let jpeg = started.finish().expect("finished");
    let file = tiff(
        16,
        16,
        &[(258, SHORT, &[8, 8, 8]), (259, SHORT, &[7]), (262, SHORT, &[6]), (277, SHORT, &[3])],
        &jpeg,
    );
    shows("a JPEG within", &file, &[&red, &red]);

    let profile: Vec<u32> = inks::profile().into_iter().map(u32::from).collect();
    let (inked, lab) = inks::INKED[1];
    let strip = inked.map(|ink| (ink * 255.0).round() as u8);
    let file = tiff(
        1,
        1,
        &[
            (258, SHORT, &[8, 8, 8, 8]),
            (259, SHORT, &[1]),
            (262, SHORT, &[5]),
            (277, SHORT, &[4]),
            (34_675, BYTES, &profile),
        ],
        &strip,
    );
    shows("inks by their profile", &file, &[&inks::srgb_of_lab(lab)]);
}
