//! Red, green and blue as brightness and two differences of colour, full range, 8 bits a sample (ITU-T H.273, 8.3, with
//! matrix 6). Differences at half the size are those of the means of squares of four.

#[cfg(target_arch = "x86_64")]
mod avx2;
mod loops;

use loops::Loops;

use crate::Raster;

/// One plane to be written: rows `stride` bytes apart.
pub(super) struct Plane<'a> {
    pub(super) bytes: &'a mut [u8],
    pub(super) stride: usize,
}

impl Plane<'_> {
    fn row(&mut self, y: usize, length: usize) -> &mut [u8] {
        &mut self.bytes[y * self.stride..][..length]
    }
}

/// Writes an opaque raster into planes of brightness, difference of blue and difference of red; differences at half the
/// width and height where `halved`, odd sides rounded up.
pub(super) fn split(raster: &Raster, halved: bool, planes: [Plane<'_>; 3]) {
    split_with(Loops::fastest(), raster, halved, planes);
}

fn split_with(loops: Loops, raster: &Raster, halved: bool, planes: [Plane<'_>; 3]) {
    let [mut brightness, mut blues, mut reds] = planes;
    let width = raster.size().width as usize;
    let across = if halved { width.div_ceil(2) } else { width };
    let step = if halved { 2 } else { 1 };
    let mut rows = [Row::new(width), Row::new(width)];
    let mut sums = [vec![0; across], vec![0; across], vec![0; across]];
    for (y, pair) in raster.bytes().chunks(raster.stride() * step).enumerate() {
        for (at, line) in pair.chunks_exact(raster.stride()).enumerate() {
            rows[at].read(loops, line);
            (loops.brightness)(rows[at].channels(width), brightness.row(y * step + at, width));
        }
        // The last of an odd number of rows stands for its missing neighbour too.
        let below = if pair.len() > raster.stride() { 1 } else { 0 };
        for (channel, sums) in sums.iter_mut().enumerate() {
            if halved {
                (loops.squares)(rows[0].padded(channel), rows[below].padded(channel), sums);
            } else {
                (loops.fourfold)(&rows[0].padded(channel)[..width], sums);
            }
        }
        (loops.differences)(sums.each_ref().map(Vec::as_slice), blues.row(y, across), reds.row(y, across));
    }
}

/// One row of each channel, the last column repeated where their number is odd.
struct Row([Vec<u8>; 3]);

impl Row {
    fn new(width: usize) -> Self {
        Self(std::array::from_fn(|_| vec![0; width.next_multiple_of(2)]))
    }

    fn read(&mut self, loops: Loops, line: &[u8]) {
        let width = line.len() / 3;
        let [red, green, blue] = &mut self.0;
        (loops.apart)(line, [&mut red[..width], &mut green[..width], &mut blue[..width]]);
        for channel in &mut self.0 {
            let last = channel[width - 1];
            channel[width..].fill(last);
        }
    }

    fn channels(&self, width: usize) -> [&[u8]; 3] {
        self.0.each_ref().map(|channel| &channel[..width])
    }

    fn padded(&self, channel: usize) -> &[u8] {
        &self.0[channel]
    }
}

#[cfg(test)]
mod tests {
    use kivet_recipe::Size;
    use proptest::prelude::*;

    use super::*;

    /// The definition, in doubles: brightness and differences of each pixel, the latter meant over squares.
    fn defined(raster: &Raster, halved: bool) -> [Vec<f64>; 3] {
        let (width, height) = (raster.size().width as usize, raster.size().height as usize);
        let pixel = |x: usize, y: usize| {
            let at = (y.min(height - 1) * width + x.min(width - 1)) * 3;
            let [r, g, b] = [0, 1, 2].map(|channel| f64::from(raster.bytes()[at + channel]));
            let brightness = 0.299 * r + 0.587 * g + 0.114 * b;
            [brightness, (b - brightness) / 1.772 + 128.0, (r - brightness) / 1.402 + 128.0]
        };
        let all = |plane: usize, step: usize| {
            let (across, down) = (width.div_ceil(step), height.div_ceil(step));
            let at = |i: usize| (i % across * step, i / across * step);
            let mean = |(x, y): (usize, usize)| {
                let places = (0..step * step).map(|i| pixel(x + i % step, y + i / step)[plane]);
                places.sum::<f64>() / (step * step) as f64
            };
            (0..across * down).map(|i| mean(at(i))).collect()
        };
        let step = if halved { 2 } else { 1 };
        [all(0, 1), all(1, step), all(2, step)]
    }

    proptest! {
        #[test]
        fn planes_are_what_the_definition_says_by_every_loop(
            width in 1u32..40, height in 1u32..6, halved in any::<bool>(), seed in prop::collection::vec(any::<u8>(), 40 * 6 * 3),
        ) {
            let size = Size::new(width, height);
            let bytes = seed[..size.pixels() as usize * 3].to_vec();
            let raster = Raster::new(size, false, bytes).expect("a raster");
            let expected = defined(&raster, halved);
            for loops in Loops::all() {
                let mut made = expected.each_ref().map(|plane| vec![0; plane.len()]);
                let strides = [width, if halved { width.div_ceil(2) } else { width }];
                let [brightness, blues, reds] = &mut made;
                let plane = |bytes, stride: u32| Plane { bytes, stride: stride as usize };
                let planes = [plane(brightness, strides[0]), plane(blues, strides[1]), plane(reds, strides[1])];
                split_with(loops, &raster, halved, planes);
                for (made, expected) in made.iter().zip(&expected) {
                    for (made, expected) in made.iter().zip(expected) {
                        prop_assert!((f64::from(*made) - expected).abs() <= 0.51, "{made} for {expected}");
                    }
                }
            }
        }
    }
}
