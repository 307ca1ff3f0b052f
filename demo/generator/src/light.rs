//! Colours in linear light, and the few operations scenes need.

/// Linear red, green, blue.
pub type Light = [f32; 3];

/// A colour as people write it, e.g. `0xf4efe6`, in linear light.
pub fn hex(rgb: u32) -> Light {
    [16, 8, 0].map(|shift| {
        let value = ((rgb >> shift) & 255) as f32 / 255.0;
        if value <= 0.04045 { value / 12.92 } else { ((value + 0.055) / 1.055).powf(2.4) }
    })
}

pub fn mix(a: Light, b: Light, share: f32) -> Light {
    let share = share.clamp(0.0, 1.0);
    [0, 1, 2].map(|c| a[c] + (b[c] - a[c]) * share)
}

pub fn scale(a: Light, factor: f32) -> Light {
    a.map(|value| value * factor)
}

pub fn add(a: Light, b: Light) -> Light {
    [0, 1, 2].map(|c| a[c] + b[c])
}

/// 0 below `from`, 1 above `to`, smooth between; `from` may be the larger.
pub fn step(from: f32, to: f32, x: f32) -> f32 {
    let t = ((x - from) / (to - from)).clamp(0.0, 1.0);
    t * t * (3.0 - 2.0 * t)
}

/// A linear value as 8-bit sRGB, bright parts rolled off softly as film does.
pub fn develop(value: f32) -> f32 {
    let value = value.max(0.0);
    let value = if value > 0.8 { 0.8 + (1.0 - (-(value - 0.8) / 0.2).exp()) * 0.2 } else { value };
    let encoded =
        if value <= 0.003_130_8 { value * 12.92 } else { 1.055 * value.powf(1.0 / 2.4) - 0.055 };
    encoded * 255.0
}
