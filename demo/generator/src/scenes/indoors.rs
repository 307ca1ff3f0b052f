//! The makers' tables: wood, cloth, thread.

use super::Scene;
use crate::kite::CLOTH;
use crate::light::{Light, hex, mix, scale, step};
use crate::noise::{fractal, hash};

fn wood(x: f32, y: f32) -> Light {
    let plank = (y * 4.5).floor();
    let shift = hash(plank as i32, 0, 8) * 30.0;
    let grain = fractal(
        (x + shift) * 1.6,
        (y * 42.0) + 3.0 * fractal(x * 1.1 + shift, y * 3.0, 3, 2),
        5,
        6,
    );
    let rings = ((grain * 26.0 + y * 50.0).sin() * 0.5 + 0.5) * 0.35;
    let fine = fractal(x * 14.0, y * 420.0, 3, 71) * 0.25;
    let tone = mix(hex(0x5d3a1e), hex(0xc48f55), grain * 0.6 + rings * 0.4 + fine);
    scale(tone, 0.55 + 0.5 * step(0.0, 0.02, ((y * 4.5).fract() - 0.5).abs().mul_add(-1.0, 0.5)))
}

/// A workbench from above: folded cloth, spools of line, a steel rule and spars.
pub fn workbench(aspect: f32) -> Scene {
    let spools: Vec<(f32, f32, f32, Light)> =
        [(0.14, 0.24, 0.11, 0), (0.27, 0.52, 0.09, 2), (0.1, 0.74, 0.12, 4), (0.86, 0.2, 0.1, 7)]
            .map(|(x, y, r, c): (f32, f32, f32, usize)| (x * aspect, y, r, hex(CLOTH[c])))
            .to_vec();
    Box::new(move |x, y, pixel| {
        let lamp = 1.15 - 0.55 * ((x - aspect * 0.4).powi(2) + (y - 0.25).powi(2)).sqrt();
        let mut colour = wood(x, y);
        for i in 0..4 {
            let (cx, cy, angle) =
                (aspect * (0.5 + 0.1 * i as f32), 0.36 + 0.13 * i as f32, 0.25 - 0.22 * i as f32);
            colour = cloth_sheet(
                colour,
                (x - cx, y - cy),
                angle,
                hex(CLOTH[(i * 2 + 1) % 9]),
                pixel,
                i as u32,
            );
        }
        for (cx, cy, radius, thread) in &spools {
            colour = spool(colour, (x - cx, y - cy), *radius, *thread, pixel);
        }
        for i in 0..3 {
            let at = 0.9 + 0.028 * i as f32 + 0.03 * (x / aspect - 0.5) * (i as f32 - 1.0);
            let off = (y - at) / 0.008;
            if off.abs() < 1.0 {
                colour = scale(mix(hex(0x2a2018), hex(0xd8b070), (1.0 - off * off).sqrt()), 0.9);
            } else if (0.0..1.8).contains(&(off - 1.0)) {
                colour = scale(colour, 0.45 + 0.3 * (off - 1.0));
            }
        }
        scale(colour, lamp)
    })
}

fn cloth_sheet(
    below: Light,
    at: (f32, f32),
    angle: f32,
    dye: Light,
    pixel: f32,
    seed: u32,
) -> Light {
    let (sin, cos) = angle.sin_cos();
    let (u, v) = (at.0 * cos + at.1 * sin, at.1 * cos - at.0 * sin);
    let edge = |shift: f32| {
        let du = (u - shift).abs() - 0.36 - 0.008 * fractal(v * 8.0, 1.0, 3, seed);
        let dv = (v - shift).abs() - 0.13 - 0.008 * fractal(u * 8.0, 2.0, 3, seed + 5);
        du.max(dv)
    };
    let shadowed = scale(below, 1.0 - 0.55 * step(0.03, -0.01, edge(0.012)));
    let fold = fractal(u * 3.0, v * 9.0, 4, seed + 40);
    let crease = fractal(u * 3.0 + 0.02, v * 9.0 - 0.03, 4, seed + 40);
    let weave = 1.0
        + 0.10 * ((u * 900.0).sin() * (v * 900.0).sin())
        + 0.05 * (hash((u * 1200.0) as i32, (v * 1200.0) as i32, seed) - 0.5);
    let lit = (0.85 + 2.2 * (fold - crease)) * weave;
    mix(shadowed, scale(dye, lit), step(pixel, -pixel, edge(0.0)))
}

fn spool(below: Light, at: (f32, f32), radius: f32, thread: Light, pixel: f32) -> Light {
    let distance = (at.0 * at.0 + at.1 * at.1).sqrt();
    let cast = ((at.0 - 0.02).powi(2) + (at.1 - 0.025).powi(2)).sqrt();
    let shadowed = scale(below, 1.0 - 0.6 * step(radius * 1.2, radius * 0.8, cast));
    let turns = 0.75
        + 0.25 * (distance / radius * 160.0).sin()
        + 0.2 * fractal(at.0 * 200.0, at.1 * 200.0, 2, 4);
    let shine = 1.0 - 0.9 * (at.0 + at.1) / radius * 0.5;
    let wound = scale(thread, turns * shine);
    let core = scale(mix(hex(0xb98e5c), hex(0xe7cfa2), 0.5 - at.1 / radius), 0.8);
    let top = mix(wound, core, step(radius * 0.44, radius * 0.44 - pixel * 2.0, distance));
    let top = mix(top, hex(0x1a120c), step(radius * 0.16, radius * 0.15, distance));
    mix(shadowed, top, step(radius, radius - pixel * 2.0, distance))
}

/// Sail cloth near enough to count the threads, with a sewn seam.
pub fn fabric(aspect: f32) -> Scene {
    let seam_at = aspect * 0.58;
    Box::new(move |x, y, _| {
        let slack = fractal(x * 1.4, y * 1.4, 4, 3);
        let (u, v) = (x + 0.05 * slack, y + 0.05 * fractal(x * 1.4, y * 1.4, 4, 12));
        let seam = u - seam_at - 0.05 * v;
        let dye = if seam < 0.0 { hex(0xc22f2a) } else { hex(0xf1b12d) };
        let threads = 210.0;
        let (warp, weft) = ((u * threads).fract(), (v * threads).fract());
        let over = ((u * threads) as i32 + (v * threads) as i32) % 2 == 0;
        let round = |t: f32| (t * std::f32::consts::PI).sin();
        let height = if over {
            round(warp) * (0.6 + 0.4 * round(weft))
        } else {
            round(weft) * (0.6 + 0.4 * round(warp))
        };
        let ripstop =
            if (u * 18.0).fract() < 0.05 || (v * 18.0).fract() < 0.05 { 1.22 } else { 1.0 };
        let shade = 0.5 + 2.6 * (slack - fractal((x + 0.03) * 1.4, (y - 0.04) * 1.4, 4, 3));
        let mut colour = scale(dye, (0.35 + 0.75 * height) * ripstop * (0.45 + 0.7 * shade));
        let pucker = step(0.06, 0.0, seam.abs());
        colour = scale(colour, 1.0 - 0.35 * pucker * (0.5 + 0.5 * (v * 60.0).sin()));
        let stitch =
            step(0.006, 0.004, (seam.abs() - 0.02).abs()) * step(0.2, 0.3, (v * 26.0).fract());
        mix(colour, scale(hex(0xf6f0e2), 0.6 + 0.5 * (v * 900.0).sin().abs()), stitch)
    })
}
