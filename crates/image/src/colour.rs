//! Into linear light and back: the sRGB transfer function (IEC 61966-2-1) and embedded profiles.

use std::sync::{Arc, LazyLock};

use moxcms::{ColorProfile, Layout, TransformExecutor, TransformOptions};

/// Linear light of each 8-bit sRGB value, 0 to 1, once for each channel and in that channel's lane, so that a pixel is the
/// sum of three entries; red's brings the opaque alpha. 12 KiB: it stays in the innermost cache.
static LINEAR: LazyLock<Box<[[[f32; 4]; 256]; 3]>> = LazyLock::new(|| {
    let lane = |channel: usize, value: usize| {
        let mut entry = [0.0; 4];
        entry[channel] = to_linear(value as f64 / 255.0) as f32;
        entry[3] = if channel == 0 { 1.0 } else { 0.0 };
        entry
    };
    Box::new(std::array::from_fn(|channel| std::array::from_fn(|value| lane(channel, value))))
});

/// Below this linear value, 2^-13, the nearest 8-bit sRGB value is 0.
const DARKEST: f32 = 1.0 / 8192.0;

/// Bits of a float dropped to index [`ENCODED`]: ten of its mantissa stay, within 0.06 of a step everywhere.
const DROPPED: u32 = 13;

/// The 8-bit sRGB value nearest to each float from [`DARKEST`] to 1 in steps of a thousandth of itself, by its leading
/// bits. 13 KiB.
static ENCODED: LazyLock<Box<[u8]>> = LazyLock::new(|| {
    let first = DARKEST.to_bits() >> DROPPED;
    let last = 1f32.to_bits() >> DROPPED;
    let middle = |bits: u32| f32::from_bits((bits << DROPPED) + (1 << (DROPPED - 1)));
    (first..=last).map(|bits| (from_linear(f64::from(middle(bits).min(1.0))) * 255.0).round() as u8).collect()
});

fn to_linear(encoded: f64) -> f64 {
    if encoded <= 0.040_45 { encoded / 12.92 } else { ((encoded + 0.055) / 1.055).powf(2.4) }
}

fn from_linear(linear: f64) -> f64 {
    if linear <= 0.003_130_8 { linear * 12.92 } else { 1.055 * linear.powf(1.0 / 2.4) - 0.055 }
}

/// How the rows of one original become linear light.
pub(crate) struct Linear {
    tables: &'static [[[f32; 4]; 256]; 3],
    /// To sRGB from the embedded profile, where that is another space.
    transform: Option<Arc<dyn TransformExecutor<u8> + Send + Sync>>,
    converted: Vec<u8>,
}

impl Linear {
    /// For rows of 8-bit RGB in the space of the ICC `profile`; sRGB if there is none. A profile that cannot be read
    /// or is not for RGB is taken as sRGB, as browsers do.
    pub(crate) fn new(profile: Option<&[u8]>) -> Self {
        let transform = profile.and_then(|bytes| {
            let source = ColorProfile::new_from_slice(bytes).ok()?;
            source
                .create_transform_8bit(Layout::Rgb, &ColorProfile::new_srgb(), Layout::Rgb, TransformOptions::default())
                .ok()
        });
        Self { tables: &LINEAR, transform, converted: Vec::new() }
    }

    /// One row of RGB bytes to linear RGBA, opaque.
    pub(crate) fn rgb(&mut self, row: &[u8], linear: &mut [f32]) {
        let row = match &self.transform {
            Some(transform) => {
                self.converted.resize(row.len(), 0);
                match transform.transform(row, &mut self.converted) {
                    Ok(()) => &self.converted,
                    Err(_) => row,
                }
            }
            None => row,
        };
        let [reds, greens, blues] = self.tables;
        for (pixel, out) in row.chunks_exact(3).zip(linear.chunks_exact_mut(4)) {
            let (red, green, blue) = (reds[pixel[0] as usize], greens[pixel[1] as usize], blues[pixel[2] as usize]);
            for lane in 0..4 {
                out[lane] = red[lane] + green[lane] + blue[lane];
            }
        }
    }

    /// One row of straight RGBA bytes to linear RGBA, premultiplied.
    pub(crate) fn rgba(&mut self, row: &[u8], linear: &mut [f32]) {
        let colours: Vec<u8> = row.chunks_exact(4).flat_map(|pixel| [pixel[0], pixel[1], pixel[2]]).collect();
        self.rgb(&colours, linear);
        for (pixel, out) in row.chunks_exact(4).zip(linear.chunks_exact_mut(4)) {
            let alpha = f32::from(pixel[3]) / 255.0;
            out.iter_mut().for_each(|channel| *channel *= alpha);
        }
    }
}

/// The 8-bit sRGB value nearest to a linear one.
fn encoded(table: &[u8], linear: f32) -> u8 {
    let bits = linear.clamp(DARKEST, 1.0).to_bits();
    table[((bits >> DROPPED) - (DARKEST.to_bits() >> DROPPED)) as usize]
}

/// A linear premultiplied row to sRGB bytes, three a pixel: for opaque pictures.
pub(crate) fn pack_rgb(linear: &[f32], row: &mut [u8]) {
    let table = &**ENCODED;
    for (pixel, out) in linear.chunks_exact(4).zip(row.chunks_exact_mut(3)) {
        for channel in 0..3 {
            out[channel] = encoded(table, pixel[channel]);
        }
    }
}

/// A linear premultiplied row to straight sRGB bytes with alpha, four a pixel.
pub(crate) fn pack_rgba(linear: &[f32], row: &mut [u8]) {
    let table = &**ENCODED;
    for (pixel, out) in linear.chunks_exact(4).zip(row.chunks_exact_mut(4)) {
        let alpha = pixel[3].clamp(0.0, 1.0);
        out[3] = (alpha * 255.0 + 0.5) as u8;
        let straight = if out[3] == 0 { 0.0 } else { alpha.recip() };
        for channel in 0..3 {
            out[channel] = encoded(table, pixel[channel] * straight);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_value_survives_the_way_there_and_back() {
        let row: Vec<u8> = (0..=255).flat_map(|value| [value, 255 - value, value]).collect();
        let mut linear = vec![0.0; 256 * 4];
        Linear::new(None).rgb(&row, &mut linear);
        let mut back = vec![0; row.len()];
        pack_rgb(&linear, &mut back);
        assert_eq!(back, row);
    }

    #[test]
    fn encoding_is_within_a_tenth_of_a_step_of_exact() {
        for i in 0..200_000 {
            let linear = i as f32 / 199_999.0;
            let exact = from_linear(f64::from(linear)) * 255.0;
            let off = (f64::from(encoded(&ENCODED, linear)) - exact).abs();
            assert!(off <= 0.6, "{linear} is {exact}, off by {off}");
        }
        assert_eq!(
            [-1.0, f32::NEG_INFINITY, 2.0, f32::INFINITY].map(|value| encoded(&ENCODED, value)),
            [0, 0, 255, 255]
        );
    }

    #[test]
    fn a_wide_gamut_profile_is_converted() {
        let profile = ColorProfile::new_display_p3().encode().expect("a profile");
        let mut linear = [0.0; 4];
        Linear::new(Some(&profile)).rgb(&[200, 120, 60], &mut linear);
        let mut srgb = [0; 3];
        pack_rgb(&linear, &mut srgb);
        // Display P3 (200, 120, 60) by the matrices of CSS Color 4, section 17: sRGB (213.0, 115.0, 42.4).
        for (got, expected) in srgb.into_iter().zip([213.0, 115.0, 42.4]) {
            assert!((f64::from(got) - expected).abs() <= 1.0, "{srgb:?}");
        }
    }
}
