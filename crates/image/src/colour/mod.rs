//! Into linear light and back: the sRGB transfer function (IEC 61966-2-1), profiles, and what
//! headers say.

mod lab;
mod linear;
mod planes;
mod space;

use std::sync::LazyLock;

pub(crate) use lab::srgb_of_lab;
pub(crate) use linear::{Buffer, Layout, Linear, Samples};
pub(crate) use planes::{Range, neighbours};
pub(crate) use space::{Space, target};

/// Linear light of each 8-bit sRGB value, 0 to 1, once for each channel and in that channel's lane,
/// so that a pixel is the sum of three entries; red's brings the opaque alpha. 12 KiB: it stays in
/// the innermost cache.
pub(crate) static LINEAR: LazyLock<Box<[[[f32; 4]; 256]; 3]>> = LazyLock::new(|| {
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

/// Bits of a float dropped to index [`ENCODED`]: ten of its mantissa stay, within 0.06 of a step
/// everywhere.
const DROPPED: u32 = 13;

/// The 8-bit sRGB value nearest to each float from [`DARKEST`] to 1 in steps of a thousandth of
/// itself, by its leading bits; filled up to a power of two, so that an index can be masked instead
/// of checked. 16 KiB.
static ENCODED: LazyLock<Box<Encoded>> = LazyLock::new(|| {
    let first = DARKEST.to_bits() >> DROPPED;
    let last = 1f32.to_bits() >> DROPPED;
    let middle = |bits: u32| f32::from_bits((bits << DROPPED) + (1 << (DROPPED - 1)));
    let value = |bits: u32| (from_linear(f64::from(middle(bits).min(1.0))) * 255.0).round() as u8;
    Box::new(std::array::from_fn(|at| value((first + at as u32).min(last))))
});

type Encoded = [u8; 1 << 14];

pub(crate) fn to_linear(encoded: f64) -> f64 {
    if encoded <= 0.040_45 { encoded / 12.92 } else { ((encoded + 0.055) / 1.055).powf(2.4) }
}

pub(crate) fn from_linear(linear: f64) -> f64 {
    if linear <= 0.003_130_8 { linear * 12.92 } else { 1.055 * linear.powf(1.0 / 2.4) - 0.055 }
}

/// The 8-bit sRGB value nearest to a linear one.
fn encoded(table: &Encoded, linear: f32) -> u8 {
    at(table, place(linear))
}

fn at(table: &Encoded, place: u32) -> u8 {
    table[place as usize & (table.len() - 1)]
}

/// Where [`ENCODED`] has a linear value. The comparisons are those that vectors have; what is no
/// number counts as dark.
fn place(linear: f32) -> u32 {
    let linear = if linear > DARKEST { linear } else { DARKEST };
    let linear = if linear < 1.0 { linear } else { 1.0 };
    (linear.to_bits() >> DROPPED).wrapping_sub(DARKEST.to_bits() >> DROPPED)
}

/// Linear light of each 8-bit sRGB value, 65,535 being one; and back from a quarter of that.
static MEANS: LazyLock<([u16; 256], Box<[u8; 1 << 14]>)> = LazyLock::new(|| {
    let up = |value: usize| (to_linear(value as f64 / 255.0) * 65_535.0).round() as u16;
    let down = |value: usize| (from_linear((value as f64 + 0.5) / 16_384.0) * 255.0).round() as u8;
    (std::array::from_fn(up), Box::new(std::array::from_fn(down)))
});

/// The means of squares of four pixels, in linear light: two rows of opaque sRGB bytes to one of
/// half the width.
pub(crate) fn halve(above: &[u8], below: &[u8], out: &mut [u8]) {
    let (up, down) = &*MEANS;
    let linear = |value: u8| u32::from(up[value as usize]);
    let squares = above.as_chunks::<6>().0.iter().zip(below.as_chunks::<6>().0);
    for ((above, below), out) in squares.zip(out.as_chunks_mut::<3>().0) {
        for channel in 0..3 {
            let sum = linear(above[channel])
                + linear(above[channel + 3])
                + linear(below[channel])
                + linear(below[channel + 3]);
            out[channel] = down[(sum >> 4) as usize & (down.len() - 1)];
        }
    }
}

/// A linear premultiplied row to sRGB bytes, three a pixel: for opaque pictures.
pub(crate) fn pack_rgb(linear: &[f32], row: &mut [u8]) {
    let table = &**ENCODED;
    let ((eights, rest), (outs, out_rest)) = (linear.as_chunks::<32>(), row.as_chunks_mut::<24>());
    // Eight pixels' places first, all at once; then the table.
    for (eight, out) in eights.iter().zip(outs) {
        let places = eight.map(place);
        for (pixel, out) in places.as_chunks::<4>().0.iter().zip(out.as_chunks_mut::<3>().0) {
            *out = [at(table, pixel[0]), at(table, pixel[1]), at(table, pixel[2])];
        }
    }
    for (pixel, out) in rest.as_chunks::<4>().0.iter().zip(out_rest.as_chunks_mut::<3>().0) {
        *out = [encoded(table, pixel[0]), encoded(table, pixel[1]), encoded(table, pixel[2])];
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
    use kivet_recipe::Gamut;

    use super::*;

    #[test]
    fn every_value_survives_the_way_there_and_back() {
        let row: Vec<u8> = (0..=255).flat_map(|value| [value, 255 - value, value]).collect();
        let mut linear = vec![0.0; 256 * 4];
        let mut way = Linear::new(&Space::Srgb, Gamut::Srgb, Layout::Rgb, false);
        way.row(Samples::Eight(&row), &mut linear);
        let mut back = vec![0; row.len()];
        pack_rgb(&linear, &mut back);
        assert_eq!(back, row);
    }

    #[test]
    fn a_square_of_four_becomes_its_mean_light() {
        let mut out = [0; 3];
        for value in 0..=255 {
            halve(&[value; 6], &[value; 6], &mut out);
            assert!(out[0].abs_diff(value) <= 1, "{value} became {}", out[0]);
        }
        halve(&[0, 0, 0, 255, 255, 255], &[255, 255, 255, 0, 0, 0], &mut out);
        assert_eq!(out, [188; 3], "half the light");
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
        let profile = target(Gamut::DisplayP3).encode().expect("a profile");
        let space = Space::of_icc(Some(&profile));
        assert!(space.is_wide() && !Space::Srgb.is_wide());
        let mut linear = [0.0; 4];
        Linear::new(&space, Gamut::Srgb, Layout::Rgb, false)
            .row(Samples::Eight(&[200, 120, 60]), &mut linear);
        let mut srgb = [0; 3];
        pack_rgb(&linear, &mut srgb);
        // Display P3 (200, 120, 60) by the matrices of CSS Color 4, section 17: sRGB (213.0, 115.0,
        // 42.4).
        for (got, expected) in srgb.into_iter().zip([213.0, 115.0, 42.4]) {
            assert!((f64::from(got) - expected).abs() <= 1.0, "{srgb:?}");
        }
    }
}
