//! The makers, seen against their lamps.

use super::Scene;
use crate::kite::CLOTH;
use crate::light::{Light, add, hex, mix, scale, step};
use crate::noise::{fractal, hash};

/// One maker's head and shoulders before a wall of lit cloth; `who` changes the pose and the
/// colours.
pub fn portrait(aspect: f32, who: u32) -> Scene {
    let glow = hex(CLOTH[[1, 2, 4][who as usize % 3]]);
    let coat = hex([0x27384a, 0x5a2c28, 0x2f4a38][who as usize % 3]);
    let lean = [0.02, -0.03, 0.01][who as usize % 3];
    Box::new(move |x, y, pixel| {
        let x = x - aspect * 0.5;
        let mut colour = wall(x, y, glow, who);
        let body = figure(x - lean * (0.9 - y) * 2.0, y, who);
        if body < pixel {
            let skin = mix(hex(0x6d4530), hex(0xd9a27c), [0.5, 0.25, 0.75][who as usize % 3]);
            let collar = 0.545 + 0.9 * x * x;
            let head = step(collar + 0.004, collar - 0.004, y);
            let side = (0.5 + 1.7 * x + 0.5 * (0.4 - y)).clamp(0.14, 0.95);
            let pores = 0.94 + 0.12 * fractal(x * 130.0, y * 130.0, 3, who);
            let knit = 0.8
                + 0.2 * ((x * 330.0).sin() * (y * 330.0).sin())
                + 0.25 * (fractal(x * 7.0, y * 5.0, 4, who) - 0.5);
            let chin = 1.0 - 0.55 * step(0.49, 0.53, y) * step(0.62, 0.55, y);
            let mut solid =
                mix(scale(coat, knit * side * 1.5), scale(skin, pores * side * chin), head);
            solid = features(solid, x - lean, y, skin, who);
            let cap = cap_height(x, who);
            let stripes = if ((y * 60.0) as i32) % 2 == 0 { 1.0 } else { 0.8 };
            let cloth = scale(
                hex(CLOTH[[0, 6, 3][who as usize % 3]]),
                (side + 0.1) * stripes * (0.9 + 0.1 * (x * 400.0).sin()),
            );
            solid = mix(solid, cloth, step(cap + 0.003, cap - 0.003, y));
            let rim = step(-0.016, 0.0, body) * (0.35 + 0.65 * step(-0.1, 0.1, x));
            solid = add(solid, scale(mix(glow, [1.0; 3], 0.3), rim * 0.35));
            colour = mix(colour, solid, step(pixel, -pixel, body));
        }
        colour
    })
}

/// Lamps out of focus before hung cloth.
fn wall(x: f32, y: f32, glow: Light, who: u32) -> Light {
    let folds = 0.5 + 0.5 * (x * 14.0 + 2.0 * fractal(x * 2.0, y, 3, who)).sin();
    let mut colour = scale(mix(hex(0x1b1a22), glow, 0.18 + 0.3 * folds * (1.0 - y)), 0.8);
    for i in 0..16 {
        let h = |n| hash(i, n, 700 + who);
        let (cx, cy, radius) = ((h(1) - 0.5) * 0.9, h(2) * 0.9, 0.02 + 0.05 * h(3));
        let distance = ((x - cx).powi(2) + (y - cy).powi(2)).sqrt();
        let disc = step(radius, radius * 0.92, distance)
            * (0.55 + 0.45 * step(radius * 0.6, radius, distance));
        colour = add(colour, scale(mix(hex(0xffb868), glow, h(4)), disc * 0.4 * (0.3 + h(5))));
    }
    colour
}

/// Signed distance to head, neck and shoulders: negative inside.
fn figure(x: f32, y: f32, who: u32) -> f32 {
    let head = ((x / 0.118).powi(2) + ((y - 0.37) / 0.15).powi(2)).sqrt() - 1.0;
    let neck = (x.abs() - 0.06).max((y - 0.52).abs() - 0.08) / 0.12;
    let slope = 0.565 + 0.01 * who as f32 + 0.34 * x.abs() + step(0.2, 0.36, x.abs()) * 0.22;
    let sleeves = 0.31 + 0.1 * (y - 0.6) - x.abs();
    let shoulders = ((slope - y) / 0.12).max(-sleeves / 0.12);
    head.min(neck).min(shoulders) * 0.12
}

fn cap_height(x: f32, who: u32) -> f32 {
    match who % 3 {
        0 => 0.285 + 0.9 * x * x,
        1 => 0.29 - 0.2 * x,
        _ => 0.27 + 0.15 * x,
    }
}

/// Brows, eyes, the shadow of a nose, a mouth.
fn features(colour: Light, x: f32, y: f32, skin: Light, who: u32) -> Light {
    let dark = scale(skin, 0.18);
    let blob = |cx: f32, cy: f32, rx: f32, ry: f32| {
        let d = (((x - cx) / rx).powi(2) + ((y - cy) / ry).powi(2)).sqrt();
        step(1.1, 0.8, d)
    };
    let mut out = colour;
    for side in [-0.042, 0.042] {
        out = mix(out, scale(skin, 0.45), 0.6 * blob(side, 0.362, 0.026, 0.017));
        out = mix(out, hex(0xe8ded2), 0.75 * blob(side, 0.364, 0.015, 0.0075));
        out = mix(out, dark, blob(side + 0.002, 0.364, 0.007, 0.0075));
        out = mix(out, dark, 0.8 * blob(side, 0.338 - 0.1 * side.abs(), 0.024, 0.005));
    }
    out = mix(out, scale(skin, 0.4), 0.6 * blob(-0.012, 0.405, 0.011, 0.035));
    out = mix(out, scale(skin, 0.3), 0.5 * blob(0.0, 0.43, 0.022, 0.006));
    out = mix(out, hex(0x8a3a34), 0.75 * blob(0.0, 0.462, 0.034, 0.0075 + 0.002 * who as f32));
    let beard =
        if who % 3 == 1 { step(0.43, 0.5, y + 0.5 * x * x) * step(0.56, 0.52, y) } else { 0.0 };
    mix(out, scale(hex(0x3a2a20), 0.4 + 0.8 * fractal(x * 300.0, y * 60.0, 2, 9)), beard * 0.85)
}
