//! The two inner loops of the resampler, in portable form and chosen at run time.
//!
//! Measured on 4800 x 3200 to 640 wide (`cargo xtask bench cold`): see `docs/design/performance.md`.

use super::weights::Weights;

/// Rows gathered in one call: they share each load of the weights, and their sums do not wait for
/// each other.
pub(super) const BATCH: usize = 4;

/// The loops to use on this machine. Each has a scalar twin that a test holds equal to it.
#[derive(Clone, Copy)]
pub(super) struct Kernels {
    /// Brings [`BATCH`] rows of four-channel samples, each padded as [`Weights::padding`] says, to
    /// the output's width. Both slices hold the rows one after the other.
    pub(super) gather: fn(&Weights, &[f32], &mut [f32]),
    /// The weighted sum of rows at least as long as the output: as many weights as rows.
    pub(super) combine: fn(&[&[f32]], &[f32], &mut [f32]),
}

impl Kernels {
    /// Plain loops.
    pub(super) const SCALAR: Self = Self { gather, combine };

    /// All that this machine can run, slowest first.
    #[cfg(test)]
    pub(super) fn all() -> Vec<Self> {
        #[cfg(target_arch = "x86_64")]
        let fast = [super::avx2::kernels(), super::avx512::kernels()];
        #[cfg(not(target_arch = "x86_64"))]
        let fast: [Option<Self>; 0] = [];
        std::iter::once(Self::SCALAR).chain(fast.into_iter().flatten()).collect()
    }

    /// The fastest this machine can run.
    pub(super) fn fastest() -> Self {
        #[cfg(target_arch = "x86_64")]
        if let Some(kernels) = super::avx512::kernels().or_else(super::avx2::kernels) {
            return kernels;
        }
        Self::SCALAR
    }
}

fn gather(weights: &Weights, rows: &[f32], out: &mut [f32]) {
    let (row_length, out_length) = (rows.len() / BATCH, out.len() / BATCH);
    for (row, out) in rows.chunks_exact(row_length).zip(out.chunks_exact_mut(out_length)) {
        for (pixel, (first, weights)) in out.chunks_exact_mut(4).zip(weights.windows()) {
            let mut sum = [0.0f32; 4];
            for (sample, weight) in row[first * 4..].chunks_exact(4).zip(weights) {
                for channel in 0..4 {
                    sum[channel] += sample[channel] * weight;
                }
            }
            pixel.copy_from_slice(&sum);
        }
    }
}

fn combine(rows: &[&[f32]], weights: &[f32], out: &mut [f32]) {
    out.fill(0.0);
    for (row, weight) in rows.iter().zip(weights) {
        for (sum, value) in out.iter_mut().zip(*row) {
            *sum += value * weight;
        }
    }
}
