use kivet_recipe::Size;
use proptest::prelude::*;

use super::*;

/// What a decoder makes of luma and chroma: red, green and blue, by the standard, in doubles.
fn decoded([luma, blue, red]: [f64; 3]) -> [f64; 3] {
    let pixel =
        [luma + 1.402 * red, luma - 0.344_136 * blue - 0.714_136 * red, luma + 1.772 * blue];
    pixel.map(|channel| channel.clamp(0.0, 255.0))
}

fn light([red, green, blue]: [f64; 3]) -> f64 {
    0.2126 * red * red + 0.7152 * green * green + 0.0722 * blue * blue
}

fn luma([red, green, blue]: [f64; 3]) -> f64 {
    0.299 * red + 0.587 * green + 0.114 * blue
}

/// A picture, its planes, and how they are read.
struct Made<'a> {
    raster: &'a Raster,
    halved: bool,
    range: Range,
    planes: [Vec<u8>; 3],
}

impl Made<'_> {
    fn pixel(&self, x: usize, y: usize) -> [f64; 3] {
        let (width, height) =
            (self.raster.size().width as usize, self.raster.size().height as usize);
        let at = (y.min(height - 1) * width + x.min(width - 1)) * 3;
        [0, 1, 2].map(|channel| f64::from(self.raster.bytes()[at + channel]))
    }

    fn across(&self) -> usize {
        let width = self.raster.size().width as usize;
        if self.halved { width.div_ceil(2) } else { width }
    }

    /// A chroma where one was stored, sides repeated beyond the ends.
    fn stored(&self, plane: usize, x: isize, y: isize) -> f64 {
        let (across, down) =
            (self.across() as isize, (self.planes[plane].len() / self.across()) as isize);
        let at = y.clamp(0, down - 1) * across + x.clamp(0, across - 1);
        (f64::from(self.planes[plane][at as usize]) - 128.0) / f64::from(self.range.chroma)
    }

    /// A chroma as a decoder shows it beside a pixel: mixed from the four nearest by distance.
    fn shown(&self, plane: usize, x: usize, y: usize) -> f64 {
        let (x, y) = (x as isize, y as isize);
        if !self.halved {
            return self.stored(plane, x, y);
        }
        let next = |at: isize| if at % 2 == 0 { at / 2 - 1 } else { at / 2 + 1 };
        let row =
            |y: isize| self.stored(plane, x / 2, y) * 0.75 + self.stored(plane, next(x), y) * 0.25;
        row(y / 2) * 0.75 + row(next(y)) * 0.25
    }

    /// Differences of the mean light of what they stand for.
    fn expected(&self, x: usize, y: usize) -> [f64; 2] {
        let step = if self.halved { 2 } else { 1 };
        let mean = [0, 1, 2].map(|channel| {
            let places = (0..step * step)
                .map(|i| self.pixel(x * step + i % step, y * step + i / step)[channel]);
            (places.map(|signal| signal * signal).sum::<f64>() / (step * step) as f64).sqrt()
        });
        let bright = luma(mean);
        [(mean[2] - bright) / 1.772, (mean[0] - bright) / 1.402]
    }

    fn check(&self) -> Result<(), TestCaseError> {
        let (width, height) =
            (self.raster.size().width as usize, self.raster.size().height as usize);
        for at in 0..self.planes[1].len() {
            let (x, y) = (at % self.across(), at / self.across());
            for (plane, expected) in [1, 2].into_iter().zip(self.expected(x, y)) {
                let off = self.stored(plane, x as isize, y as isize) - expected;
                prop_assert!(
                    off.abs() * f64::from(self.range.chroma) <= 0.52,
                    "{off} from {expected} at {x},{y}"
                );
            }
        }
        for (x, y) in (0..height).flat_map(|y| (0..width).map(move |x| (x, y))) {
            let (given, chroma) = (self.pixel(x, y), [self.shown(1, x, y), self.shown(2, x, y)]);
            let showing = |bright: f64| light(decoded([bright, chroma[0], chroma[1]]));
            let (wanted, plain) = (light(given), luma(given));
            let written = (f64::from(self.planes[0][y * width + x]) - f64::from(self.range.black))
                / f64::from(self.range.luma);
            // No further off than luma that knows nothing of its chroma, but for rounding.
            let rounding = (showing(written + 0.65) - showing(written - 0.65)).abs();
            let (fitted, unfitted) =
                ((showing(written) - wanted).abs(), (showing(plain) - wanted).abs());
            prop_assert!(
                fitted <= unfitted + rounding,
                "{fitted} off, {unfitted} without, at {x},{y} of {given:?}"
            );
        }
        Ok(())
    }
}

fn by_each(raster: &Raster, halved: bool, range: Range) -> Vec<[Vec<u8>; 3]> {
    let (width, height) = (raster.size().width as usize, raster.size().height as usize);
    let (across, down) =
        if halved { (width.div_ceil(2), height.div_ceil(2)) } else { (width, height) };
    [split, split_anywhere]
        .map(|split| {
            let mut made =
                [vec![0; width * height], vec![0; across * down], vec![0; across * down]];
            let [bright, blues, reds] = &mut made;
            let plane = |bytes, stride| Plane { bytes, stride };
            split(
                raster,
                halved,
                range,
                [plane(bright, width), plane(blues, across), plane(reds, across)],
            );
            made
        })
        .into()
}

proptest! {
    #[test]
    fn chroma_is_of_mean_light_and_luma_makes_up_for_it(
        width in 1u32..40, height in 1u32..6, halved in any::<bool>(), limited in any::<bool>(),
        seed in prop::collection::vec(any::<u8>(), 40 * 6 * 3),
    ) {
        let size = Size::new(width, height);
        let raster = Raster::new(size, false, seed[..size.pixels() as usize * 3].to_vec()).expect("a raster");
        let range = if limited { Range::LIMITED } else { Range::FULL };
        for planes in by_each(&raster, halved, range) {
            Made { raster: &raster, halved, range, planes }.check()?;
        }
    }
}
