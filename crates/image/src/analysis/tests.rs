use kivet_recipe::{Encoding, Format, Recipe, Storage, plan_for};

use super::*;
use crate::{draw, encode, probe};

fn painted(size: Size, colour: impl Fn(u32, u32) -> [u8; 3]) -> Raster {
    let bytes = (0..size.height)
        .flat_map(|y| {
            (0..size.width).flat_map({
                let colour = &colour;
                move |x| colour(x, y)
            })
        })
        .collect();
    Raster::new(size, false, bytes).expect("pixels")
}

#[test]
fn a_miniature_is_small_and_looks_alike_and_the_fullest_colour_is_told() {
    let sky = painted(Size::new(180, 120), |x, y| {
        let kite = (x as i32 - 130).abs() + (y as i32 - 40).abs() < 24;
        if kite { [210, 40, 40] } else { [120 + (y / 2) as u8, 170, 220] }
    });
    let analysis = analyse_small(&sky);
    let address = analysis.soft.expect("an opaque picture has one");
    assert!(
        address.len() < 400 && address.starts_with("data:image/webp;base64,"),
        "{}",
        address.len()
    );
    let file = base64::Engine::decode(&base64::engine::general_purpose::STANDARD, &address[23..])
        .expect("base64");
    let facts = probe(&file, Limits::default()).expect("a picture");
    let tiny = draw(&file, &facts, &plan_for(&Recipe::default(), &facts), None).expect("drawn");
    let mean = |raster: &Raster, channel: usize| {
        let values = raster.bytes().chunks_exact(3).map(|pixel| u32::from(pixel[channel]));
        values.sum::<u32>() as f32 / raster.size().pixels() as f32
    };
    for channel in 0..3 {
        assert!((mean(&tiny, channel) - mean(&sky, channel)).abs() < 8.0, "channel {channel}");
    }
    assert!(analysis.dominant[2] > 200 && analysis.dominant[0] < 190, "{:?}", analysis.dominant);
    let clear = Raster::filled(Size::new(60, 40), [200, 30, 30, 90], true);
    assert_eq!(analyse_small(&clear).soft, None);
}

#[test]
fn uniform_borders_are_found_to_the_pixel_in_any_orientation() {
    let framed = painted(Size::new(90, 60), |x, y| {
        let inside = (12..70).contains(&x) && (7..51).contains(&y);
        if inside { [(x * 2) as u8, (y * 4) as u8, 60] } else { [250, 250, 250] }
    });
    for format in [Format::Png, Format::Jpeg] {
        let encoding =
            if format == Format::Png { Encoding::Lossless } else { Encoding::lossy(100.0) };
        let file = encode(&framed, format, encoding).expect("encoded");
        let facts = probe(&file, Limits::default()).expect("a picture");
        let kept = find_trim_box(&file, &facts, Limits::DEFAULT).expect("decoded");
        // A lossy format's edges ring by a pixel.
        let slack = if format == Format::Png { 0.0 } else { 1.0 };
        let is = |kept: kivet_recipe::Rect, edges: [f64; 4]| {
            let got = [kept.x, kept.y, kept.x + kept.width, kept.y + kept.height];
            assert!(
                got.iter().zip(edges).all(|(got, edge)| (got - edge).abs() <= slack),
                "{format}: {kept:?}"
            );
        };
        is(kept, [12.0, 7.0, 70.0, 51.0]);
        let turned = Facts {
            orientation: kivet_recipe::Orientation::from_exif(6).expect("6"),
            size: Size::new(60, 90),
            ..facts
        };
        let kept = find_trim_box(&file, &turned, Limits::DEFAULT).expect("decoded");
        is(kept, [9.0, 12.0, 53.0, 70.0]);
    }
    let plain = encode(
        &Raster::filled(Size::new(9, 9), [1, 2, 3, 255], false),
        Format::Png,
        Encoding::Lossless,
    )
    .expect("encoded");
    let facts = Facts::plain(Format::Png, Size::new(9, 9), Storage::Lossless);
    assert_eq!(
        find_trim_box(&plain, &facts, Limits::DEFAULT).expect("decoded"),
        kivet_recipe::Rect::whole(facts.size)
    );
}
