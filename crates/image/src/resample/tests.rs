use proptest::prelude::*;

use super::*;

/// Rows held in memory.
struct Held {
    size: Size,
    rows: Vec<f32>,
    next: usize,
}

impl Held {
    fn new(size: Size, value: impl Fn(u32, u32, usize) -> f32) -> Self {
        let at = |y, x, channel| value(x, y, channel);
        let rows = (0..size.height)
            .flat_map(|y| {
                (0..size.width).flat_map(move |x| (0..4).map(move |channel| (y, x, channel)))
            })
            .map(|(y, x, channel)| at(y, x, channel))
            .collect();
        Self { size, rows, next: 0 }
    }
}

impl RowSource for Held {
    fn size(&self) -> Size {
        self.size
    }

    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError> {
        row.copy_from_slice(&self.rows[self.next * row.len()..(self.next + 1) * row.len()]);
        self.next += 1;
        Ok(())
    }
}

fn drawn(mut source: Held, crop: Rect, size: Size) -> Vec<f32> {
    let mut out = Vec::new();
    resample(&mut source, crop, size, &Work::default(), &mut |row| out.extend_from_slice(row))
        .expect("held rows do not fail");
    out
}

fn whole(size: Size) -> Rect {
    Rect { x: 0.0, y: 0.0, width: size.width.into(), height: size.height.into() }
}

/// The definition, in f64: every output sample is the sum over all source samples of the normalised
/// 2-D kernel.
fn reference(source: &Held, crop: Rect, size: Size) -> Vec<f64> {
    let kernel = |x: f64| {
        let pi_x = std::f64::consts::PI * x;
        if x == 0.0 {
            1.0
        } else if x.abs() < 3.0 {
            (pi_x.sin() / pi_x) * ((pi_x / 3.0).sin() / (pi_x / 3.0))
        } else {
            0.0
        }
    };
    let axis = |length: u32, start: f64, extent: f64, out: u32| -> Vec<Vec<f64>> {
        let scale = extent / f64::from(out);
        let weights = |i: u32| {
            let centre = start + (f64::from(i) + 0.5) * scale;
            let raw: Vec<f64> = (0..length)
                .map(|j| kernel((f64::from(j) + 0.5 - centre) / scale.max(1.0)))
                .collect();
            let sum: f64 = raw.iter().sum();
            raw.into_iter().map(|weight| weight / sum).collect()
        };
        (0..out).map(weights).collect()
    };
    let columns = axis(source.size.width, crop.x, crop.width, size.width);
    let rows = axis(source.size.height, crop.y, crop.height, size.height);
    let at = |x: usize, y: usize, channel: usize| {
        f64::from(source.rows[(y * source.size.width as usize + x) * 4 + channel])
    };
    let mut out = Vec::new();
    for row in &rows {
        for column in &columns {
            for channel in 0..4 {
                let line = |y: usize| -> f64 {
                    column.iter().enumerate().map(|(x, w)| w * at(x, y, channel)).sum()
                };
                out.push(
                    row.iter()
                        .enumerate()
                        .filter(|(_, w)| **w != 0.0)
                        .map(|(y, w)| w * line(y))
                        .sum(),
                );
            }
        }
    }
    out
}

#[test]
fn the_same_size_is_the_same_picture() {
    let size = Size::new(17, 9);
    let source = Held::new(size, |x, y, channel| {
        ((x * 31 + y * 17 + channel as u32 * 7) % 23) as f32 / 22.0
    });
    let expected = source.rows.clone();
    for (got, expected) in drawn(source, whole(size), size).into_iter().zip(expected) {
        assert!((got - expected).abs() < 1e-5);
    }
}

/// Every form of the inner loops that this machine can run, the scalar one first.
fn all_kernels(source: impl Fn() -> Held, crop: Rect, size: Size) -> Vec<Vec<f32>> {
    let drawn = |kernels: Kernels| {
        let mut out = Vec::new();
        let mut source = source();
        resample_with(kernels, &mut source, crop, size, &Work::default(), &mut |row| {
            out.extend_from_slice(row)
        })
        .expect("held rows");
        out
    };
    Kernels::all().into_iter().map(drawn).collect()
}

#[test]
fn the_fast_loops_equal_their_scalar_twins() {
    for (width, height, out_width, out_height) in
        [(97, 61, 13, 9), (64, 64, 33, 7), (5, 40, 5, 3), (3, 3, 1, 1), (200, 20, 67, 19)]
    {
        let from = Size::new(width, height);
        let source = || {
            Held::new(from, |x, y, channel| {
                ((x * 31 + y * 17 + channel as u32 * 7) % 23) as f32 / 22.0
            })
        };
        let all = all_kernels(source, whole(from), Size::new(out_width, out_height));
        for fast in &all[1..] {
            let worst = all[0].iter().zip(fast).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
            // Fused multiplication rounds once where the scalar loop rounds twice.
            assert!(
                worst <= 1e-6,
                "{width} x {height} to {out_width} x {out_height}: off by {worst}"
            );
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// At most 0.1/255 from the definition, before quantising.
    #[test]
    fn it_agrees_with_the_definition(
        width in 1u32..60, height in 1u32..60, out_w in 1u32..60, out_h in 1u32..60,
        left in 0.0f64..0.4, top in 0.0f64..0.4, seed in any::<u32>(),
    ) {
        let from = Size::new(width, height);
        let noise = |x: u32, y: u32, channel: usize| {
            let mixed = (x.wrapping_mul(0x9E37_79B9) ^ y.wrapping_mul(0x85EB_CA6B) ^ (channel as u32) << 7 ^ seed)
                .wrapping_mul(0xC2B2_AE35);
            (mixed >> 8) as f32 / (1 << 24) as f32
        };
        let source = Held::new(from, noise);
        let (w, h) = (f64::from(width), f64::from(height));
        let crop = Rect { x: w * left, y: h * top, width: w * (1.0 - left), height: h * (1.0 - top) };
        let size = Size::new(out_w.min(crop.width.ceil() as u32), out_h.min(crop.height.ceil() as u32));
        let expected = reference(&source, crop, size);
        let worst = drawn(source, crop, size)
            .into_iter()
            .zip(expected)
            .map(|(got, expected)| (f64::from(got) - expected).abs())
            .fold(0.0, f64::max);
        prop_assert!(worst <= 0.1 / 255.0, "off by {}", worst * 255.0);
    }
}
