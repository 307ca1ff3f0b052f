//! The dunes behind the beach.

use super::Scene;
use super::sky::{clouds, gradient};
use crate::kite::{Kite, Shape, flock, line, over};
use crate::light::{hex, mix, scale, step};
use crate::noise::fractal;

/// Dunes at noon with wind ripples and marram grass.
pub fn dunes(aspect: f32) -> Scene {
    let mut kites = flock(7, (aspect * 0.1, 0.06, aspect * 0.95, 0.34), (0.05, 0.14), 23);
    let big = Kite { tail: 2.4, ..Kite::new(Shape::Hex, aspect * 0.66, 0.22, 0.25, 0.2, 13) };
    kites.push(big);
    Box::new(move |x, y, pixel| {
        let sky = gradient(&[(0.0, 0x1f63ad), (0.5, 0x7fb3de), (0.7, 0xd5e6ea)], y);
        let (cover, lit) = clouds(x + 7.0, y * 1.4, 0.4, 33);
        let mut colour = mix(sky, mix(hex(0xc3cfd8), hex(0xffffff), lit), cover * 0.8);
        let string = line(x, y, (big.x, big.y + 0.1), (aspect * 0.2, 0.66), pixel * 2.0);
        colour = mix(colour, hex(0x3a3a3a), string);
        colour = over(&kites, x, y, pixel, colour, |_, colour| colour);
        for layer in 0..4u32 {
            let near = layer as f32 / 3.0;
            let ridge = |x: f32| {
                let broad =
                    fractal(x * (0.9 + 0.3 * near) + layer as f32 * 9.1, 0.3, 3, 50 + layer);
                0.5 + 0.11 * layer as f32 + (broad - 0.5) * (0.18 + 0.12 * near)
            };
            let top = ridge(x);
            if y < top - pixel {
                continue;
            }
            let slope = (ridge(x + 0.01) - top) * 100.0;
            let bent = fractal(x * 3.0, y * 3.0, 3, 88 + layer);
            let ripples = ((y * (90.0 - 40.0 * near) + bent * 22.0 + x * 8.0).sin() * 0.5 + 0.5)
                * (0.10 + 0.10 * near);
            let lit =
                0.8 + 0.22 * slope + ripples + 0.16 * (fractal(x * 170.0, y * 170.0, 2, 5) - 0.5);
            let sand = scale(
                mix(hex(0xb8986a), hex(0xe8d3a6), near * 0.7 + 0.2 * bent),
                lit.clamp(0.35, 1.25),
            );
            let sand = mix(sand, hex(0xc9d9e0), 0.45 * (1.0 - near));
            let depth = y - top;
            let blades = fractal(x * 130.0 + (depth * 40.0).sin(), y * 9.0, 3, 91 + layer);
            let patch = step(0.54, 0.66, fractal(x * 2.4, layer as f32 * 3.0 + y, 3, 17));
            let grass =
                patch * step(0.13, 0.02, depth) * step(0.46, 0.58, blades) * (0.4 + 0.6 * near);
            let green = mix(hex(0x3d4a24), hex(0x8d9a55), blades);
            colour = mix(colour, mix(sand, green, grass), step(top - pixel, top + pixel, y));
        }
        colour
    })
}
