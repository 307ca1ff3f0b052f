//! Scores of large originals against the original itself, and bytes of originals that were stored
//! losslessly or compressed hard before.

use kivet_image::{Limits, Raster, Reference, draw, encode, probe};
use kivet_recipe::{Encoding, Format, Gamut, Recipe, Size, plan_for};

use crate::{
    rewriting::settled,
    running::{MODERN, Running, header},
};

/// A raster of `size` whose pixels `colour` gives.
fn painted(size: Size, colour: impl Fn(f32, f32) -> [f32; 3]) -> Raster {
    let pixels = (0..size.height)
        .flat_map(|y| (0..size.width).map(move |x| (x as f32, y as f32)))
        .flat_map(|(x, y)| colour(x, y))
        .map(|value| value.clamp(0.0, 255.0) as u8);
    Raster::new(size, false, pixels.collect()).unwrap()
}

/// Sails, ripples and spars: soft and hard at once.
fn regatta(x: f32, y: f32) -> [f32; 3] {
    let ripple = ((x * 0.21).sin() + (y * 0.17 + x * 0.05).cos()) * 18.0;
    let sail = ((x * 0.011).sin() * (y * 0.013).cos()) > 0.35;
    let spar = (x + y * 2.0).rem_euclid(211.0) < 5.0;
    let base = if sail { [220.0, 90.0, 60.0] } else { [70.0, 120.0, 170.0] };
    base.map(|part| if spar { 20.0 } else { part + ripple + y * 0.01 })
}

#[tokio::test]
async fn later_renditions_of_a_large_original_score_what_is_reported() {
    let kivet = Running::start().await;
    // Halves and quarters of these sides are not whole.
    let original = painted(Size::new(2503, 1879), regatta);
    let file = encode(&original, Format::Jpeg, Encoding::lossy(90.0)).unwrap();
    std::fs::write(kivet.odd.join("regatta.jpg"), &file).unwrap();
    let facts = probe(&file, Limits::default()).unwrap();
    for width in [640, 480, 240, 312] {
        let path = format!("/pic/{width}w_fidelity-75/odd/regatta.jpg");
        let sent = kivet.finished(&path).await.bytes().await.unwrap();
        let why = kivet.why(&path, &[("accept", MODERN)]).await;
        let reported = why.ready.and_then(|ready| ready.score).unwrap();
        let recipe: Recipe = format!("{width}w").parse().unwrap();
        let exact = draw(&file, &facts, &plan_for(&recipe, &facts), None).unwrap();
        let true_score = Reference::new(&exact, Gamut::Srgb).score(&sent).unwrap().get();
        assert!(
            (true_score - reported).abs() < 1.5 && (true_score - 75.0).abs() < 6.0,
            "{path}: {reported} is reported, {true_score} is true"
        );
    }
}

/// Bytes of a final rendition.
async fn bytes(kivet: &Running, path: &str) -> usize {
    kivet.finished(path).await.bytes().await.unwrap().len()
}

#[tokio::test]
async fn what_was_stored_losslessly_is_sent_in_the_fewest_bytes() {
    let kivet = Running::start().await;
    let size = Size::new(901, 601);
    let poster = painted(size, |x, y| match ((x - 420.0).hypot(y - 310.0), y) {
        (away, _) if away < 190.0 => [236.0, 84.0, 52.0],
        (_, y) if y > 430.0 + (x * 0.02).sin() * 30.0 => [38.0, 92.0, 120.0],
        (_, y) => [120.0 + y * 0.2, 180.0 + y * 0.1, 230.0],
    });
    let print = painted(size, |x, y| {
        let stroke =
            (y as u32 % 20 < 12) && ((x as u32 / 3 * 7919) ^ (y as u32 / 20 * 104_729)) % 5 < 2;
        if stroke { [30.0; 3] } else { [250.0; 3] }
    });
    let tiles = painted(size, |x, y| {
        let tile = (x as u32 / 12 * 31 + y as u32 / 12 * 17) % 5;
        [[230.0, 60.0, 60.0], [60.0, 60.0, 230.0], [250.0; 3], [20.0; 3], [90.0, 200.0, 90.0]]
            [tile as usize]
    });
    for (name, raster) in [("poster", poster), ("print", print), ("tiles", tiles)] {
        let file = encode(&raster, Format::Png, Encoding::Lossless).unwrap();
        std::fs::write(kivet.odd.join(format!("{name}.png")), &file).unwrap();
        for recipe in ["901w", "480w"] {
            let of = |clause: &str| format!("/pic/{recipe}{clause}/odd/{name}.png");
            let mut fewest = bytes(&kivet, &of("_lossless_as-webp")).await;
            for format in ["avif", "webp"] {
                fewest = fewest.min(bytes(&kivet, &of(&format!("_as-{format}"))).await);
            }
            // The first look decided by what was expected; what is known by now decides.
            for _ in 0..2 {
                bytes(&kivet, &of("")).await;
                settled(&kivet).await;
            }
            let sent = bytes(&kivet, &of("")).await;
            let why = kivet.why(&of(""), &[("accept", MODERN)]).await;
            assert!(
                sent as f64 <= fewest as f64 * 1.13,
                "{name} {recipe}: {sent} bytes, and {fewest} do; {} {}: {:?}",
                why.encoding,
                why.because,
                why.candidates
            );
        }
    }
}

/// One is compressed so hard that no format undercuts it; of the other AVIF takes less than the file,
/// which is known once that was measured.
#[tokio::test]
async fn the_original_or_a_rendition_is_sent_whichever_is_lighter() {
    let kivet = Running::start().await;
    let small = painted(Size::new(160, 120), regatta);
    for (name, setting) in [("hard", 8.0), ("mild", 45.0)] {
        let file = encode(&small, Format::Jpeg, Encoding::lossy(setting)).unwrap();
        std::fs::write(kivet.odd.join(format!("{name}.jpg")), &file).unwrap();
        for recipe in ["160w", "160w_2x"] {
            let path = format!("/pic/{recipe}/odd/{name}.jpg");
            for _ in 0..2 {
                kivet.finished(&path).await;
                settled(&kivet).await;
            }
            let avif = bytes(&kivet, &format!("/pic/{recipe}_as-avif/odd/{name}.jpg")).await;
            let sent = bytes(&kivet, &path).await;
            let fewest = file.len().min(avif);
            assert!(sent as f64 <= fewest as f64 * 1.13, "{path}: {sent} bytes, and {fewest} do");
        }
    }
    let itself = kivet.finished("/pic/160w/odd/hard.jpg").await;
    assert_eq!(header(&itself, "content-type"), "image/jpeg");
    let reduced = kivet.finished("/pic/80w/odd/hard.jpg").await;
    assert!(header(&reduced, "kivet-rendition").contains("width=80"));
}
