use kivet_recipe::{Curves, Encoding, Orientation, Policy, Recipe, Request, choose, plan_for};

use super::*;
use crate::{encode, probe};

/// Four quarters: red, green / blue, white.
fn quarters(width: u32, height: u32) -> Raster {
    let colour = |x: u32, y: u32| match (x < width / 2, y < height / 2) {
        (true, true) => [220, 30, 30],
        (false, true) => [30, 200, 30],
        (true, false) => [30, 30, 220],
        (false, false) => [255, 255, 255],
    };
    let bytes = (0..height).flat_map(|y| (0..width).flat_map(move |x| colour(x, y))).collect();
    Raster::new(Size::new(width, height), false, bytes).expect("three bytes a pixel")
}

fn rendered(original: &[u8], recipe: &str) -> Raster {
    let facts = probe(original, Limits::default()).expect("a picture");
    let recipe: Recipe = recipe.parse().expect(recipe);
    let choice =
        choose(&recipe, &facts, &Curves::default(), &Request::default(), &Policy::default())
            .expect("a choice");
    let rendition = render(original, &facts, &choice, &Task::default()).expect("a rendition");
    let facts = probe(&rendition.bytes, Limits::default()).expect("our own file");
    assert_eq!((facts.size, facts.format), (choice.plan.size, choice.format));
    let recipe: Recipe = "as-png".parse().expect("a recipe");
    draw(&rendition.bytes, &facts, &plan_for(&recipe, &facts), None).expect("our own file")
}

#[track_caller]
fn pixel_is(raster: &Raster, x: u32, y: u32, expected: &[u8]) {
    let at = (y * raster.size().width + x) as usize * raster.channels();
    let got = &raster.bytes()[at..at + raster.channels()];
    let near = got.iter().zip(expected).all(|(got, expected)| got.abs_diff(*expected) <= 6);
    assert!(near && got.len() == expected.len(), "at {x},{y}: {got:?}, expected {expected:?}");
}

fn originals(raster: &Raster) -> Vec<Vec<u8>> {
    let write = |format, encoding| encode(raster, format, encoding).expect("encodes");
    vec![
        write(Format::Jpeg, Encoding::lossy(95.0)),
        write(Format::Png, Encoding::Lossless),
        write(Format::Webp, Encoding::Lossless),
        write(Format::Avif, Encoding::lossy(95.0)),
    ]
}

#[test]
fn a_crop_keeps_what_its_position_says_in_every_format() {
    for original in originals(&quarters(400, 200)) {
        let left = rendered(&original, "50w_ratio-1-1_at-left_as-png");
        assert_eq!(left.size(), Size::new(50, 50));
        pixel_is(&left, 10, 10, &[220, 30, 30]);
        pixel_is(&left, 10, 40, &[30, 30, 220]);
        pixel_is(&left, 47, 10, &[220, 30, 30]);
        let right = rendered(&original, "50w_ratio-1-1_at-right_as-png");
        pixel_is(&right, 3, 10, &[30, 200, 30]);
    }
}

#[test]
fn a_canvas_surrounds_what_is_contained() {
    let original = &originals(&quarters(400, 200))[1];
    let square = rendered(original, "100w_100h_contain_on-102030_as-png");
    pixel_is(&square, 50, 5, &[16, 32, 48]);
    pixel_is(&square, 20, 35, &[220, 30, 30]);
    let clear = rendered(original, "100w_100h_contain_at-top_on-clear");
    pixel_is(&clear, 50, 95, &[0, 0, 0, 0]);
    pixel_is(&clear, 20, 10, &[220, 30, 30, 255]);
}

#[test]
fn transparent_colours_do_not_bleed_into_edges() {
    // Opaque red beside transparent green: averaging straight colours would give a brown edge.
    let bytes = (0..64 * 8)
        .flat_map(|i| if i % 64 < 33 { [220, 30, 30, 255] } else { [0, 255, 0, 0] })
        .collect();
    let raster = Raster::new(Size::new(64, 8), true, bytes).expect("four bytes a pixel");
    let png = encode(&raster, Format::Png, Encoding::Lossless).expect("encodes");
    let small = rendered(&png, "16w");
    for x in 0..16 {
        let at = x * 4;
        if small.bytes()[at + 3] > 8 {
            pixel_is(&small, x as u32, 0, &[220, 30, 30, small.bytes()[at + 3]]);
        }
    }
    pixel_is(&rendered(&png, "16w_on-0000ff_as-png"), 15, 0, &[0, 0, 255]);
}

#[test]
fn an_orientation_flag_is_applied_before_the_crop() {
    let facts = Facts {
        orientation: Orientation::from_exif(6).expect("6"),
        ..Facts::plain(Format::Png, Size::new(200, 400), kivet_recipe::Storage::Lossy)
    };
    let original = &originals(&quarters(400, 200))[1];
    let plan = |recipe: &str| plan_for(&recipe.parse().expect(recipe), &facts);
    let upright = draw(original, &facts, &plan("50w"), None).expect("drawn");
    assert_eq!(upright.size(), Size::new(50, 100));
    // Turned a quarter clockwise: the stored bottom left is at the top left.
    pixel_is(&upright, 10, 10, &[30, 30, 220]);
    pixel_is(&upright, 40, 10, &[220, 30, 30]);
    pixel_is(&upright, 10, 90, &[255, 255, 255]);
    let bottom = draw(original, &facts, &plan("50w_ratio-2-1_at-bottom"), None).expect("drawn");
    pixel_is(&bottom, 40, 10, &[30, 200, 30]);
}

#[test]
fn reduced_decoding_looks_like_whole_decoding() {
    let wave =
        |x: u32, y: u32, k: u32| (128.0 + 100.0 * (f64::from(x * k + y * 3) / 90.0).sin()) as u8;
    let bytes = (0..900)
        .flat_map(|y| (0..1600).flat_map(move |x| [wave(x, y, 1), wave(x, y, 2), wave(x, y, 4)]))
        .collect();
    let raster = Raster::new(Size::new(1600, 900), false, bytes).expect("three bytes a pixel");
    let jpeg = encode(&raster, Format::Jpeg, Encoding::lossy(95.0)).expect("encodes");
    let png = encode(&raster, Format::Png, Encoding::Lossless).expect("encodes");
    let (reduced, whole) = (rendered(&jpeg, "160w_as-png"), rendered(&png, "160w_as-png"));
    let differences =
        reduced.bytes().iter().zip(whole.bytes()).map(|(a, b)| f64::from(a.abs_diff(*b)));
    let mean = differences.sum::<f64>() / whole.bytes().len() as f64;
    assert!(mean < 2.0, "mean difference {mean}");
}
