use kivet_recipe::{Encoding, Format, Orientation, Size, Storage};

use crate::{ImageError, Limits, Raster, encode, probe};

fn encoded(format: Format, encoding: Encoding, alpha: bool) -> Vec<u8> {
    let raster = Raster::filled(Size::new(40, 30), [200, 90, 30, 128], alpha);
    encode(&raster, format, encoding).expect("a plain raster encodes")
}

#[test]
fn every_format_we_write_is_read_back_for_what_it_is() {
    let lossy = Encoding::lossy(60.0);
    let cases = [
        (Format::Jpeg, lossy, false),
        (Format::Webp, lossy, false),
        (Format::Webp, lossy, true),
        (Format::Webp, Encoding::Lossless, true),
        (Format::Avif, lossy, false),
        (Format::Avif, lossy, true),
        (Format::Jxl, lossy, false),
        (Format::Jxl, lossy, true),
        (Format::Jxl, Encoding::Lossless, true),
        (Format::Png, Encoding::Lossless, false),
        (Format::Png, Encoding::Lossless, true),
    ];
    for (format, encoding, alpha) in cases {
        if !crate::JXL && format == Format::Jxl {
            continue;
        }
        let facts = probe(&encoded(format, encoding, alpha), Limits::default())
            .expect("our own files are readable");
        assert_eq!(
            (facts.format, facts.size, facts.alpha),
            (format, Size::new(40, 30), alpha),
            "{format} {encoding}"
        );
        assert!(!facts.animated && facts.orientation == Orientation::default());
    }
}

#[test]
fn a_jpeg_orientation_swaps_the_sides() {
    let plain = encoded(Format::Jpeg, Encoding::lossy(60.0), false);
    let mut tiff =
        b"Exif\0\0MM\0\x2a\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0".to_vec();
    let mut turned = plain[..2].to_vec();
    turned.extend([0xFF, 0xE1, 0, tiff.len() as u8 + 2]);
    turned.append(&mut tiff);
    turned.extend(&plain[2..]);
    let facts = probe(&turned, Limits::default()).expect("readable");
    assert_eq!(facts.orientation, Orientation::from_exif(6).expect("6"));
    assert_eq!(facts.size, Size::new(30, 40));
}

#[test]
fn a_vector_is_measured_by_its_root_element() {
    let size = |text: &str| probe(text.as_bytes(), Limits::default()).expect(text).size;
    assert_eq!(
        size(r#"<svg xmlns="http://www.w3.org/2000/svg" width="120px" height="80"/>"#),
        Size::new(120, 80)
    );
    assert_eq!(
        size(
            r#"<?xml version="1.0"?><svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 64 32"/>"#
        ),
        Size::new(64, 32)
    );
    assert_eq!(
        size(r#"<svg xmlns="http://www.w3.org/2000/svg" width="128" viewBox="0,0,64,32"/>"#),
        Size::new(128, 64)
    );
    assert_eq!(
        size(r#"<svg xmlns="http://www.w3.org/2000/svg" width="100%"/>"#),
        Size::new(300, 150)
    );
}

#[test]
fn a_moving_gif_is_told_from_a_still_one() {
    let frame = b"\x21\xf9\x04\x01\x0a\0\0\0\x2c\0\0\0\0\x02\0\x01\0\0\x02\x02\x44\x01\0";
    let head = b"GIF89a\x02\0\x01\0\x80\0\0\0\0\0\xff\xff\xff";
    let still = [&head[..], frame, b";"].concat();
    let animated = [&head[..], frame, frame, b";"].concat();
    let facts = |bytes: &[u8]| probe(bytes, Limits::default()).expect("readable");
    assert!(!facts(&still).animated && facts(&animated).animated && facts(&still).alpha);
    assert_eq!(facts(&still).size, Size::new(2, 1));
    assert!(matches!(facts(&still).storage, Storage::Packed(_)));
}

#[test]
fn a_header_above_the_limits_is_refused_before_any_pixel() {
    let mut png = encoded(Format::Png, Encoding::Lossless, false);
    let huge = 60_000u32.to_be_bytes();
    png[16..20].copy_from_slice(&huge);
    png[20..24].copy_from_slice(&huge);
    let crc = crc32(&png[12..29]).to_be_bytes();
    png[29..33].copy_from_slice(&crc);
    let error = probe(&png, Limits::default()).expect_err("too large");
    assert!(
        matches!(error, ImageError::TooLarge { size, .. } if size == Size::new(60_000, 60_000)),
        "{error}"
    );
}

/// CRC-32 as PNG uses it (PNG, third edition, annex D), bit by bit.
fn crc32(bytes: &[u8]) -> u32 {
    !bytes.iter().fold(!0, |crc, byte| {
        (0..8).fold(crc ^ u32::from(*byte), |crc, _| {
            if crc & 1 == 1 { (crc >> 1) ^ 0xEDB8_8320 } else { crc >> 1 }
        })
    })
}

#[test]
fn cut_off_and_scrambled_files_are_errors_never_panics() {
    let all = [Format::Jpeg, Format::Webp, Format::Avif, Format::Jxl, Format::Png, Format::Gif];
    for format in crate::written(all) {
        let encoding = match format {
            Format::Png => Encoding::Lossless,
            Format::Gif => Encoding::Palette,
            _ => Encoding::lossy(50.0),
        };
        let whole = encoded(format, encoding, false);
        for length in (0..whole.len()).step_by(7) {
            let _ = probe(&whole[..length], Limits::default());
            let mut scrambled = whole.clone();
            scrambled[length] ^= 0xA5;
            if let Ok(facts) = probe(&scrambled, Limits { pixels: 1_000_000, ..Limits::DEFAULT }) {
                let _ = crate::open(&scrambled, &facts, crate::Reading::WHOLE).map(|mut source| {
                    let mut row = vec![0.0; source.size().width as usize * 4];
                    for _ in 0..source.size().height {
                        if source.next_row(&mut row).is_err() {
                            break;
                        }
                    }
                });
            }
        }
    }
    assert_eq!(probe(b"just a letter home", Limits::default()), Err(ImageError::NotAPicture));
}

/// What a JPEG says of its detail is the picture's, hardly the quality it was written at.
#[test]
fn a_jpeg_tells_how_much_detail_there_is() {
    let noisy = |amount: u32| {
        let pixel = |i: u32| (i.wrapping_mul(2_654_435_761) >> 16) % (amount + 1) + 100;
        let bytes = (0..256u32 * 256).flat_map(|i| [pixel(i) as u8; 3]).collect();
        Raster::new(Size::new(256, 256), false, bytes).expect("as many pixels")
    };
    let detail = |raster: &Raster, setting: f32| {
        let file = encode(raster, Format::Jpeg, Encoding::lossy(setting)).expect("encodes");
        let facts = probe(&file, Limits::default()).expect("readable");
        assert_eq!(
            probe(&file[..file.len() - 2], Limits::default()).expect("readable").detail,
            None,
            "cut short"
        );
        facts.detail.expect("a JPEG tells")
    };
    let (calm, grainy) = (noisy(8), noisy(60));
    let [calm, grainy] =
        [calm, grainy].map(|raster| [75.0, 85.0, 92.0].map(|setting| detail(&raster, setting)));
    assert!(
        grainy.iter().all(|grainy| calm.iter().all(|calm| grainy > &(calm + 0.5))),
        "{calm:?} {grainy:?}"
    );
    assert_eq!(
        probe(&encoded(Format::Png, Encoding::Lossless, false), Limits::default())
            .expect("readable")
            .detail,
        None
    );
}
