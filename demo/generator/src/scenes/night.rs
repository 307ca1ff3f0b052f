//! The lantern night.

use super::Scene;
use super::sky::gradient;
use crate::kite::{Kite, flock, over};
use crate::light::{Light, add, hex, mix, scale, step};
use crate::noise::{fractal, hash};

/// Kites lit from within above a field of lanterns and a crowd.
pub fn lanterns(aspect: f32) -> Scene {
    let kites: Vec<Kite> = flock(11, (0.08, 0.1, aspect - 0.08, 0.52), (0.1, 0.3), 101)
        .into_iter()
        .map(|kite| Kite { lit: 0.9, tail: 1.3, ..kite })
        .collect();
    let lamps: Vec<(f32, f32, f32, Light)> = (0..70)
        .map(|i| {
            let h = |n| hash(i, n, 200);
            let near = h(3) * h(3);
            let warm = mix(hex(0xff9a3c), hex(0xffd27a), h(4));
            (h(1) * aspect, 0.70 + 0.2 * near + 0.02 * h(2), 0.004 + 0.016 * near, warm)
        })
        .collect();
    Box::new(move |x, y, pixel| {
        let mut colour =
            gradient(&[(0.0, 0x070b1c), (0.5, 0x14203c), (0.75, 0x3b3350), (1.0, 0x1a1418)], y);
        let star = hash((x * 900.0) as i32, (y * 900.0) as i32, 1);
        if star > 0.9985 && y < 0.6 {
            colour = add(colour, scale([1.0; 3], (star - 0.9985) * 260.0));
        }
        for kite in &kites {
            let d2 = (x - kite.x).powi(2) + (y - kite.y).powi(2);
            colour = add(
                colour,
                scale(mix(kite.colours[0], kite.colours[1], 0.5), 0.018 * kite.size / (d2 + 0.02)),
            );
        }
        colour = over(&kites, x, y, pixel, colour, |_, cloth| {
            scale(mix(cloth, hex(0xffb860), 0.25), 0.85)
        });
        let ground = 0.7 + 0.015 * fractal(x * 3.0, 0.0, 3, 9);
        if y > ground {
            let grass = fractal(x * 120.0, y * 60.0, 4, 3);
            colour = mix(
                colour,
                scale(mix(hex(0x0c0f0c), hex(0x2a2a18), grass), 0.8),
                step(ground, ground + 0.02, y),
            );
        }
        for (lx, ly, size, warm) in &lamps {
            let d2 = (x - lx).powi(2) + ((y - ly) * 1.0).powi(2);
            let below = if y > *ly { 1.0 } else { 0.5 };
            colour =
                add(colour, scale(*warm, 0.9 * below * size * size / (d2 + size * size * 0.8)));
            colour = mix(colour, scale(*warm, 2.2), step(*size, size * 0.7, d2.sqrt()));
        }
        mix(colour, hex(0x05060a), crowd(x, y, pixel))
    })
}

/// A row of heads and shoulders along the bottom edge.
fn crowd(x: f32, y: f32, pixel: f32) -> f32 {
    let mut dark: f32 = 0.0;
    for row in 0..2 {
        let spacing = 0.052 + 0.012 * row as f32;
        let cell = (x / spacing).floor() as i32;
        for i in cell - 1..=cell + 1 {
            let h = |n| hash(i, n, 300 + row);
            let cx = (i as f32 + 0.5 + 0.5 * (h(1) - 0.5)) * spacing;
            let cy = 0.895 + 0.05 * row as f32 + 0.035 * h(2);
            let head = ((x - cx).powi(2) + ((y - cy) * 0.85).powi(2)).sqrt() - 0.0125;
            let neck = cy + 0.018 + 9.0 * (x - cx).powi(2);
            let shoulders = if (x - cx).abs() < 0.034 { neck - y } else { 1.0 };
            dark = dark.max(step(pixel, -pixel, head)).max(step(pixel, -pixel, shoulders));
        }
    }
    dark
}

/// Fire tails drawn on the dark by swung kites: long exposure.
pub fn fire_tails(aspect: f32) -> Scene {
    Box::new(move |x, y, pixel| {
        let mut colour = gradient(&[(0.0, 0x05070f), (0.7, 0x1c1a2c), (1.0, 0x0a0808)], y);
        for i in 0..9 {
            let h = |n| hash(i, n, 500);
            let (cx, cy) = (aspect * (0.08 + 0.84 * (i as f32 + 0.5) / 9.0), 0.25 + 0.35 * h(2));
            let (dx, dy) = (x - cx, y - cy);
            let (radius, angle) = ((dx * dx + dy * dy).sqrt(), dy.atan2(dx));
            let wanted = 0.05
                + 0.11 * h(3)
                + 0.03 * (angle * 2.0 + h(4) * 6.0).sin()
                + 0.012 * (angle * 7.0 + h(5) * 6.0).sin();
            let gap = step(0.0, 0.5, (angle + 3.2 * h(6)).sin() + 0.75);
            let off = (radius - wanted).abs();
            let heat = gap * (0.0022 / (off + 0.0022)).powf(1.5);
            let sparks =
                step(0.8, 0.95, hash((x / pixel / 5.0) as i32, (y / pixel / 5.0) as i32, i as u32))
                    * gap
                    * step(0.035, 0.0, off)
                    * fractal(angle * 8.0, radius * 60.0, 3, 30 + i as u32);
            let tone = mix(hex(0xff5a14), hex(0xffd890), heat);
            colour =
                add(colour, scale(tone, heat * 1.5 + sparks * 0.7 + 0.02 * (0.02 / (off + 0.02))));
        }
        let ground = 0.86 + 0.01 * fractal(x * 5.0, 0.0, 3, 2);
        let sand = mix(
            hex(0x120d0a),
            hex(0x4a2c18),
            fractal(x * 60.0, y * 160.0, 4, 21) * step(ground, 0.9, y),
        );
        mix(
            mix(colour, sand, step(ground, ground + 0.01, y)),
            hex(0x030303),
            crowd(x * 0.8, y - 0.04, pixel),
        )
    })
}
