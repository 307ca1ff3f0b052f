//! The sea at Port Ellery.

use super::Scene;
use super::sky::{clouds, gradient};
use crate::kite::{Kite, Shape, flock, over};
use crate::light::{Light, add, hex, mix, scale, step};
use crate::noise::{fractal, smooth};

/// Dawn over the harbour: the banner of the front page.
pub fn harbour_dawn(aspect: f32) -> Scene {
    let mut kites = flock(15, (0.04, 0.06, aspect - 0.04, 0.44), (0.05, 0.16), 12);
    kites.push(Kite { tail: 2.0, ..Kite::new(Shape::Diamond, aspect * 0.32, 0.3, 0.3, 0.35, 5) });
    kites.push(Kite { tail: 1.8, ..Kite::new(Shape::Delta, aspect * 0.72, 0.26, 0.24, -0.3, 8) });
    Box::new(move |x, y, pixel| {
        let horizon = 0.66;
        if y < horizon {
            let sky = dawn(x, y / horizon, aspect);
            let flying = over(&kites, x, y, pixel, sky, |kite, colour| {
                mix(scale(colour, 0.82), hex(0xf0a878), (0.3 - kite.size * 1.2).max(0.0))
            });
            return mix(flying, hex(0x2b2a3c), mole(x, y, horizon, aspect, pixel));
        }
        let depth = y - horizon;
        let swell = fractal(x * 9.0 / (0.25 + depth * 3.0), 10.0 * (depth + 0.02).ln(), 5, 4) - 0.5;
        let mirrored = (1.0 - depth / horizon * 1.5 + swell * 0.16).clamp(0.0, 1.0);
        let water = scale(dawn(x + swell * 0.08, mirrored, aspect), 0.62);
        let glitter = step(0.62, 0.8, fractal(x * 26.0, depth * 260.0 / (0.3 + depth * 4.0), 3, 9));
        let path = (-((x - aspect * 0.55) / (0.10 + depth * 0.5)).powi(2)).exp();
        let water = add(water, scale(hex(0xffc37a), glitter * path * 0.9));
        let hull = boats(x, y, horizon, aspect, pixel);
        mix(mix(water, hex(0x1c2a3f), 0.25 + depth * 0.6), hex(0x191a26), hull)
    })
}

fn dawn(x: f32, y: f32, aspect: f32) -> Light {
    let sky = gradient(
        &[(0.0, 0x35507f), (0.4, 0x8c86a8), (0.7, 0xe3a58e), (0.9, 0xf8c98c), (1.0, 0xfbe0ab)],
        y,
    );
    let sun = ((x - aspect * 0.55).powi(2) + ((y - 0.96) * 0.66).powi(2)).sqrt();
    let sky =
        add(sky, scale(hex(0xffc070), 0.9 * (-sun * 9.0).exp() + 3.0 * step(0.035, 0.03, sun)));
    let (cover, lit) = clouds(x, y * 0.7, 0.5, 3);
    mix(sky, mix(hex(0x77708f), hex(0xffc9a0), lit * (0.4 + 0.6 * y)), cover * 0.75)
}

/// The harbour wall with its light, and the far shore.
fn mole(x: f32, y: f32, horizon: f32, aspect: f32, pixel: f32) -> f32 {
    let shore =
        horizon - 0.018 - 0.03 * fractal(x * 3.0, 0.0, 4, 31) * step(aspect, aspect * 0.3, x);
    let wall = step(aspect * 0.74, aspect * 0.745, x) * step(horizon - 0.022, horizon - 0.02, y);
    let tower = step(0.011, 0.011 - pixel, (x - aspect * 0.79).abs() + 0.03 * (horizon - y))
        * step(horizon - 0.12, horizon - 0.119, y);
    step(shore - pixel, shore + pixel, y).max(wall).max(tower)
}

/// Moored boats as dark hulls with masts.
fn boats(x: f32, y: f32, horizon: f32, aspect: f32, pixel: f32) -> f32 {
    let mut dark: f32 = 0.0;
    for (share, size, row) in
        [(0.12, 0.09, 0.1), (0.27, 0.06, 0.05), (0.44, 0.045, 0.03), (0.86, 0.12, 0.15)]
    {
        let (dx, dy) = ((x - aspect * share) / size, (y - horizon - row) / size);
        let soft = pixel / size;
        let hull =
            step(-0.06 - soft, -0.06, dy) * step(soft, -soft, dy - 0.17 * (1.0 - dx.abs().powi(4)));
        let hull = if dx.abs() < 1.0 + dy * 0.8 { hull } else { 0.0 };
        let cabin = step(soft, -soft, ((dx + 0.3).abs() - 0.22).max((dy + 0.13).abs() - 0.09));
        let mast = step(soft * 2.0, 0.0, (dx - 0.12).abs() - 0.012)
            * step(-1.25, -1.2, dy)
            * step(0.0, -0.05, dy);
        let boom = step(soft * 2.0, 0.0, (dy + 0.2 - 0.12 * dx).abs() - 0.01)
            * step(0.8, 0.78, dx)
            * step(0.1, 0.12, dx);
        let hull = hull.max(cabin).max(mast).max(boom);
        let reflection =
            0.7 * step(0.95, 0.4, dx.abs()) * step(0.6, 0.2, dy) * step(0.08, 0.16, dy);
        let ripple = smooth(x * 60.0, y * 300.0, 6);
        dark = dark.max(hull).max(reflection * ripple);
    }
    dark
}

/// Breakers seen from the dunes: the largest original.
pub fn breakers(aspect: f32) -> Scene {
    let kites = flock(6, (0.1, 0.05, aspect - 0.1, 0.2), (0.04, 0.1), 55);
    Box::new(move |x, y, pixel| {
        let horizon = 0.3;
        if y < horizon {
            let sky = gradient(&[(0.0, 0x7fa6c4), (1.0, 0xd8e2e2)], y / horizon);
            let (cover, lit) = clouds(x, y, 0.55, 61);
            let sky = mix(sky, mix(hex(0xa9b4bd), hex(0xfafafa), lit), cover * 0.8);
            return over(&kites, x, y, pixel, sky, |_, colour| mix(colour, hex(0xcfdde2), 0.15));
        }
        let depth = (y - horizon) / (1.0 - horizon);
        let far = 1.0 / (0.06 + depth);
        let bend = fractal(x * 2.2, far * 0.35, 3, 8);
        let phase = far * 1.6 + bend * 2.6;
        let crest = (phase.fract() - 0.5).abs() * 2.0;
        let chop = fractal(x * far * 2.4, far * 9.0 + x * 0.5, 5, 14);
        let water = mix(hex(0x0f4a58), hex(0x5aa39a), chop * 0.8 + 0.25 * crest);
        let water = mix(water, hex(0xc8dadb), step(0.25, 0.0, depth) * 0.6);
        let curl = step(0.72, 0.93, crest)
            * step(0.38, 0.62, fractal(x * 7.0 + phase.floor() * 5.0, phase.floor() * 3.1, 4, 2));
        let lace = step(0.5, 0.66, fractal(x * 15.0, y * 34.0, 5, 70))
            * step(0.1, 0.8, depth)
            * step(0.9, 0.3, crest);
        let foam = (curl * (0.7 + 0.3 * chop)).max(lace * 0.55);
        let water = mix(water, hex(0xf4f7f4), foam);
        let edge = 0.84 + 0.05 * (x * 2.1).sin() + 0.04 * fractal(x * 4.0, 1.0, 3, 44);
        let sand = scale(
            mix(hex(0x8a7450), hex(0xcbb48a), step(edge, 1.0, y)),
            0.85 + 0.3 * fractal(x * 90.0, y * 90.0, 3, 6),
        );
        let wet = mix(water, sand, step(edge, edge + 0.03, y));
        mix(wet, hex(0xf8faf6), 0.8 * step(0.018, 0.004, (y - edge - 0.008 * chop).abs()))
    })
}
