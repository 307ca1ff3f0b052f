//! Whether a lossily stored picture is drawn in few colours: plain areas with hard edges between
//! them. What it would cost losslessly cannot tell, because its encoder's noise costs most.

use kivet_recipe::{Facts, Gamut, Size};

use crate::{
    ImageError, Limits, Work,
    decode::{self, Reading},
};

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

/// Colours that differ less are alike: a lossy format's noise.
const NOISE: f32 = 0.02;

/// Neighbours that differ by more have a hard edge between them, as so many pixels of a drawing
/// have. Fog has few colours, too.
const HARD: f32 = 0.15;
const HARD_EDGES: f64 = 0.002;

/// Larger JPEGs are looked at reduced: flat stays flat.
const PIXELS: u64 = 2_000_000;

/// True if the picture is a drawing in few colours.
///
/// # Errors
/// If it cannot be decoded, or not within the limits.
pub(super) fn has_plain_areas(
    bytes: &[u8],
    facts: &Facts,
    limits: Limits,
) -> Result<bool, ImageError> {
    let eighths = if facts.size.pixels() > PIXELS { 4 } else { 8 };
    let mut source = decode::open(bytes, facts, Reading { eighths, gamut: Gamut::Srgb, limits })?;
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
    /// Pixels with a hard edge to their left neighbour.
    edges: u64,
}

impl Default for Tally {
    fn default() -> Self {
        Self { bins: vec![(0, 0); 1 << 15], edges: 0 }
    }
}

impl Tally {
    fn add(&mut self, row: &[f32]) {
        let mut before: Option<&[f32]> = None;
        // Transparent pixels do not count.
        for pixel in row.chunks_exact(4).filter(|pixel| pixel[3] > 0.02) {
            let (count, alike) = &mut self.bins[bin(pixel)];
            *count += 1;
            let apart = before.map_or(0.0, |before| distance(before, pixel));
            *alike += u64::from(apart < NOISE);
            self.edges += u64::from(apart > HARD);
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
        let pixels: u64 = self.bins.iter().map(|(count, _)| count).sum();
        self.edges as f64 >= HARD_EDGES * pixels as f64
            && holds(&self.bins, COVERED, ALIKE)
            && holds(&self.bins[1..], COVERED_ON_GROUND, ALIKE_ON_GROUND)
    }
}

/// The most by which two colours differ in a channel, evenly to the eye.
fn distance(one: &[f32], other: &[f32]) -> f32 {
    let apart = |(one, other): (&f32, &f32)| (one.max(0.0).sqrt() - other.max(0.0).sqrt()).abs();
    one.iter().zip(other).map(apart).fold(0.0, f32::max)
}

/// A colour's place among coarse steps; a square root spreads linear light about as evenly as eyes
/// do.
fn bin(pixel: &[f32]) -> usize {
    let step = |value: f32| (value.max(0.0).sqrt() * STEPS + 0.5) as usize & 31;
    step(pixel[0]) << 10 | step(pixel[1]) << 5 | step(pixel[2])
}
