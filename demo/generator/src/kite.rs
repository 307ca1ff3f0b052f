//! Kites of sewn panels, with spars, a line and a tail.

use crate::light::{Light, hex, mix, scale, step};
use crate::noise::{fractal, smooth};

#[derive(Clone, Copy)]
pub enum Shape {
    Diamond,
    Delta,
    Hex,
}

/// A kite at (`x`, `y`), `size` tall, turned by `angle`; `lit` makes it glow from within.
#[derive(Clone, Copy)]
pub struct Kite {
    pub shape: Shape,
    pub x: f32,
    pub y: f32,
    pub size: f32,
    pub angle: f32,
    pub colours: [Light; 3],
    pub tail: f32,
    pub lit: f32,
    pub seed: u32,
}

/// Sail cloths the festival's makers buy.
pub const CLOTH: [u32; 9] =
    [0xd8342b, 0xf2a51e, 0x1f6fb4, 0x19915f, 0x7a3f98, 0xf4efe6, 0x0d2b45, 0xe9c72f, 0xe0567f];

impl Kite {
    pub fn new(shape: Shape, x: f32, y: f32, size: f32, angle: f32, seed: u32) -> Self {
        let pick = |n: u32| hex(CLOTH[((seed.wrapping_mul(7) + n * 4 + seed / 3) % 9) as usize]);
        Self {
            shape,
            x,
            y,
            size,
            angle,
            colours: [pick(0), pick(1), pick(2)],
            tail: 1.6,
            lit: 0.0,
            seed,
        }
    }

    fn outline(&self) -> &'static [(f32, f32)] {
        match self.shape {
            Shape::Diamond => &[(0.0, -0.5), (0.38, -0.14), (0.0, 0.5), (-0.38, -0.14)],
            Shape::Delta => {
                &[(0.0, -0.42), (0.72, 0.3), (0.16, 0.24), (0.0, 0.36), (-0.16, 0.24), (-0.72, 0.3)]
            }
            Shape::Hex => &[
                (0.0, -0.5),
                (0.43, -0.25),
                (0.43, 0.25),
                (0.0, 0.5),
                (-0.43, 0.25),
                (-0.43, -0.25),
            ],
        }
    }

    /// The colour and coverage at a point; `pixel` is the width of one.
    pub fn shade(&self, x: f32, y: f32, pixel: f32) -> Option<(Light, f32)> {
        let (dx, dy) = (x - self.x, y - self.y);
        let reach = self.size * (1.0 + self.tail);
        if dx.abs() > reach || dy.abs() > reach {
            return None;
        }
        let (sin, cos) = self.angle.sin_cos();
        let (u, v) = ((dx * cos + dy * sin) / self.size, (dy * cos - dx * sin) / self.size);
        let pixel = pixel / self.size;
        let sail = coverage(self.outline(), u, v, pixel);
        if sail > 0.0 {
            return Some((self.sail(u, v, pixel), sail));
        }
        let tail = self.tail_coverage(u, v, pixel);
        (tail > 0.0).then(|| (scale(self.colours[((v * 9.0) as usize) % 3], 0.8 + self.lit), tail))
    }

    fn sail(&self, u: f32, v: f32, pixel: f32) -> Light {
        let panel = match self.shape {
            Shape::Diamond => usize::from(u > 0.0) ^ usize::from(v > -0.14),
            Shape::Delta => ((u.abs() * 4.2 + v) as i32).unsigned_abs() as usize % 3,
            Shape::Hex => (((v.atan2(u) / std::f32::consts::PI + 1.0) * 3.0) as usize) % 3,
        };
        let mut colour = self.colours[panel % 3];
        if matches!(self.shape, Shape::Hex) && (u * u + v * v).sqrt() < 0.17 {
            colour = self.colours[(panel + 1) % 3];
        }
        // Cloth bellies in the wind: one side takes the light, and the weave shows when it is near.
        let belly = 0.78
            + 0.35 * (0.5 - u * 0.6 - v * 0.3)
            + 0.16 * (fractal(u * 5.0, v * 7.0, 3, self.seed) - 0.5);
        let weave =
            1.0 + 0.05 * ((u * 160.0).sin() * (v * 160.0).sin()) * step(0.006, 0.001, pixel);
        let grid =
            (((u * 26.0).fract().abs() < 0.06) || ((v * 26.0).fract().abs() < 0.06)) as u8 as f32;
        let rip = 1.0 - 0.06 * grid * step(0.006, 0.001, pixel);
        colour = scale(colour, belly * weave * rip * (1.0 + self.lit * 2.0));
        let spar = u.abs().min(if matches!(self.shape, Shape::Delta) {
            (v - 0.1).abs() + u.abs() * 0.4
        } else {
            (v + 0.14).abs()
        });
        mix(hex(0x1b1612), colour, step(0.004, 0.004 + pixel.max(0.004), spar))
    }

    fn tail_coverage(&self, u: f32, v: f32, pixel: f32) -> f32 {
        let along = v - 0.34;
        if self.tail <= 0.0 || along < 0.0 || along > self.tail {
            return 0.0;
        }
        let sway =
            0.10 * along * ((along * 5.0 + self.seed as f32).sin() + 0.6 * (along * 11.0).sin());
        let width = if (along * 6.0).fract() < 0.3 { 0.035 } else { 0.007 };
        step(width + pixel, width, (u - sway).abs())
    }
}

/// How much of a pixel at (`u`, `v`) lies inside a polygon.
fn coverage(polygon: &[(f32, f32)], u: f32, v: f32, pixel: f32) -> f32 {
    let mut inside = false;
    let mut nearest = f32::MAX;
    let mut previous = polygon[polygon.len() - 1];
    for &point in polygon {
        let ((x0, y0), (x1, y1)) = (previous, point);
        if (y0 > v) != (y1 > v) && u < (x1 - x0) * (v - y0) / (y1 - y0) + x0 {
            inside = !inside;
        }
        let (ex, ey) = (x1 - x0, y1 - y0);
        let t = (((u - x0) * ex + (v - y0) * ey) / (ex * ex + ey * ey)).clamp(0.0, 1.0);
        nearest = nearest.min(((u - x0 - t * ex).powi(2) + (v - y0 - t * ey).powi(2)).sqrt());
        previous = point;
    }
    let signed = if inside { nearest } else { -nearest };
    step(-pixel * 0.6, pixel * 0.6, signed)
}

/// A flock of kites spread over a part of the sky, largest last so that near ones cover far ones.
pub fn flock(count: u32, area: (f32, f32, f32, f32), sizes: (f32, f32), seed: u32) -> Vec<Kite> {
    let (left, top, right, bottom) = area;
    let mut kites: Vec<Kite> = (0..count)
        .map(|i| {
            let h = |n: i32| crate::noise::hash(i as i32, n, seed);
            // One kite a column, jittered, so that they do not pile up.
            let x = left + (right - left) * ((i as f32 + 0.15 + 0.7 * h(1)) / count as f32);
            let y = top + (bottom - top) * h(2);
            let size = sizes.0 + (sizes.1 - sizes.0) * h(3) * h(3);
            let shape = [Shape::Diamond, Shape::Delta, Shape::Hex, Shape::Diamond]
                [(h(4) * 4.0) as usize % 4];
            Kite::new(shape, x, y, size, (h(5) - 0.5) * 0.9, seed + i)
        })
        .collect();
    kites.sort_by(|a, b| a.size.total_cmp(&b.size));
    kites
}

/// Kites over a background colour.
pub fn over(
    kites: &[Kite],
    x: f32,
    y: f32,
    pixel: f32,
    mut below: Light,
    haze: impl Fn(&Kite, Light) -> Light,
) -> Light {
    for kite in kites {
        if let Some((colour, share)) = kite.shade(x, y, pixel) {
            below = mix(below, haze(kite, colour), share);
        }
    }
    below
}

/// A kite line sagging from a kite to a hand.
pub fn line(x: f32, y: f32, from: (f32, f32), to: (f32, f32), width: f32) -> f32 {
    let t = (x - from.0) / (to.0 - from.0);
    if !(0.0..=1.0).contains(&t) {
        return 0.0;
    }
    let sag = 0.06 * (t * (1.0 - t)) * 4.0 + 0.002 * smooth(t * 5.0, 0.0, 3);
    let at = from.1 + (to.1 - from.1) * t + sag;
    let slope = ((to.1 - from.1) / (to.0 - from.0)).abs().max(0.4);
    0.7 * step(width * (1.0 + slope), width * 0.3, (y - at).abs())
}
