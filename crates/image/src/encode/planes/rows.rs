//! The inner loops, over one row at a time, in portable form; compiled a second time for AVX2.

// No closures below: they would be compiled without the features of the function they are inlined
// into.

use crate::colour::Range;

/// The shares of red, green and blue in luma (ITU-T H.273, matrix 6), and how far chroma lie from
/// it.
const SHARES: [f32; 3] = [0.299, 0.587, 0.114];
const TO_BLUE: f32 = 1.772;
const TO_RED: f32 = 1.402;

/// What one of either chroma takes off green.
const BLUE_OFF: f32 = TO_BLUE * SHARES[2] / SHARES[1];
const RED_OFF: f32 = TO_RED * SHARES[0] / SHARES[1];

/// The shares of red, green and blue in light (ITU-T H.273, primaries 1).
const LIGHT: [f32; 3] = [0.2126, 0.7152, 0.0722];

/// What one row needs beside the planes.
pub(super) struct Rows {
    /// Two rows of the picture, each channel by itself.
    channels: [[Vec<u8>; 3]; 2],
    /// Red, green and blue of a row of chroma, 0 to 255.
    means: [Vec<f32>; 3],
    /// Differences of blue and of red mixed over two rows, one more at each end; then what a
    /// decoder shows of them.
    mixed: Vec<f32>,
    shown: [Vec<f32>; 2],
}

impl Rows {
    pub(super) fn new(width: usize, across: usize) -> Self {
        Self {
            channels: std::array::from_fn(|_| {
                std::array::from_fn(|_| vec![0; width.next_multiple_of(2)])
            }),
            means: std::array::from_fn(|_| vec![0.0; across]),
            mixed: vec![0.0; across + 2],
            shown: std::array::from_fn(|_| vec![0.0; width.next_multiple_of(2)]),
        }
    }

    /// The mean light of squares of four. The last column of an odd number stands for its missing
    /// neighbour too.
    #[inline(always)]
    pub(super) fn mean_of_squares(&mut self, lines: [&[u8]; 2]) {
        for (line, channels) in lines.into_iter().zip(&mut self.channels) {
            apart(line, channels);
        }
        let [above, below] = &self.channels;
        for ((above, below), means) in above.iter().zip(below).zip(&mut self.means) {
            let pairs = above.as_chunks::<2>().0.iter().zip(below.as_chunks::<2>().0);
            for ((above, below), mean) in pairs.zip(means) {
                *mean = ((light(above[0]) + light(above[1]) + light(below[0]) + light(below[1]))
                    / 4.0)
                    .sqrt();
            }
        }
    }

    #[inline(always)]
    pub(super) fn as_they_are(&mut self, line: &[u8]) {
        apart(line, &mut self.channels[0]);
        for (channel, means) in self.channels[0].iter().zip(&mut self.means) {
            for (value, mean) in channel.iter().zip(means) {
                *mean = *value as f32;
            }
        }
    }

    /// The chroma of the means, as bytes.
    #[inline(always)]
    pub(super) fn chroma(&self, range: Range, blues: &mut [u8], reds: &mut [u8]) {
        let [red, green, blue] = &self.means;
        for ((((red, green), blue), to_blue), to_red) in
            red.iter().zip(green).zip(blue).zip(blues).zip(reds)
        {
            let luma = SHARES[0] * red + SHARES[1] * green + SHARES[2] * blue;
            *to_blue = byte(128.0 + (blue - luma) * (range.chroma / TO_BLUE));
            *to_red = byte(128.0 + (red - luma) * (range.chroma / TO_RED));
        }
    }

    /// What decoders show of one kind of chroma: of chroma at half the size three quarters of the
    /// nearest and a quarter of the next, down and across.
    #[inline(always)]
    pub(super) fn shown(
        &mut self,
        kind: usize,
        halved: bool,
        range: Range,
        [near, far]: [&[u8]; 2],
    ) {
        let scale = range.chroma.recip();
        if !halved {
            for (value, shown) in near.iter().zip(&mut self.shown[kind]) {
                *shown = (f32::from(*value) - 128.0) * scale;
            }
            return;
        }
        let across = near.len();
        for ((near, far), mixed) in near.iter().zip(far).zip(&mut self.mixed[1..=across]) {
            *mixed = (f32::from(*near) * 3.0 + f32::from(*far) - 512.0) * (scale / 16.0);
        }
        self.mixed[0] = self.mixed[1];
        self.mixed[across + 1] = self.mixed[across];
        let (before, here, after) =
            (&self.mixed[..across], &self.mixed[1..=across], &self.mixed[2..]);
        for (((before, here), after), shown) in
            before.iter().zip(here).zip(after).zip(self.shown[kind].as_chunks_mut::<2>().0)
        {
            *shown = [here * 3.0 + before, here * 3.0 + after];
        }
    }

    /// The luma with which pixels shown beside these chroma give as much light as those of `line`,
    /// with the square of a signal for its light.
    #[inline(always)]
    pub(super) fn fitted(&mut self, range: Range, line: &[u8], out: &mut [u8]) {
        apart(line, &mut self.channels[0]);
        let ([red, green, blue], [to_blue, to_red]) = (&self.channels[0], &self.shown);
        for (piece, out) in out.chunks_mut(PIECE).enumerate() {
            let here = piece * PIECE..piece * PIECE + out.len();
            let piece = Piece {
                given: [&red[here.clone()], &green[here.clone()], &blue[here.clone()]],
                to_blue: &to_blue[here.clone()],
                to_red: &to_red[here],
            };
            if piece.unbounded(range, out) {
                piece.bounded(range, out);
            }
        }
    }
}

/// The pixels of a row that are fitted at once: the slower way is for those near one that needs it.
const PIECE: usize = 64;

/// Pixels and the chroma shown beside their luma.
struct Piece<'a> {
    given: [&'a [u8]; 3],
    to_blue: &'a [f32],
    to_red: &'a [f32],
}

impl Piece<'_> {
    /// As if channels had no ends, where luma is a root of `sum(LIGHT * (luma + beside)^2) =
    /// wanted`; whether one of them would end at black or white.
    #[inline(always)]
    fn unbounded(&self, range: Range, out: &mut [u8]) -> bool {
        let [red, green, blue] = self.given;
        let mut signs = 0;
        let pixels = red.iter().zip(green).zip(blue).zip(self.to_blue.iter().zip(self.to_red));
        for ((((red, green), blue), (to_blue, to_red)), out) in pixels.zip(out) {
            let wanted = of_light([light(*red), light(*green), light(*blue)]);
            let [red, green, blue] = beside(*to_blue, *to_red);
            let mean = of_light([red, green, blue]);
            let squares = of_light([red * red, green * green, blue * blue]);
            let luma = (mean * mean - squares + wanted).max(0.0).sqrt() - mean;
            let min = red.min(green).min(blue) + luma;
            let max = red.max(green).max(blue) + luma;
            signs |= (min + 0.5).to_bits() | (255.5 - max).to_bits();
            *out = stored(range, luma);
        }
        // One sign bit of all is quicker to find than one comparison.
        signs >> 31 == 1
    }

    /// With channels that end at black and white: two steps by Newton's method.
    #[inline(always)]
    fn bounded(&self, range: Range, out: &mut [u8]) {
        let [red, green, blue] = self.given;
        let pixels = red.iter().zip(green).zip(blue).zip(self.to_blue.iter().zip(self.to_red));
        for ((((red, green), blue), (to_blue, to_red)), out) in pixels.zip(out) {
            let wanted = of_light([light(*red), light(*green), light(*blue)]);
            let beside = beside(*to_blue, *to_red);
            let mut luma =
                SHARES[0] * *red as f32 + SHARES[1] * *green as f32 + SHARES[2] * *blue as f32;
            luma = nearer(luma, wanted, beside);
            luma = nearer(luma, wanted, beside);
            *out = stored(range, luma);
        }
    }
}

/// What chroma add to luma in red, green and blue.
#[inline(always)]
fn beside(to_blue: f32, to_red: f32) -> [f32; 3] {
    [TO_RED * to_red, -BLUE_OFF * to_blue - RED_OFF * to_red, TO_BLUE * to_blue]
}

#[inline(always)]
fn of_light([red, green, blue]: [f32; 3]) -> f32 {
    LIGHT[0] * red + LIGHT[1] * green + LIGHT[2] * blue
}

#[inline(always)]
fn stored(range: Range, luma: f32) -> u8 {
    byte(range.black + luma.clamp(0.0, 255.0) * range.luma)
}

#[inline(always)]
fn nearer(luma: f32, wanted: f32, beside: [f32; 3]) -> f32 {
    let red = (luma + beside[0]).clamp(0.0, 255.0);
    let green = (luma + beside[1]).clamp(0.0, 255.0);
    let blue = (luma + beside[2]).clamp(0.0, 255.0);
    let light = of_light([red * red, green * green, blue * blue]);
    // One step more than none, so that black does not divide by it.
    let slope = 2.0 * of_light([red, green, blue]) + 1.0;
    luma + (wanted - light) / slope
}

/// A row of pixels as three rows of one channel, the last column repeated where their number is
/// odd.
#[inline(always)]
fn apart(line: &[u8], [reds, greens, blues]: &mut [Vec<u8>; 3]) {
    let pixels = line.as_chunks::<3>().0;
    for (((pixel, red), green), blue) in
        pixels.iter().zip(reds.iter_mut()).zip(greens.iter_mut()).zip(blues.iter_mut())
    {
        (*red, *green, *blue) = (pixel[0], pixel[1], pixel[2]);
    }
    if let (Some(pixel), Some(red), Some(green), Some(blue)) =
        (pixels.last(), reds.last_mut(), greens.last_mut(), blues.last_mut())
    {
        (*red, *green, *blue) = (pixel[0], pixel[1], pixel[2]);
    }
}

/// The square of a signal stands for its light.
#[inline(always)]
fn light(signal: u8) -> f32 {
    let signal = signal as f32;
    signal * signal
}

/// From 2^23 on floats lie one apart, so that a byte added to it stands in the lowest bits. Casts
/// are slower: they look out for NaN.
const WHOLE: f32 = 8_388_608.0;

/// The nearest byte.
#[inline(always)]
fn byte(value: f32) -> u8 {
    (value.clamp(0.0, 255.0) + WHOLE).to_bits() as u8
}
