//! What every encoder and its decoder must do, whatever the format.

use kivet_image::{ImageError, Limits, Raster, encode, probe};
use kivet_recipe::{Encoding, Format, Size};

use crate::pixels;

/// Every form that is written, and whether it keeps every pixel and transparency.
const FORMS: [(Format, Encoding, bool); 8] = [
    (Format::Avif, Encoding::lossy(70.0), false),
    (Format::Jxl, Encoding::lossy(70.0), false),
    (Format::Jxl, Encoding::Lossless, true),
    (Format::Webp, Encoding::lossy(70.0), false),
    (Format::Webp, Encoding::Lossless, true),
    (Format::Jpeg, Encoding::lossy(70.0), false),
    (Format::Png, Encoding::Lossless, true),
    (Format::Gif, Encoding::Palette, false),
];

/// Awkward sizes: single pixels and rows, primes, around blocks of 8, 16 and 64.
const SIZES: [(u32, u32); 9] =
    [(1, 1), (1, 17), (31, 1), (7, 9), (8, 8), (15, 33), (64, 65), (127, 63), (130, 5)];

fn built(format: Format) -> bool {
    format != Format::Jxl || kivet_image::JXL
}

/// Slow changes of colour with an edge, transparent towards one side where it has alpha.
fn picture((width, height): (u32, u32), alpha: bool) -> Raster {
    let pixel = |x: u32, y: u32| {
        let shade = if x * 2 > width { 60 } else { 160 };
        [shade, (40 + x % 90) as u8, (90 + y % 90) as u8, (255 - x * 255 / (2 * width)) as u8]
    };
    let channels = if alpha { 4 } else { 3 };
    let bytes = (0..height)
        .flat_map(|y| (0..width).flat_map(move |x| pixel(x, y)[..channels].to_vec()))
        .collect();
    Raster::new(Size::new(width, height), alpha, bytes).expect("as many pixels as its size says")
}

#[test]
fn files_say_what_they_hold_and_come_back_at_their_size() {
    for (format, encoding, lossless) in FORMS.into_iter().filter(|(format, ..)| built(*format)) {
        for (size, alpha) in SIZES.into_iter().flat_map(|size| [(size, false), (size, true)]) {
            let about = format!("{format} {encoding} {size:?}, alpha {alpha}");
            let raster = picture(size, alpha);
            let file = encode(&raster, format, encoding)
                .unwrap_or_else(|error| panic!("{about}: {error}"));
            assert_eq!(
                file,
                encode(&raster, format, encoding).expect("again"),
                "{about}: the same pixels, another file"
            );
            let facts =
                probe(&file, Limits::default()).unwrap_or_else(|error| panic!("{about}: {error}"));
            assert_eq!(
                (facts.format, facts.size, facts.animated),
                (format, raster.size(), false),
                "{about}"
            );
            assert!(!facts.alpha || alpha, "{about}: alpha came from nowhere");
            let shown = pixels(&file);
            assert_eq!(shown.size(), raster.size(), "{about}");
            if lossless && !alpha {
                assert_eq!(shown.bytes(), raster.bytes(), "{about}");
            }
        }
    }
}

#[test]
fn the_ends_of_the_scale_are_settings_like_others() {
    let raster = picture((65, 40), false);
    for (format, ..) in
        FORMS.into_iter().filter(|(format, encoding, _)| built(*format) && is_lossy(*encoding))
    {
        let bytes =
            |setting| encode(&raster, format, Encoding::lossy(setting)).expect("encoded").len();
        let [least, middle, most] = [0.0, 50.0, 100.0].map(bytes);
        assert!(least <= middle && middle < most, "{format}: {least}, {middle}, {most}");
        assert_eq!(
            (bytes(-7.0), bytes(300.0)),
            (least, most),
            "{format}: beyond the scale is its end"
        );
    }
}

fn is_lossy(encoding: Encoding) -> bool {
    matches!(encoding, Encoding::Lossy { .. })
}

#[test]
fn what_a_format_has_no_form_for_is_refused_by_name() {
    let raster = picture((8, 8), false);
    for (format, encoding) in [
        (Format::Jpeg, Encoding::Lossless),
        (Format::Avif, Encoding::Lossless),
        (Format::Png, Encoding::lossy(50.0)),
        (Format::Gif, Encoding::lossy(50.0)),
        (Format::Tiff, Encoding::Lossless),
        (Format::Svg, Encoding::lossy(50.0)),
    ] {
        let error = encode(&raster, format, encoding).expect_err("no such form");
        assert!(
            matches!(error, ImageError::NotEncoded { .. })
                && error.to_string().contains(format.name()),
            "{error}"
        );
    }
}

#[test]
fn every_beginning_of_a_file_is_an_error_or_a_flagged_picture() {
    for (format, encoding, _) in FORMS.into_iter().filter(|(format, ..)| built(*format)) {
        let file = encode(&picture((64, 65), false), format, encoding).expect("encoded");
        for length in (0..file.len()).step_by((file.len() / 40).max(1)) {
            let Ok(facts) = probe(&file[..length], Limits::default()) else { continue };
            assert_eq!(
                (facts.format, facts.size),
                (format, Size::new(64, 65)),
                "{format} cut after {length}"
            );
            let plan = kivet_recipe::plan_for(&Default::default(), &facts);
            // Drawn as far as it goes, or an error: never a panic, never another size.
            if let Ok(drawn) = kivet_image::draw(&file[..length], &facts, &plan, None) {
                assert_eq!(drawn.size(), facts.size);
            }
        }
    }
}
