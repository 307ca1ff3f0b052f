//! What the slow presets of encoders gain.

use kivet_image::{Raster, Reference, Writing, write};
use kivet_recipe::{Effort, Encoding, Format, Gamut, Size};

const SIZE: Size = Size { width: 640, height: 427 };

/// Soft lights on a dark sky, and fog: nothing but slow gradients.
fn smooth(lights: bool) -> Raster {
    let pixel = |x: u32, y: u32| {
        let (u, v) = (x as f32 / SIZE.height as f32, y as f32 / SIZE.height as f32);
        let light = |x: f32, y: f32| (-(u - x).hypot(v - y) * 5.0).exp();
        let level = match lights {
            true => 0.06 + 0.8 * (light(0.3, 0.4) + light(1.1, 0.6)).min(1.0),
            false => 0.6 + 0.15 * (u * 2.1).sin() * (v * 1.7 + 0.4).cos(),
        };
        [level, level * 0.92, level * 0.8].map(|channel| (channel * 255.0).round() as u8)
    };
    let bytes = (0..SIZE.height).flat_map(|y| (0..SIZE.width).flat_map(move |x| pixel(x, y))).collect();
    Raster::new(SIZE, false, bytes).expect("as many pixels as the size says")
}

#[test]
fn more_effort_does_not_multiply_the_bytes_of_a_smooth_picture() {
    for raster in [smooth(true), smooth(false)] {
        let reference = Reference::new(&raster, Gamut::Srgb);
        for format in [Format::Avif, Format::Webp, Format::Jpeg] {
            let made = |effort| {
                let writing = Writing { effort, ..Writing::new(Encoding::Lossy { setting: 70.0 }) };
                let file = write(&raster, format, &writing).expect("written");
                (file.len(), reference.score(&file).expect("scored"))
            };
            let (fast, best) = (made(Effort::Fast), made(Effort::Slow));
            println!("{format}: {fast:?} with the fast preset, {best:?} with the slow preset");
            assert!(best.0 * 4 <= fast.0 * 5 && best.1 >= fast.1 - 4.0, "{format}: {fast:?}, then {best:?}");
        }
    }
}
