//! Made-up photographs: skies, cloth, grass, lantern nights, fog, with and without grain, each from
//! its number alone.

use anyhow::Result;
use kivet_image::Raster;
use kivet_recipe::Size;

use crate::bare;

/// How many there are.
pub const COUNT: u32 = 40;

const SIZE: Size = Size { width: 3000, height: 2000 };

/// One of them as a JPEG of a camera's quality.
pub fn jpeg(number: u32) -> Result<Vec<u8>> {
    let pixel = |x: u32, y: u32| {
        let (u, v) = (x as f32 / SIZE.height as f32, y as f32 / SIZE.height as f32);
        let base = scene(number, u, v);
        // Grain of a high sensitivity on every third, a little on every other.
        let amount = [0.003, 0.009, 0.025][number as usize % 3];
        let grain = (hash(number ^ 77, x, y) + hash(number ^ 99, x, y) - 1.0) * amount * 1.7;
        base.map(|channel| ((channel + grain).clamp(0.0, 1.0) * 255.0).round() as u8)
    };
    let bytes =
        (0..SIZE.height).flat_map(|y| (0..SIZE.width).flat_map(move |x| pixel(x, y))).collect();
    let raster = Raster::new(SIZE, false, bytes)
        .ok_or_else(|| anyhow::anyhow!("not as many pixels as the size says"))?;
    bare::camera_jpeg(&raster, 94.0)
}

/// Colour at a point, channels 0 to 1.
fn scene(number: u32, u: f32, v: f32) -> [f32; 3] {
    let tint = |channel: u32| 0.35 + 0.6 * hash(number, channel, 7);
    let (a, b) = ([tint(1), tint(2), tint(3)], [tint(4), tint(5), tint(6)]);
    let mix = |share: f32| [0, 1, 2].map(|i| a[i] * (1.0 - share) + b[i] * share);
    let cloud = |scale: f32, octaves| layered(number, u * scale, v * scale, octaves);
    match number % 8 {
        0 => mix((v + 0.3 * cloud(2.0, 4)).clamp(0.0, 1.0)),
        1 => {
            let weave =
                ((u * 260.0).sin() * (v * 260.0).sin() * 0.5 + 0.5) * (0.6 + 0.4 * cloud(3.0, 3));
            mix(weave).map(|channel| channel * (0.7 + 0.5 * cloud(5.0, 4)))
        }
        2 => mix(cloud(24.0, 6)).map(|channel| channel * (0.5 + cloud(60.0, 3) * 0.8)),
        3 => {
            let lights: f32 = (0..14)
                .map(|i| {
                    let (x, y) = (hash(number, i, 31) * 1.5, hash(number, i, 32));
                    let distance = (u - x).hypot(v - y);
                    (-distance * distance * 900.0).exp() + 0.15 * (-distance * 9.0).exp()
                })
                .sum();
            mix(0.3).map(|channel| channel * 0.12 + lights.min(1.0) * 0.85)
        }
        4 => mix(cloud(1.2, 2)).map(|channel| 0.55 + 0.3 * (channel - 0.5)),
        5 => {
            // Kites: hard-edged triangles on a soft sky.
            let inside = |i: u32| {
                let (x, y) = (hash(number, i, 41) * 1.5, hash(number, i, 42));
                let size = 0.05 + 0.12 * hash(number, i, 43);
                (u - x).abs() / size + (v - y).abs() / (size * 1.6) < 1.0
            };
            let kite = (0..12).rev().find(|i| inside(*i));
            kite.map_or_else(
                || mix(v),
                |i| [hash(number, i, 51), hash(number, i, 52), hash(number, i, 53)],
            )
        }
        6 => {
            let ridge = layered(number, u * 6.0, 0.0, 5);
            let slope = mix(cloud(40.0, 5)).map(|channel| channel * 0.5);
            if v > 0.35 + 0.4 * ridge { slope } else { mix(v * 0.6) }
        }
        _ => mix((cloud(9.0, 5) * 1.6 - 0.3).clamp(0.0, 1.0)),
    }
}

/// Smooth noise at several scales, 0 to 1.
fn layered(seed: u32, x: f32, y: f32, octaves: u32) -> f32 {
    let (mut sum, mut weight, mut total) = (0.0, 1.0, 0.0);
    for octave in 0..octaves {
        let scale = (1u32 << octave) as f32;
        sum += weight * smooth(seed.wrapping_add(octave * 131), x * scale, y * scale);
        total += weight;
        weight *= 0.55;
    }
    sum / total
}

fn smooth(seed: u32, x: f32, y: f32) -> f32 {
    let (column, row) = (x.floor(), y.floor());
    let ease = |t: f32| t * t * (3.0 - 2.0 * t);
    let (s, t) = (ease(x - column), ease(y - row));
    let at = |dx: f32, dy: f32| hash(seed, (column + dx) as i32 as u32, (row + dy) as i32 as u32);
    let top = at(0.0, 0.0) * (1.0 - s) + at(1.0, 0.0) * s;
    let bottom = at(0.0, 1.0) * (1.0 - s) + at(1.0, 1.0) * s;
    top * (1.0 - t) + bottom * t
}

/// A number from 0 to 1 that looks like chance.
fn hash(seed: u32, x: u32, y: u32) -> f32 {
    let mut h =
        seed.wrapping_mul(0x9E37_79B9) ^ x.wrapping_mul(0x85EB_CA6B) ^ y.wrapping_mul(0xC2B2_AE35);
    h = (h ^ (h >> 15)).wrapping_mul(0x2C1B_3C6D);
    h = (h ^ (h >> 12)).wrapping_mul(0x297A_2D39);
    ((h ^ (h >> 15)) >> 8) as f32 / (1u32 << 24) as f32
}
