//! Scenes with a known subject: a crop to a square and to a tall one must keep it.

use kivet_image::{Raster, analyse_small};
use kivet_recipe::{Facts, Format, Recipe, Size, Storage, plan_for};

/// Scenes painted, and the share of them in which each crop keeps nine tenths of the subject.
const SCENES: u32 = 200;
const KEPT: f64 = 0.9;

/// Numbers that follow from a seed.
struct Dice(u64);

impl Dice {
    fn roll(&mut self) -> f64 {
        self.0 =
            self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as f64 / f64::from(1u32 << 31)
    }

    fn between(&mut self, low: f64, high: f64) -> f64 {
        low + (high - low) * self.roll()
    }

    fn colour(&mut self) -> [f64; 3] {
        std::array::from_fn(|_| self.between(20.0, 235.0))
    }
}

/// A subject's box in pixels: left, top, width, height.
type Box4 = (f64, f64, f64, f64);

/// A scene of sky and ground, clouds, waves or grass, grain, and one subject somewhere.
fn scene(seed: u32) -> (Raster, Box4) {
    let mut dice = Dice(u64::from(seed) * 7919 + 17);
    for _ in 0..8 {
        dice.roll();
    }
    let (width, height) = if seed.is_multiple_of(3) { (128usize, 192usize) } else { (192, 128) };
    let (w, h) = (width as f64, height as f64);
    let (sky, ground) = (dice.colour(), dice.colour());
    let horizon = dice.between(0.3, 0.85) * h;
    let (waves, slope) = (dice.between(4.0, 24.0), dice.between(0.0, 40.0));
    let grain = dice.between(2.0, 14.0);
    // The subject: a size that both crops can hold, a colour that is neither sky nor ground.
    let across = dice.between(0.16, 0.30) * w.min(h);
    let down = across * dice.between(0.8, 1.5);
    let (left, top) = (dice.between(0.0, w - across), dice.between(0.0, h - down));
    let far = |one: [f64; 3], other: [f64; 3]| {
        one.iter().zip(other).map(|(a, b)| (a - b) * (a - b)).sum::<f64>().sqrt()
    };
    let paint = loop {
        let paint = dice.colour();
        if far(paint, sky) > 90.0 && far(paint, ground) > 90.0 {
            break paint;
        }
    };
    let second = dice.colour();
    let form = seed % 3;
    let bytes = (0..width * height)
        .flat_map(|at| {
            let (x, y) = ((at % width) as f64, (at / width) as f64);
            let on_ground = y > horizon + slope * (x / w - 0.5);
            let mut colour = if on_ground { ground } else { sky };
            let shade = if on_ground {
                (x / waves + (y * 0.7).sin()).sin() * 16.0
            } else {
                (y / h * 60.0) + (x / 31.0 + y / 17.0).sin() * 8.0
            };
            let (u, v) = ((x - left) / across, (y - top) / down);
            let inside = match form {
                // A kite, a boat or a face, a person.
                0 => (u - 0.5).abs() * 2.0 + (v - 0.5).abs() * 2.0 <= 1.0,
                1 => (u - 0.5).powi(2) + (v - 0.5).powi(2) <= 0.25,
                _ => (0.0..=1.0).contains(&u) && (0.0..=1.0).contains(&v),
            };
            let mut lit = shade;
            if inside {
                let striped = ((u * 4.0) as i32 + (v * 4.0) as i32) % 2 == 0;
                colour = if striped {
                    paint
                } else {
                    std::array::from_fn(|i| paint[i] * 0.75 + second[i] * 0.25)
                };
                lit = v * 20.0;
            }
            let noise = (dice.roll() - 0.5) * 2.0 * grain;
            colour.map(|value| (value + lit + noise).clamp(0.0, 255.0) as u8)
        })
        .collect();
    (
        Raster::new(Size::new(width as u32, height as u32), false, bytes).expect("pixels"),
        (left, top, across, down),
    )
}

/// The share of a box that a crop keeps.
fn kept(crop: kivet_recipe::Rect, (left, top, width, height): Box4) -> f64 {
    let overlap = |a: f64, al: f64, b: f64, bl: f64| ((a + al).min(b + bl) - a.max(b)).max(0.0);
    overlap(crop.x, crop.width, left, width) * overlap(crop.y, crop.height, top, height)
        / (width * height)
}

#[test]
fn square_and_tall_crops_keep_the_subject() {
    for (recipe, centred) in
        [("ratio-1-1", "ratio-1-1_at-center"), ("ratio-9-16", "ratio-9-16_at-center")]
    {
        let count = |recipe: &str| {
            let parsed: Recipe = recipe.parse().expect(recipe);
            let good = (0..SCENES).filter(|seed| {
                let (raster, subject) = scene(*seed);
                let analysis = Some(analyse_small(&raster));
                let facts =
                    Facts { analysis, ..Facts::plain(Format::Jpeg, raster.size(), Storage::Lossy) };
                kept(plan_for(&parsed, &facts).crop, subject) >= 0.9
            });
            good.count() as f64 / f64::from(SCENES)
        };
        let (found, middle) = (count(recipe), count(centred));
        println!(
            "{recipe}: {found:.3} of the scenes keep their subject; the middle alone: {middle:.3}"
        );
        assert!(found >= KEPT, "{recipe}: {found:.3}");
        assert!(found > middle + 0.2, "{recipe}: {found:.3} against {middle:.3} for the middle");
    }
}
