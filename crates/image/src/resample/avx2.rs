//! The inner loops for x86-64 with AVX2 and FMA. The only unsafe code is here: loads and stores by
//! pointer, each within slices whose lengths are checked first, and the call across the feature
//! boundary after detection.
#![allow(unsafe_code)]

use std::arch::x86_64::{
    _mm_add_ps, _mm_storeu_ps, _mm256_blend_ps, _mm256_castps256_ps128, _mm256_extractf128_ps,
    _mm256_fmadd_ps, _mm256_loadu_ps, _mm256_set1_ps, _mm256_setzero_ps, _mm256_storeu_ps,
};

use super::{
    kernels::{BATCH, Kernels},
    weights::Weights,
};

/// These loops, where the machine has the features they need.
pub(super) fn kernels() -> Option<Kernels> {
    let able = is_x86_feature_detected!("avx2") && is_x86_feature_detected!("fma");
    able.then_some(Kernels { gather, combine })
}

fn gather(weights: &Weights, rows: &[f32], out: &mut [f32]) {
    // SAFETY: only reachable through `kernels`, which found both features.
    unsafe { gather_avx2(weights, rows, out) }
}

fn combine(rows: &[&[f32]], weights: &[f32], out: &mut [f32]) {
    // SAFETY: as above.
    unsafe { combine_avx2(rows, weights, out) }
}

/// Two taps at a time (eight lanes hold two four-channel samples), in all rows of the batch before
/// the next two.
#[target_feature(enable = "avx2,fma")]
fn gather_avx2(weights: &Weights, rows: &[f32], out: &mut [f32]) {
    let (row_length, out_length) = (rows.len() / BATCH, out.len() / BATCH);
    for (i, (first, weights)) in weights.windows().enumerate().take(out_length / 4) {
        assert!((first + weights.len()) * 4 <= row_length);
        let mut sums = [_mm256_setzero_ps(); BATCH];
        let mut at = first * 4;
        for [one, other] in weights.as_chunks::<2>().0 {
            let weight = _mm256_blend_ps::<0xF0>(_mm256_set1_ps(*one), _mm256_set1_ps(*other));
            for (row, sum) in sums.iter_mut().enumerate() {
                // SAFETY: `at` runs from `first * 4` in steps of 8 for each two of the weights, so
                // that `at + 8` stays within a row by the assertion above, and with the whole rows
                // before it within `rows`.
                let sample = unsafe { _mm256_loadu_ps(rows.as_ptr().add(row * row_length + at)) };
                *sum = _mm256_fmadd_ps(sample, weight, *sum);
            }
            at += 8;
        }
        for (row, sum) in sums.into_iter().enumerate() {
            let sum = _mm_add_ps(_mm256_castps256_ps128(sum), _mm256_extractf128_ps::<1>(sum));
            let pixel = &mut out[row * out_length + i * 4..][..4];
            // SAFETY: the slice is four floats long.
            unsafe { _mm_storeu_ps(pixel.as_mut_ptr(), sum) };
        }
    }
}

/// Sixteen columns at a time, all rows of them before the next, so that sums stay in registers.
#[target_feature(enable = "avx2,fma")]
fn combine_avx2(rows: &[&[f32]], weights: &[f32], out: &mut [f32]) {
    const LANES: usize = 16;
    assert!(rows.len() == weights.len() && rows.iter().all(|row| row.len() >= out.len()));
    let whole = out.len() / LANES * LANES;
    for at in (0..whole).step_by(LANES) {
        let (mut left, mut right) = (_mm256_setzero_ps(), _mm256_setzero_ps());
        for (row, weight) in rows.iter().zip(weights) {
            let weight = _mm256_set1_ps(*weight);
            // SAFETY: `at + 16` is within the row: rows are at least as long as `out`, and `at +
            // LANES <= whole <= out.len()`.
            unsafe {
                left = _mm256_fmadd_ps(_mm256_loadu_ps(row.as_ptr().add(at)), weight, left);
                right = _mm256_fmadd_ps(_mm256_loadu_ps(row.as_ptr().add(at + 8)), weight, right);
            }
        }
        // SAFETY: as above, for `out`.
        unsafe {
            _mm256_storeu_ps(out.as_mut_ptr().add(at), left);
            _mm256_storeu_ps(out.as_mut_ptr().add(at + 8), right);
        }
    }
    for at in whole..out.len() {
        out[at] = rows.iter().zip(weights).map(|(row, weight)| row[at] * weight).sum();
    }
}
