//! Skies, and what flies in them.

use super::Scene;
use crate::kite::{Kite, Shape, flock, over};
use crate::light::{Light, add, hex, mix, scale, step};
use crate::noise::fractal;

/// A vertical run of colours from the zenith (0) to the horizon (1).
pub fn gradient(stops: &[(f32, u32)], at: f32) -> Light {
    let upper = stops.iter().position(|stop| stop.0 >= at).unwrap_or(stops.len() - 1).max(1);
    let (from, to) = (stops[upper - 1], stops[upper]);
    mix(hex(from.1), hex(to.1), (at - from.0) / (to.0 - from.0))
}

/// How thick clouds are at a point, and how lit from the side of the light.
pub fn clouds(x: f32, y: f32, cover: f32, seed: u32) -> (f32, f32) {
    let at = |x: f32, y: f32| {
        let warp = fractal(x * 1.3, y * 2.0, 3, seed + 90) - 0.5;
        fractal(x * 1.8 + warp * 1.2, y * 4.5 + warp, 6, seed)
    };
    let here = at(x, y);
    let lit = 0.5 + 3.2 * (here - at(x + 0.035, y - 0.03));
    (step(1.0 - cover, 1.0 - cover + 0.26, here), lit.clamp(0.0, 1.3))
}

/// Many kites high in a summer sky with fair-weather clouds.
pub fn high_kites(aspect: f32) -> Scene {
    let mut kites = flock(13, (0.05, 0.12, aspect - 0.05, 0.8), (0.07, 0.34), 41);
    kites.push(Kite { tail: 2.2, ..Kite::new(Shape::Delta, aspect * 0.62, 0.4, 0.46, -0.35, 2) });
    Box::new(move |x, y, pixel| {
        let sky = gradient(&[(0.0, 0x2b6cb8), (0.6, 0x6fa9dc), (1.0, 0xb9d9ee)], y);
        let (cover, lit) = clouds(x + 3.0, y, 0.52, 7);
        let cloud = mix(hex(0x9fb1c4), hex(0xffffff), lit);
        over(&kites, x, y, pixel, mix(sky, cloud, cover * 0.95), |kite, colour| {
            mix(colour, hex(0x9cc4e4), (0.25 - kite.size).max(0.0))
        })
    })
}

/// A storm front over the plain at sunset; saturated, for the wide-gamut original.
pub fn storm_front(aspect: f32) -> Scene {
    let kites = flock(5, (0.1, 0.15, aspect * 0.7, 0.5), (0.05, 0.13), 77);
    Box::new(move |x, y, pixel| {
        let horizon = 0.78 + 0.012 * fractal(x * 6.0, 0.0, 4, 5);
        let sky =
            gradient(&[(0.0, 0x232a44), (0.35, 0x6a3a58), (0.62, 0xe0523a), (0.8, 0xffb53c)], y);
        let sun = ((x - aspect * 0.7).powi(2) + (y - 0.74).powi(2)).sqrt();
        let sky = add(sky, scale(hex(0xff8a2a), 0.22 * (-sun * 3.5).exp()));
        let (cover, lit) = clouds(x * 0.9 + 11.0, y * 1.1, 0.62, 19);
        let under = step(0.2, 0.75, y);
        let cloud = mix(
            hex(0x20243a),
            mix(hex(0x8a4a64), hex(0xff7a3c), under),
            lit * (0.35 + 0.5 * under),
        );
        let sky = mix(sky, cloud, cover);
        let flying = over(&kites, x, y, pixel, sky, |_, colour| {
            mix(scale(colour, 0.5), hex(0x3a2034), 0.35)
        });
        if y < horizon {
            return flying;
        }
        let depth = (y - horizon) / (1.0 - horizon);
        let grass = fractal(x * (40.0 - 26.0 * depth), y * 170.0 / (0.4 + depth), 5, 23);
        let field = mix(hex(0x2a1c1c), hex(0x7a4a20), grass * (1.1 - depth * 0.6));
        mix(mix(hex(0xd07a3a), field, step(0.0, 0.25, depth)), field, 0.4)
    })
}
