//! Which source samples make an output sample, and how much of each.

/// The Lanczos-3 kernel: the sinc function under a window of three lobes.
fn lanczos3(x: f64) -> f64 {
    if x == 0.0 {
        return 1.0;
    }
    if x.abs() >= 3.0 {
        return 0.0;
    }
    // One sine gives both: sin 3a = 3 sin a - 4 sin^3 a.
    let third = std::f64::consts::PI * x / 3.0;
    let sine = third.sin();
    sine * sine * (3.0 - 4.0 * sine * sine) / (3.0 * third * third)
}

/// For each output sample along one axis, the first source sample and a fixed number of weights
/// that sum to 1.
///
/// Guaranteed: first samples never fall from one output to the next, and every window lies inside
/// the source or reaches up to three samples beyond its end, where weights are 0: see
/// [`Weights::padding`].
pub(super) struct Weights {
    taps: usize,
    firsts: Vec<usize>,
    values: Vec<f32>,
}

impl Weights {
    /// Samples a row needs beyond its last, because windows hold a multiple of four of them.
    pub(super) const fn padding() -> usize {
        3
    }

    /// Weights from `length` samples to `out`, which show the stretch of `extent` samples from
    /// `start` on. Samples outside the crop but inside the picture are used, so that a crop is
    /// exactly a part of the whole's rendition.
    pub(super) fn new(length: u32, start: f64, extent: f64, out: u32) -> Self {
        let scale = extent / f64::from(out);
        // Reduction widens the kernel to the output's own spacing; nothing is ever enlarged by more
        // than rounding.
        let stretch = scale.max(1.0);
        let radius = 3.0 * stretch;
        let length = length as usize;
        let inside = ((2.0 * radius).ceil() as usize).min(length);
        let taps = inside.next_multiple_of(4);
        let mut firsts = Vec::with_capacity(out as usize);
        let mut values = Vec::with_capacity(out as usize * taps);
        for i in 0..out {
            let centre = start + (f64::from(i) + 0.5) * scale;
            // The first sample whose middle lies under the kernel.
            let lowest = (centre - radius - 0.5).ceil().max(0.0) as usize;
            let first = lowest.min(length - inside);
            let weight = |tap: usize| match tap {
                tap if tap < inside => lanczos3(((first + tap) as f64 + 0.5 - centre) / stretch),
                _ => 0.0,
            };
            let window: Vec<f64> = (0..taps).map(weight).collect();
            let sum: f64 = window.iter().sum();
            firsts.push(first);
            values.extend(window.into_iter().map(|value| (value / sum) as f32));
        }
        Self { taps, firsts, values }
    }

    /// How many weights each output sample has: a multiple of four.
    pub(super) const fn taps(&self) -> usize {
        self.taps
    }

    /// The first source sample and the weights of each output sample, in order.
    pub(super) fn windows(&self) -> impl Iterator<Item = (usize, &[f32])> {
        self.firsts.iter().copied().zip(self.values.chunks_exact(self.taps))
    }

    /// The first source sample and the weights of output sample `i`.
    pub(super) fn window(&self, i: usize) -> (usize, &[f32]) {
        (self.firsts[i], &self.values[i * self.taps..(i + 1) * self.taps])
    }
}
