//! CIE L*a*b* under D50, ICC's connection space (CSS Color 4, sections 9.3 and 11).

use super::from_linear;

/// XYZ under D50 to linear sRGB: adapted to D65 by Bradford's method first.
const TO_SRGB: [[f64; 3]; 3] = [
    [3.134_135_85, -1.617_386_0, -0.490_662_21],
    [-0.978_795_5, 1.916_254_4, 0.033_442_83],
    [0.071_955_39, -0.228_976_76, 1.405_386_06],
];

/// White under D50.
const WHITE: [f64; 3] = [0.964_295_68, 1.0, 0.825_104_6];

/// The share of white's light that a lightness of 0 to 100 stands for.
pub(super) fn light_of(lightness: f64) -> f64 {
    unbend((lightness + 16.0) / 116.0)
}

/// As encoded sRGB, 0 to 1; what lies outside is clipped.
pub(crate) fn srgb_of_lab([l, a, b]: [f32; 3]) -> [f32; 3] {
    let y = (f64::from(l) + 16.0) / 116.0;
    let parts = [y + f64::from(a) / 500.0, y, y - f64::from(b) / 200.0];
    let xyz: [f64; 3] = std::array::from_fn(|i| WHITE[i] * unbend(parts[i]));
    TO_SRGB.map(|row| {
        let linear: f64 = row.iter().zip(xyz).map(|(factor, part)| factor * part).sum();
        from_linear(linear.clamp(0.0, 1.0)) as f32
    })
}

fn unbend(part: f64) -> f64 {
    if part > 6.0 / 29.0 { part.powi(3) } else { (116.0 * part - 16.0) / 903.296_3 }
}
