//! Our resampler beside the fastest SIMD resizing crate: the same floats in (linear, premultiplied,
//! four channels), the same filter, one thread; 15 megapixels to two widths.

use std::time::{Duration, Instant};

use anyhow::{Result, ensure};
use fast_image_resize::{
    FilterType, PixelType, ResizeAlg, ResizeOptions, Resizer,
    images::{Image, ImageRef},
};
use kivet_image::{ImageError, RowSource, Work, resample};
use kivet_recipe::{Rect, Size};

/// Rounds measured; the two sides take turns in each, and the median round counts.
const ROUNDS: usize = 15;

const FROM: Size = Size::new(4800, 3200);

/// The least speed, as a multiple of the crate's.
const MIN: f64 = 1.0;

/// Floats at hand, handed out row by row.
struct Held<'a> {
    floats: &'a [f32],
    next: usize,
}

impl RowSource for Held<'_> {
    fn size(&self) -> Size {
        FROM
    }

    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError> {
        let stride = FROM.width as usize * 4;
        row.copy_from_slice(&self.floats[self.next * stride..][..stride]);
        self.next += 1;
        Ok(())
    }
}

/// Prints the table and fails if ours is slower.
pub fn run() -> Result<()> {
    let floats: Vec<f32> = (0..FROM.pixels() as u32 * 4)
        .map(|i| (i.wrapping_mul(2_654_435_761) >> 8) as f32 / (1 << 24) as f32)
        .collect();
    let bytes: Vec<u8> = floats.iter().flat_map(|value| value.to_ne_bytes()).collect();
    println!("{FROM} floats, four channels, Lanczos-3, one thread; medians of {ROUNDS} rounds\n");
    println!(
        "| to width | the crate | ours | speed ratio | largest difference |\n| --- | --- | --- | --- | --- |"
    );
    let mut worst = f64::MAX;
    for width in [1280u32, 640] {
        let to = Size::new(
            width,
            (f64::from(FROM.height) * f64::from(width) / f64::from(FROM.width)).round() as u32,
        );
        let (mut theirs, mut ours, mut ratios) = (vec![], vec![], vec![]);
        let mut difference = 0f32;
        for _ in 0..ROUNDS {
            let (their_time, their_floats) = by_crate(&bytes, to)?;
            let (our_time, our_floats) = by_us(&floats, to)?;
            difference = their_floats
                .iter()
                .zip(&our_floats)
                .map(|(a, b)| (a - b).abs())
                .fold(difference, f32::max);
            ratios.push(their_time.as_secs_f64() / our_time.as_secs_f64());
            theirs.push(their_time);
            ours.push(our_time);
        }
        ratios.sort_by(f64::total_cmp);
        theirs.sort();
        ours.sort();
        let ratio = ratios[ROUNDS / 2];
        worst = worst.min(ratio);
        let show = |time: Duration| format!("{:.1} ms", time.as_secs_f64() * 1e3);
        println!(
            "| {width} | {} | {} | {ratio:.2} | {difference:.5} |",
            show(theirs[ROUNDS / 2]),
            show(ours[ROUNDS / 2])
        );
    }
    ensure!(worst >= MIN, "ours is slower: {worst:.2} of the crate's speed");
    Ok(())
}

fn by_crate(bytes: &[u8], to: Size) -> Result<(Duration, Vec<f32>)> {
    let source = ImageRef::new(FROM.width, FROM.height, bytes, PixelType::F32x4)?;
    let options = ResizeOptions::new()
        .resize_alg(ResizeAlg::Convolution(FilterType::Lanczos3))
        .use_alpha(false);
    let started = Instant::now();
    let mut out = Image::new(to.width, to.height, PixelType::F32x4);
    Resizer::new().resize(&source, &mut out, &options)?;
    let took = started.elapsed();
    let floats =
        out.buffer().as_chunks::<4>().0.iter().map(|bytes| f32::from_ne_bytes(*bytes)).collect();
    Ok((took, floats))
}

fn by_us(floats: &[f32], to: Size) -> Result<(Duration, Vec<f32>)> {
    let started = Instant::now();
    let mut out = Vec::with_capacity(to.pixels() as usize * 4);
    let mut source = Held { floats, next: 0 };
    resample(&mut source, Rect::whole(FROM), to, &Work::default(), &mut |row| {
        out.extend_from_slice(row)
    })?;
    Ok((started.elapsed(), out))
}
