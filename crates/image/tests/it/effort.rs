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
    let bytes =
        (0..SIZE.height).flat_map(|y| (0..SIZE.width).flat_map(move |x| pixel(x, y))).collect();
    Raster::new(SIZE, false, bytes).expect("as many pixels as the size says")
}

#[test]
fn slow_presets_do_not_multiply_the_bytes_of_a_smooth_picture() {
    for raster in [smooth(true), smooth(false)] {
        let reference = Reference::new(&raster, Gamut::Srgb);
        // The formats whose slow preset is another than the fast one.
        for (format, factor) in [(Format::Avif, 1.25), (Format::Jxl, 1.5)] {
            let made = |effort| {
                let writing = Writing { effort, ..Writing::new(Encoding::lossy(70.0)) };
                let file = write(&raster, format, &writing).expect("written");
                (file.len(), reference.score(&file).expect("scored").get(), file)
            };
            let (fast, slow) = (made(Effort::Fast), made(Effort::Slow));
            assert_ne!(fast.2, slow.2, "{format}: the presets write the same file");
            let (fast, slow) = ((fast.0, fast.1), (slow.0, slow.1));
            assert!(
                slow.0 as f64 <= fast.0 as f64 * factor && slow.1 >= fast.1 - 4.0,
                "{format}: {fast:?}, then {slow:?}"
            );
        }
    }
}
