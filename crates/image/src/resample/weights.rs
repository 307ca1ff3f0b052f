//! Which source samples make an output sample, and how much of each.

/// The Lanczos-3 kernel: the sinc function under a window of three lobes.
fn lanczos3(x: f64) -> f64 {
    if x == 0.0 {
        return 1.0;
    }
    if x.abs() >= 3.0 {
        return 0.0;
    }
    let pi_x = std::f64::consts::PI * x;
    3.0 * pi_x.sin() * (pi_x / 3.0).sin() / (pi_x * pi_x)
}

/// For each output sample along one axis, the first source sample and a fixed number of weights that sum to 1.
///
/// Guaranteed: every window lies inside the source, and first samples never fall from one output to the next.
pub(super) struct Weights {
    taps: usize,
    firsts: Vec<usize>,
    values: Vec<f32>,
}

impl Weights {
    /// Weights from `length` samples to `out`, which show the stretch of `extent` samples from `start` on. Samples
    /// outside the crop but inside the picture are used, so that a crop is exactly a part of the whole's rendition.
    pub(super) fn new(length: u32, start: f64, extent: f64, out: u32) -> Self {
        let scale = extent / f64::from(out);
        // Reduction widens the kernel to the output's own spacing; nothing is ever enlarged by more than rounding.
        let stretch = scale.max(1.0);
        let radius = 3.0 * stretch;
        let length = length as usize;
        let taps = ((2.0 * radius).ceil() as usize + 1).min(length);
        let mut firsts = Vec::with_capacity(out as usize);
        let mut values = Vec::with_capacity(out as usize * taps);
        for i in 0..out {
            let centre = start + (f64::from(i) + 0.5) * scale;
            let lowest = (centre - radius).floor().max(0.0) as usize;
            let first = lowest.min(length - taps);
            let window: Vec<f64> =
                (0..taps).map(|tap| lanczos3(((first + tap) as f64 + 0.5 - centre) / stretch)).collect();
            let sum: f64 = window.iter().sum();
            firsts.push(first);
            values.extend(window.into_iter().map(|value| (value / sum) as f32));
        }
        Self { taps, firsts, values }
    }

    /// How many weights each output sample has.
    pub(super) const fn taps(&self) -> usize {
        self.taps
    }

    /// The first source sample and the weights of output sample `i`.
    pub(super) fn window(&self, i: usize) -> (usize, &[f32]) {
        (self.firsts[i], &self.values[i * self.taps..(i + 1) * self.taps])
    }

    /// Brings one row of four-channel samples to the output's width.
    pub(super) fn gather(&self, row: &[f32], out: &mut [f32]) {
        for (i, pixel) in out.chunks_exact_mut(4).enumerate() {
            let (first, weights) = self.window(i);
            let samples = &row[first * 4..(first + self.taps) * 4];
            let mut sum = [0.0f32; 4];
            for (sample, weight) in samples.chunks_exact(4).zip(weights) {
                for channel in 0..4 {
                    sum[channel] += sample[channel] * weight;
                }
            }
            pixel.copy_from_slice(&sum);
        }
    }
}
