//! JPEGs decoded at a part of their size: what is drawn from them lies where it lies in the whole
//! picture, and looks like it.

use kivet_image::{
    Limits, Raster, Reduction, Reference, Task, Work, draw_edited, encode, encode_first, probe,
};
use kivet_recipe::{
    Choice, Curves, Encoding, Facts, Format, Gamut, Policy, Recipe, Request, Size, choose,
};

/// Sides that are no multiples of 8, or whose eighths are not whole.
const SIZES: [Size; 4] =
    [Size::new(1365, 1074), Size::new(1602, 1203), Size::new(797, 1211), Size::new(1000, 664)];

/// What is drawn against what the whole picture gives.
const MIN_SCORE: f32 = 92.0;
const MAX_DRIFT: f64 = 0.05;

/// A hash of a place, 0 to 1.
fn grain(x: u32, y: u32) -> f32 {
    let mut hash = x.wrapping_mul(0x9E37_79B1) ^ y.wrapping_mul(0x85EB_CA77);
    hash ^= hash >> 15;
    hash = hash.wrapping_mul(0x2C1B_3C6D);
    hash ^= hash >> 12;
    (hash >> 8) as f32 / (1 << 24) as f32
}

/// A shore: soft hills, a rippled foreground, grain.
fn shore(x: u32, y: u32, _: Size) -> [f32; 3] {
    let (u, v) = (x as f32 / 90.0, y as f32 / 90.0);
    let hill = (u * 0.7).sin() * 0.5 + (u * 1.9 + v * 0.4).sin() * 0.2 + v * 0.16;
    let ripple = ((u * 9.0 + (v * 5.0).sin() * 2.0).sin() * 0.5 + 0.5) * 60.0 * (v / 12.0);
    let base = 96.0 + hill * 40.0 + ripple + (grain(x, y) - 0.5) * 18.0;
    [base * 1.05, base * 0.96, base * 0.74 + 30.0]
}

/// Lines of small dark print on cream.
fn print(x: u32, y: u32, _: Size) -> [f32; 3] {
    let line = y % 22 < 13 && !(x / 7).is_multiple_of(9);
    let stroke = grain(x / 3, y / 22 * 31 + y % 22 / 4) > 0.52;
    if line && stroke { [34.0, 30.0, 44.0] } else { [246.0, 240.0, 226.0] }
}

/// Sailcloth: seams and bright panels with hard slanted edges.
fn panels(x: u32, y: u32, size: Size) -> [f32; 3] {
    let at = (x as f32 * 0.83 + y as f32 * 0.41) / (size.width as f32 / 11.0);
    let weave = ((x as f32 * 0.9).sin() * (y as f32 * 1.1).sin()) * 9.0;
    let colours = [[214.0, 52.0, 44.0], [240.0, 196.0, 60.0], [36.0, 88.0, 170.0]];
    colours[at as usize % 3].map(|part: f32| part + weave + (grain(x, y) - 0.5) * 8.0)
}

/// Lanterns at night: small bright spots in the dark.
fn lanterns(x: u32, y: u32, _: Size) -> [f32; 3] {
    let (cx, cy) = ((x / 61) as f32 * 61.0 + 30.0, (y / 53) as f32 * 53.0 + 26.0);
    let reach = 4.0 + 14.0 * grain(x / 61, y / 53);
    let away = ((x as f32 - cx).powi(2) + (y as f32 - cy).powi(2)).sqrt();
    let glow = (1.0 - away / reach).clamp(0.0, 1.0) * 235.0;
    let dark = 12.0 + (grain(x, y) - 0.5) * 10.0;
    [dark + glow, dark + glow * 0.72, dark + glow * 0.3 + 8.0]
}

type Scene = (&'static str, fn(u32, u32, Size) -> [f32; 3]);
const SCENES: [Scene; 4] =
    [("shore", shore), ("print", print), ("panels", panels), ("lanterns", lanterns)];

fn painted(scene: fn(u32, u32, Size) -> [f32; 3], size: Size) -> Raster {
    let pixels = (0..size.height)
        .flat_map(|y| (0..size.width).flat_map(move |x| scene(x, y, size)))
        .map(|value| value.clamp(0.0, 255.0) as u8);
    Raster::new(size, false, pixels.collect()).expect("pixels")
}

fn choice(recipe: &str, facts: &Facts) -> Choice {
    let recipe: Recipe = recipe.parse().expect(recipe);
    choose(&recipe, facts, &Curves::default(), &Request::ANYTHING, &Policy::default())
        .expect("a choice")
}

fn drawn(bytes: &[u8], facts: &Facts, recipe: &str, reduction: Option<&Reduction>) -> Raster {
    let task = Task { reduction, ..Task::default() };
    draw_edited(bytes, facts, &choice(recipe, facts), &task).expect(recipe)
}

/// The same pixels in a file that is never decoded in part.
fn whole(jpeg: &[u8], facts: &Facts) -> Vec<u8> {
    let pixels = drawn(jpeg, facts, &format!("{}w", facts.size.width), None);
    encode(&pixels, Format::Png, Encoding::Lossless).expect("a PNG")
}

fn score(exact: &Raster, found: &Raster) -> f32 {
    let file = encode(found, Format::Png, Encoding::Lossless).expect("a PNG");
    Reference::new(exact, Gamut::Srgb).score(&file).expect("a score").get()
}

/// How far `found` lies from `exact`, in pixels across and down: the least squares of a small
/// shift, by the green channel's gradients.
fn drift(exact: &Raster, found: &Raster) -> [f64; 2] {
    let (width, height) = (exact.size().width as usize, exact.size().height as usize);
    let green =
        |raster: &Raster, x: usize, y: usize| f64::from(raster.bytes()[(y * width + x) * 3 + 1]);
    let (mut xx, mut xy, mut yy, mut xd, mut yd) = (0.0, 0.0, 0.0, 0.0, 0.0);
    for y in 2..height - 2 {
        for x in 2..width - 2 {
            let across = (green(exact, x + 1, y) - green(exact, x - 1, y)) / 2.0;
            let down = (green(exact, x, y + 1) - green(exact, x, y - 1)) / 2.0;
            let off = green(exact, x, y) - green(found, x, y);
            xx += across * across;
            xy += across * down;
            yy += down * down;
            xd += across * off;
            yd += down * off;
        }
    }
    let whole = xx * yy - xy * xy;
    [(xd * yy - yd * xy) / whole, (yd * xx - xd * xy) / whole]
}

/// What `recipe` draws of the JPEG itself and of its pixels, and where the first lies.
fn agrees(jpeg: &[u8], recipe: &str) -> (f32, f64) {
    let facts = probe(jpeg, Limits::default()).expect("facts");
    let png = whole(jpeg, &facts);
    let upright =
        Facts { orientation: facts.orientation, ..probe(&png, Limits::default()).expect("facts") };
    let exact = drawn(&png, &upright, recipe, None);
    let found = drawn(jpeg, &facts, recipe, None);
    let [across, down] = drift(&exact, &found);
    (score(&exact, &found), across.abs().max(down.abs()))
}

fn jpeg(scene: fn(u32, u32, Size) -> [f32; 3], size: Size) -> Vec<u8> {
    encode(&painted(scene, size), Format::Jpeg, Encoding::lossy(88.0)).expect("a JPEG")
}

#[test]
fn a_reduced_decode_is_not_seen() {
    for (name, scene) in SCENES {
        for size in SIZES {
            let file = jpeg(scene, size);
            for recipe in ["97w", "203w", "400w", "512w", "320w_ratio-1-1_at-30-70"] {
                let (score, drift) = agrees(&file, recipe);
                assert!(
                    score >= MIN_SCORE && drift <= MAX_DRIFT,
                    "{name} {size} {recipe}: score {score}, {drift} pixels off"
                );
            }
        }
    }
}

/// The smallest reduction that serves a recipe, as stored on disk; its level and the reduction.
fn smallest(largest: &Reduction, facts: &Facts, recipe: &str) -> Option<(u32, Reduction)> {
    let plan = choice(recipe, facts).plan;
    let mut found = Reduction::would_serve(facts, &plan, 0).then(|| (0, largest.clone()))?;
    while Reduction::would_serve(facts, &plan, found.0 + 1) {
        let half = found.1.halved().expect("a half").to_bytes();
        found = (found.0 + 1, Reduction::from_bytes(&half).expect("as it was stored"));
    }
    Some(found)
}

/// Later renditions of large originals are drawn from a reduction. Sides are such that halves are
/// not whole, at some level, on either side.
#[test]
fn what_is_drawn_from_a_reduction_is_what_the_original_gives() {
    const LARGE: [(u32, u32); 6] =
        [(4000, 3000), (3997, 2669), (3001, 2003), (2503, 1999), (1733, 2311), (5003, 1001)];
    let mut levels = [0; 8];
    for (number, (width, height)) in (0_u32..).zip(LARGE) {
        let (name, scene) = SCENES[number as usize % SCENES.len()];
        let size = Size::new(width, height);
        let file = jpeg(scene, size);
        let facts = probe(&file, Limits::default()).expect("facts");
        let largest =
            Reduction::make(&file, &facts, Gamut::Srgb, Limits::DEFAULT, &Work::default())
                .expect("a reduction");
        let some = (0..4).map(|at| 90 + (grain(number, at) * 1400.0) as u32);
        for asked in [640, 480, 240].into_iter().chain(some) {
            let recipe = format!("{asked}w");
            let Some((level, reduction)) = smallest(&largest, &facts, &recipe) else { continue };
            levels[level as usize] += 1;
            let exact = drawn(&file, &facts, &recipe, None);
            let found = drawn(&file, &facts, &recipe, Some(&reduction));
            let ([across, down], score) = (drift(&exact, &found), score(&exact, &found));
            // Strokes of three pixels, all at random: what is filtered twice is a little softer.
            let least = if name == "print" { 90.0 } else { 94.0 };
            // The codec's own reduction may lie as far off in the other direction.
            assert!(
                score >= least && across.abs().max(down.abs()) <= 1.5 * MAX_DRIFT,
                "{name} {size} {recipe}, level {level}: score {score}, {across} {down} pixels off"
            );
        }
    }
    assert!(levels.iter().take(3).all(|count| *count > 1), "{levels:?}");
}

/// The codec reduces these.
#[test]
fn large_originals_lie_where_the_picture_lies() {
    let size = Size::new(3997, 2669);
    for (name, scene) in SCENES {
        let file = jpeg(scene, size);
        for recipe in ["160w", "499w", "1201w"] {
            let (score, drift) = agrees(&file, recipe);
            assert!(
                score >= MIN_SCORE && drift <= MAX_DRIFT,
                "{name} {recipe}: score {score}, {drift} pixels off"
            );
        }
    }
}

/// At full size grain takes ten times what is usual: the setting must not run away from it.
#[test]
fn a_first_encode_of_a_large_grainy_picture_stays_near_its_target() {
    let size = Size::new(2397, 1601);
    let file = jpeg(shore, size);
    let facts = probe(&file, Limits::default()).expect("facts");
    for format in ["avif", "webp", "jpeg"] {
        let recipe = format!("2397w_fidelity-70_as-{format}");
        let raster = drawn(&file, &facts, &recipe, None);
        let choice = choice(&recipe, &facts);
        let asked = (&[][..], &facts);
        let first = encode_first(&raster, asked, &choice, &Curves::default(), &Work::default())
            .expect("a file");
        let score =
            Reference::new(&raster, Gamut::Srgb).score(&first.bytes).expect("a score").get();
        assert!((58.0..82.0).contains(&score), "{format}: {score} at {}", first.encoding);
    }
}
