//! CMYK with a profile made here: a table whose corners hold known Lab colours.

use super::*;

/// Inks and the Lab colour (D50) the profile gives them: each ink alone, two together, none.
pub(super) const INKED: [([f64; 4], [f64; 3]); 6] = [
    ([0.0, 0.0, 0.0, 0.0], [96.0, 0.0, 2.0]),
    ([1.0, 0.0, 0.0, 0.0], [58.0, -12.0, -28.0]),
    ([0.0, 1.0, 0.0, 0.0], [50.0, 48.0, 4.0]),
    ([0.0, 0.0, 1.0, 0.0], [82.0, 2.0, 52.0]),
    ([1.0, 1.0, 0.0, 0.0], [34.0, 18.0, -34.0]),
    ([0.0, 0.0, 0.0, 1.0], [20.0, 1.0, -1.0]),
];

fn lab_at(corner: [f64; 4]) -> [f64; 3] {
    INKED.iter().find(|(inks, _)| *inks == corner).map_or([15.0, 0.0, 0.0], |(_, lab)| *lab)
}

/// An output profile of version 2 (ICC.1:2001-04, sections 6.1 and 6.5.9): CMYK to Lab through two
/// grid points an ink.
pub(super) fn profile() -> Vec<u8> {
    let s15 = |value: f64| ((value * 65_536.0).round() as i32).to_be_bytes();
    let mut table = [b"mft2".as_slice(), &[0; 4], &[4, 3, 2, 0]].concat();
    let unit = [1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0];
    table.extend(unit.into_iter().flat_map(s15));
    let mut words: Vec<u16> = vec![2, 2];
    words.extend([0, 65_535].repeat(4));
    for corner in 0..16u8 {
        // The first ink varies slowest.
        let inks = [3, 2, 1, 0].map(|bit| f64::from(corner >> bit & 1));
        let [l, a, b] = lab_at(inks);
        words.extend(
            [l * 652.8, (a + 128.0) * 256.0, (b + 128.0) * 256.0].map(|value| value.round() as u16),
        );
    }
    words.extend([0, 65_535].repeat(3));
    table.extend(words.into_iter().flat_map(u16::to_be_bytes));
    let white = [b"XYZ ".as_slice(), &[0; 4], &[0.9642, 1.0, 0.8249].map(s15).concat()].concat();
    icc(b"prtrCMYKLab ", &[(*b"A2B0", table), (*b"wtpt", white)])
}

/// A profile of version 2 of the class, device space and connection space that `kind` names.
pub(super) fn icc(kind: &[u8; 12], tags: &[([u8; 4], Vec<u8>)]) -> Vec<u8> {
    let s15 = |value: f64| ((value * 65_536.0).round() as i32).to_be_bytes();
    let mut body = (tags.len() as u32).to_be_bytes().to_vec();
    let mut at = 128 + 4 + 12 * tags.len();
    for (name, data) in tags {
        body.extend(name);
        body.extend((at as u32).to_be_bytes());
        body.extend((data.len() as u32).to_be_bytes());
        at += data.len();
    }
    tags.iter().for_each(|(_, data)| body.extend(data));
    let mut header = vec![0; 128];
    let mut put = |at: usize, bytes: &[u8]| header[at..at + bytes.len()].copy_from_slice(bytes);
    put(0, &(128 + body.len() as u32).to_be_bytes());
    put(8, &[2, 0x40, 0, 0]);
    put(12, kind);
    put(24, &[7, 0xEA, 0, 1, 0, 1, 0, 0, 0, 0, 0, 0]);
    put(36, b"acsp");
    put(68, &[0.9642, 1.0, 0.8249].map(s15).concat());
    [header, body].concat()
}

/// Lab under D50 as 8-bit sRGB (CSS Color 4, sections 9.3 and 11, Bradford adaptation to D65).
pub(super) fn srgb_of_lab([l, a, b]: [f64; 3]) -> [u8; 3] {
    let y = (l + 16.0) / 116.0;
    let back = |t: f64| if t > 6.0 / 29.0 { t.powi(3) } else { (116.0 * t - 16.0) / 903.296_3 };
    let d50 = [0.964_295_68 * back(y + a / 500.0), back(y), 0.825_104_6 * back(y - b / 200.0)];
    const TO_D65: Matrix = [
        [0.955_473_4, -0.023_098_5, 0.063_259_3],
        [-0.028_369_7, 1.009_995_6, 0.021_041_4],
        [0.012_314, -0.020_507_7, 1.330_366],
    ];
    let linear = times(&inverse(&SRGB), times(&TO_D65, d50));
    linear.map(|value| (linear_to_srgb(value.clamp(0.0, 1.0)) * 255.0).round() as u8)
}

#[test]
fn inks_are_shown_as_their_profile_says() {
    let line: Vec<u8> = INKED
        .iter()
        .flat_map(|(inks, _)| inks.map(|ink| ((1.0 - ink) * 255.0).round() as u8).repeat(16))
        .collect();
    for turned in [mozjpeg::ColorSpace::JCS_CMYK, mozjpeg::ColorSpace::JCS_YCCK] {
        let mut compress = mozjpeg::Compress::new(mozjpeg::ColorSpace::JCS_CMYK);
        compress.set_color_space(turned);
        compress.set_size(INKED.len() * 16, 16);
        compress.set_quality(100.0);
        let mut started = compress.start_compress(Vec::new()).expect("started");
        started.write_icc_profile(&profile());
        started.write_scanlines(&line.repeat(16)).expect("written");
        let file = started.finish().expect("finished");
        let drawn = pixels(&file);
        for (i, (inks, lab)) in INKED.into_iter().enumerate() {
            let at = 8 * drawn.stride() + (i * 16 + 8) * 3;
            let (got, expected) = (&drawn.bytes()[at..at + 3], srgb_of_lab(lab));
            let near = got.iter().zip(expected).all(|(got, expected)| got.abs_diff(expected) <= 2);
            assert!(near, "{inks:?}: {got:?}, expected {expected:?}");
        }
    }
}

/// Some programs cut Adobe's marker off after its name. Amounts of ink are still inverted, as all
/// programs store them.
#[test]
fn inks_behind_a_cut_off_marker_are_the_same() {
    let mut compress = mozjpeg::Compress::new(mozjpeg::ColorSpace::JCS_CMYK);
    compress.set_color_space(mozjpeg::ColorSpace::JCS_CMYK);
    compress.set_size(16, 16);
    compress.set_quality(100.0);
    let mut started = compress.start_compress(Vec::new()).expect("started");
    started.write_scanlines(&[255, 0, 0, 255].repeat(256)).expect("written");
    let whole = started.finish().expect("finished");
    let at = whole.windows(4).position(|four| four == [0xFF, 0xEE, 0, 14]).expect("a marker");
    let cut = [&whole[..at], b"\xFF\xEE\0\x08Adobe\0", &whole[at + 16..]].concat();
    assert_eq!(pixels(&cut), pixels(&whole));
    assert!(pixels(&whole).bytes()[0] > 200, "red, by two inks");
}
