//! Port Ellery's roofs.

use super::Scene;
use super::sky::{clouds, gradient};
use crate::kite::{flock, over};
use crate::light::{hex, mix, scale, step};
use crate::noise::{fractal, hash};

const WALLS: [u32; 7] = [0xe9dcc4, 0xd9a58b, 0xa9bfc4, 0xf0e7d8, 0xcf8a6a, 0xb7c3a0, 0xe4c98e];

/// Gabled houses in rows up the hill, kites above.
pub fn roofs(aspect: f32) -> Scene {
    let kites = flock(9, (0.05, 0.05, aspect - 0.05, 0.3), (0.05, 0.14), 140);
    Box::new(move |x, y, pixel| {
        let sky = gradient(&[(0.0, 0x5d8fc0), (0.5, 0xc4dbe6), (1.0, 0xe8eee8)], y * 1.8);
        let (cover, lit) = clouds(x + 20.0, y, 0.5, 150);
        let sky = mix(sky, mix(hex(0xb5bfc8), hex(0xffffff), lit), cover * 0.8);
        let mut colour = over(&kites, x, y, pixel, sky, |_, cloth| cloth);
        for row in 0..6 {
            let near = row as f32 / 5.0;
            let width = 0.085 + 0.075 * near;
            let base = 0.42 + 0.115 * row as f32;
            let cell = (x / width + 0.37 * row as f32).floor() as i32;
            for i in [cell] {
                let h = |n| hash(i, n, 160 + row as u32);
                let left = (i as f32 - 0.37 * row as f32) * width;
                let (u, tall) = ((x - left) / width, width * (0.75 + 0.5 * h(1)));
                let eaves = base - tall * 0.5 + 0.02 * h(2);
                let gable = eaves - width * 0.55 * (1.0 - (u - 0.5).abs() * 2.0);
                let chimney = (0.68..0.8).contains(&u) && y > eaves - width * 0.58;
                if y < gable - pixel && !chimney {
                    continue;
                }
                let haze = 0.45 * (1.0 - near);
                let v = (y - eaves) / width;
                let mut face = if y < eaves {
                    let tiles = 0.75
                        + 0.25
                            * ((y * 900.0 / (1.0 + near)).sin() * (x * 700.0 / (1.0 + near)).sin());
                    let side = if u < 0.5 { 1.0 } else { 0.68 };
                    scale(
                        mix(hex(0x8e3f2c), hex(0xc26a48), h(3)),
                        tiles * side * (0.8 + 0.4 * fractal(x * 80.0, y * 80.0, 3, 5)),
                    )
                } else {
                    let plaster = 0.9 + 0.2 * fractal(x * 60.0, y * 60.0, 4, 7);
                    scale(hex(WALLS[(h(4) * 7.0) as usize % 7]), plaster * 0.82)
                };
                if chimney && y < gable {
                    face = scale(hex(0x8a5a48), 0.8);
                }
                let (wu, wv) = ((u * 3.0).fract() - 0.5, (v * 2.6).fract() - 0.5);
                let window = y > eaves && wu.abs() < 0.22 && wv.abs() < 0.3 && v < 1.6;
                if window {
                    let frame = wu.abs() > 0.17 || wv.abs() > 0.25 || wu.abs() < 0.02;
                    let pane = if hash(i * 9 + (u * 3.0) as i32, (v * 2.6) as i32, 9) > 0.8 {
                        0xf4c983
                    } else {
                        0x2c3d4c
                    };
                    face = if frame {
                        hex(0xf2efe8)
                    } else {
                        mix(hex(pane), hex(0xbcd2de), 0.3 * (0.5 - wv))
                    };
                }
                let shadow = if y > eaves { step(0.0, 0.035, y - eaves) } else { 1.0 };
                face = scale(face, 0.55 + 0.45 * shadow);
                colour = mix(
                    colour,
                    mix(face, hex(0xcfdde4), haze),
                    if chimney { 1.0 } else { step(gable - pixel, gable + pixel, y) },
                );
            }
        }
        colour
    })
}
