//! Scores against the crate that follows the metric to the last bit, and what is built on them.

use fast_ssim2::{PixelDescriptor, PixelSlice, compute_ssimulacra2};
use kivet_recipe::{Encoding, Fidelity, Format, Gamut, Scale, Score, Size};

use super::{TILES, loops::Loops, ssimulacra2::ReferencePlanes, tiles::Tiles};
use crate::{Probe, Raster, Reference, Writing, encode, probe};

/// Waves with a hard edge across them, and grain.
fn picture(size: Size, alpha: bool) -> Raster {
    let pixel = |x: u32, y: u32| {
        let wave = ((x as f32 / 9.0).sin() * (y as f32 / 7.0).cos() * 90.0 + 128.0) as u8;
        let grain = (x.wrapping_mul(0x9E37_79B1) ^ y.wrapping_mul(0x85EB_CA77))
            .wrapping_mul(0xC2B2_AE3D)
            >> 29;
        let [r, g, b] =
            if (x + 2 * y) % 90 < 30 { [wave, 40, 255 - wave] } else { [wave, wave, 60] };
        [r, g, b.saturating_add(grain as u8), (x * 255 / size.width) as u8]
    };
    let channels = if alpha { 4 } else { 3 };
    let bytes = (0..size.height)
        .flat_map(|y| (0..size.width).flat_map(move |x| pixel(x, y)[..channels].to_vec()))
        .collect();
    Raster::new(size, alpha, bytes).expect("as many pixels as its size says")
}

fn pixels_of(file: &[u8]) -> Raster {
    let facts = probe(file, crate::Limits::DEFAULT).expect("a picture");
    crate::draw(file, &facts, &kivet_recipe::plan_for(&Default::default(), &facts), None)
        .expect("drawn")
}

/// The score by the crate.
fn by_the_book(one: &Raster, other: &Raster) -> f64 {
    let slice = |raster: &Raster| {
        let layout = if raster.has_alpha() {
            PixelDescriptor::RGBA8_SRGB
        } else {
            PixelDescriptor::RGB8_SRGB
        };
        let Size { width, height } = raster.size();
        compute_ssimulacra2(
            &PixelSlice::new(raster.bytes(), width, height, raster.stride(), layout)
                .expect("pixels"),
            &PixelSlice::new(other.bytes(), width, height, other.stride(), layout).expect("pixels"),
        )
    };
    slice(one).expect("scored")
}

#[test]
fn scores_are_the_metric_s_own_by_every_loop() {
    let sizes = [(5, 7), (8, 64), (31, 33), (100, 259), (257, 129), (640, 427)];
    let mut loops = vec![Loops::SCALAR];
    #[cfg(target_arch = "x86_64")]
    loops.extend(super::avx2::loops());
    for (size, alpha) in
        sizes.into_iter().flat_map(|(w, h)| [(Size::new(w, h), false), (Size::new(w, h), true)])
    {
        let reference = picture(size, alpha);
        for (format, setting) in
            [(Format::Webp, 5.0), (Format::Webp, 60.0), (Format::Avif, 80.0), (Format::Jpeg, 95.0)]
        {
            let file = encode(&reference, format, Encoding::lossy(setting)).expect("encoded");
            let drawn = pixels_of(&file).with_alpha(alpha);
            let expected = by_the_book(&reference, &drawn);
            for loops in &loops {
                let score =
                    ReferencePlanes::with(&reference, *loops).compare(&drawn).expect("as large");
                let off = (score - expected).abs();
                assert!(
                    off <= 0.03 + expected.abs() * 0.001,
                    "{size} {format} {setting}: {score}, not {expected}"
                );
            }
        }
        assert!(ReferencePlanes::new(&reference).compare(&reference).expect("as large") > 99.9);
        assert_eq!(
            ReferencePlanes::new(&reference).compare(&picture(Size::new(9, 9), alpha)),
            None
        );
    }
}

/// Searches walk along settings: each encoder must give less the lower it is set, without a jump,
/// down to what is bad.
#[test]
fn lower_settings_give_less_without_a_jump() {
    let raster = picture(Size::new(320, 240), false);
    let reference = Reference::new(&raster, Gamut::Srgb);
    for format in crate::written([Format::Avif, Format::Jxl, Format::Webp, Format::Jpeg]) {
        let like = |setting: f32| {
            let file = encode(&raster, format, Encoding::lossy(setting)).expect("encoded");
            reference.score(&file).expect("scored")
        };
        let scores: Vec<f32> = (0..=20).map(|step| like(step as f32 * 5.0).get()).collect();
        let fall = scores.windows(2).map(|pair| pair[0] - pair[1]).fold(f32::MIN, f32::max);
        let jump = scores.windows(2).map(|pair| pair[1] - pair[0]).fold(f32::MIN, f32::max);
        assert!(fall < 3.0 && jump < 40.0 && scores[0] < 35.0, "{format}: {scores:?}");
    }
}

#[test]
fn a_probe_gives_a_rising_curve_and_a_first_encode_lies_near_it() {
    let raster = picture(Size::new(900, 600), false);
    let plan = kivet_recipe::plan(&Default::default(), raster.size());
    let probe = Probe::tiled(&raster, Scale::of(&plan), false);
    for format in [Format::Avif, Format::Webp, Format::Jpeg] {
        let curve = probe.curve(format, true).expect("measured");
        assert!(curve.samples.windows(2).all(|pair| pair[0].score < pair[1].score), "{curve:?}");
        let middle = curve.samples[2];
        let target = Fidelity::new(middle.score.get().round() as u8).expect("a fidelity");
        let writing = Writing::new(Encoding::Lossless);
        let expected = |score: Score| score.get() - 10.0;
        let first =
            crate::encode_near(&raster, (format, &expected), target, &writing).expect("encoded");
        let score = Reference::new(&raster, Gamut::Srgb).score(&first.bytes).expect("scored");
        assert!(score.misses(target) <= 8.0, "{format}: {score} for {}", middle.score);
        assert_eq!(curve.lossless.is_some(), format == Format::Webp);
    }
}

#[test]
fn parts_of_any_shape_are_few_and_of_the_picture() {
    let strips = Tiles { tile: Size::new(480, 144), across: 1, down: 3 };
    for size in [(600, 8000), (16_384, 300), (3000, 2000), (200, 15_000), (15_000, 200)] {
        let size = Size::new(size.0, size.1);
        let raster = Raster::filled(size, [90, 120, 150, 255], false);
        for tiling in [TILES, strips] {
            let cut = tiling
                .cut(&raster)
                .unwrap_or_else(|| panic!("{size} is much larger than its tiles"));
            let max = tiling.tile.pixels() * u64::from(tiling.across * tiling.down);
            assert!(cut.size().pixels() <= max, "{size}: {}", cut.size());
            assert!(
                cut.bytes().chunks_exact(3).all(|pixel| pixel == [90, 120, 150]),
                "{size}: nothing but the picture"
            );
        }
    }
    assert!(TILES.cut(&Raster::filled(Size::new(800, 800), [0; 4], false)).is_none());
}
