//! Whether a picture is drawn in few colours: what a palette, or lines, would hold.

use kivet_recipe::{Facts, Size};

use crate::{ImageError, Limits, Work};

/// A drawing has so much of its area in this many colours.
const COLOURS: usize = 16;
const COVERED: f64 = 0.9;

/// And neighbours that mostly are the same, which no photograph has.
const ALIKE: f64 = 0.8;

/// What is drawn on one ground counts by itself, or anything on white would pass. Its edges weigh
/// more there.
const COVERED_ON_GROUND: f64 = 0.7;
const ALIKE_ON_GROUND: f64 = 0.6;

/// Steps of each channel: coarse enough that a lossy format's noise stays within one.
const STEPS: f32 = 24.0;

/// See [`is_alike`].
const NOISE: f32 = 0.02;

/// Larger JPEGs are looked at reduced: flat stays flat.
const PIXELS: u64 = 2_000_000;

/// True if the picture is a drawing in few colours.
///
/// # Errors
/// If it cannot be decoded, or not within the limits.
pub fn few_colours(bytes: &[u8], facts: &Facts, limits: Limits) -> Result<bool, ImageError> {
    let mut source = super::open_small(bytes, facts, PIXELS, limits)?;
    let Size { width, height } = source.size();
    let mut row = vec![0.0; width as usize * 4];
    let mut tally = Tally::default();
    let work = Work::within(limits);
    for _ in 0..height {
        work.go_on()?;
        source.next_row(&mut row)?;
        tally.add(&row);
    }
    Ok(tally.decide())
}

/// How often each colour was met, and how often beside its like.
struct Tally {
    /// By [`bin`]: pixels, and those whose left neighbour is alike.
    bins: Vec<(u64, u64)>,
}

impl Default for Tally {
    fn default() -> Self {
        Self { bins: vec![(0, 0); 1 << 15] }
    }
}

impl Tally {
    fn add(&mut self, row: &[f32]) {
        let mut before: Option<&[f32]> = None;
        // Transparent pixels do not count.
        for pixel in row.chunks_exact(4).filter(|pixel| pixel[3] > 0.02) {
            let (count, alike) = &mut self.bins[bin(pixel)];
            *count += 1;
            *alike += u64::from(before.is_none_or(|before| is_alike(before, pixel)));
            before = Some(pixel);
        }
    }

    fn decide(mut self) -> bool {
        self.bins.sort_unstable_by(|a, b| b.cmp(a));
        let holds = |bins: &[(u64, u64)], covered: f64, alike: f64| {
            let pixels: u64 = bins.iter().map(|(count, _)| count).sum();
            let max: u64 = bins.iter().take(COLOURS).map(|(count, _)| count).sum();
            let same: u64 = bins.iter().map(|(_, alike)| alike).sum();
            let share = |part: u64| part as f64 / pixels.max(1) as f64;
            share(max) >= covered && share(same) >= alike
        };
        holds(&self.bins, COVERED, ALIKE)
            && holds(&self.bins[1..], COVERED_ON_GROUND, ALIKE_ON_GROUND)
    }
}

/// True if two colours differ by less than a lossy format's noise.
fn is_alike(one: &[f32], other: &[f32]) -> bool {
    one.iter()
        .zip(other)
        .all(|(one, other)| (one.max(0.0).sqrt() - other.max(0.0).sqrt()).abs() < NOISE)
}

/// A colour's place among coarse steps; a square root spreads linear light about as evenly as eyes
/// do.
fn bin(pixel: &[f32]) -> usize {
    let step = |value: f32| (value.max(0.0).sqrt() * STEPS + 0.5) as usize & 31;
    step(pixel[0]) << 10 | step(pixel[1]) << 5 | step(pixel[2])
}

#[cfg(test)]
mod tests {
    use kivet_recipe::{Encoding, Format};

    use super::*;
    use crate::{Limits, Raster, encode, probe};

    fn drawn(colour: impl Fn(u32, u32) -> [u8; 4], format: Format, encoding: Encoding) -> bool {
        let mut raster = Raster::filled(Size::new(240, 160), [0; 4], false);
        for (at, pixel) in raster.bytes_mut().chunks_exact_mut(3).enumerate() {
            let at = at as u32;
            pixel.copy_from_slice(&colour(at % 240, at / 240)[..3]);
        }
        let bytes = encode(&raster, format, encoding).expect("encoded");
        let facts = probe(&bytes, Limits::default()).expect("facts");
        few_colours(&bytes, &facts, Limits::DEFAULT).expect("decoded")
    }

    #[test]
    fn drawings_are_told_from_photographs_and_gradients() {
        let bars = |x: u32, _| {
            [[200, 30, 40, 255], [250, 250, 240, 255], [20, 60, 120, 255]][(x / 40 % 3) as usize]
        };
        let noise = |x: u32, y: u32| {
            let n = (x.wrapping_mul(2_654_435_761) ^ y.wrapping_mul(40_503))
                .wrapping_mul(2_246_822_519)
                >> 24;
            [n as u8, (n / 2 + 60) as u8, 120, 255]
        };
        let gradient = |x: u32, y: u32| [x as u8, (y + 60) as u8, (255 - x) as u8, 255];
        let lossy = Encoding::lossy(85.0);
        let on_white = |x: u32, y: u32| if y > 60 && x > 150 { noise(x, y) } else { [255; 4] };
        assert!(!drawn(on_white, Format::Png, Encoding::Lossless), "a photograph on white");
        assert!(drawn(bars, Format::Png, Encoding::Lossless) && drawn(bars, Format::Jpeg, lossy));
        assert!(
            !drawn(noise, Format::Png, Encoding::Lossless) && !drawn(noise, Format::Jpeg, lossy)
        );
        assert!(
            !drawn(gradient, Format::Png, Encoding::Lossless)
                && !drawn(gradient, Format::Jpeg, lossy)
        );
    }
}
