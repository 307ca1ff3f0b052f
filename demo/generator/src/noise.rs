//! Seeded noise: the same pictures come out every time.

/// A well-mixed value of 0 to 1 for a lattice point.
pub fn hash(x: i32, y: i32, seed: u32) -> f32 {
    let mut h = (x as u32).wrapping_mul(0x9E37_79B1)
        ^ (y as u32).wrapping_mul(0x85EB_CA77)
        ^ seed.wrapping_mul(0xC2B2_AE3D);
    h = (h ^ (h >> 15)).wrapping_mul(0x2C1B_3C6D);
    h = (h ^ (h >> 12)).wrapping_mul(0x297A_2D39);
    ((h ^ (h >> 15)) >> 8) as f32 / (1 << 24) as f32
}

/// Smooth value noise, 0 to 1, one feature a unit.
pub fn smooth(x: f32, y: f32, seed: u32) -> f32 {
    let (x0, y0) = (x.floor(), y.floor());
    let ease = |t: f32| t * t * t * (t * (t * 6.0 - 15.0) + 10.0);
    let (u, v) = (ease(x - x0), ease(y - y0));
    let (x0, y0) = (x0 as i32, y0 as i32);
    let at = |dx, dy| hash(x0 + dx, y0 + dy, seed);
    let top = at(0, 0) + (at(1, 0) - at(0, 0)) * u;
    let bottom = at(0, 1) + (at(1, 1) - at(0, 1)) * u;
    top + (bottom - top) * v
}

/// Several octaves of [`smooth`], 0 to 1.
pub fn fractal(x: f32, y: f32, octaves: u32, seed: u32) -> f32 {
    let (mut sum, mut weight, mut scale, mut total) = (0.0, 0.5, 1.0, 0.0);
    for octave in 0..octaves {
        // Each octave is turned a little, so that the lattice does not show.
        let (sx, sy) = (x * scale * 0.8 - y * scale * 0.6, x * scale * 0.6 + y * scale * 0.8);
        let turned = if octave % 2 == 0 { (x * scale, y * scale) } else { (sx, sy) };
        sum += weight * smooth(turned.0, turned.1, seed + octave * 17);
        total += weight;
        weight *= 0.5;
        scale *= 2.03;
    }
    sum / total
}
