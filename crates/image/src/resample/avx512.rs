//! The inner loops for x86-64 with AVX-512. The only unsafe code is here: loads and stores by
//! pointer, each within slices whose lengths are checked first, and the call across the feature
//! boundary after detection.
#![allow(unsafe_code)]

use std::arch::x86_64::{
    _mm_add_ps, _mm_loadu_ps, _mm_storeu_ps, _mm256_add_ps, _mm256_castps256_ps128,
    _mm256_extractf128_ps, _mm512_broadcast_f32x4, _mm512_castps512_ps256, _mm512_extractf32x8_ps,
    _mm512_fmadd_ps, _mm512_loadu_ps, _mm512_permutexvar_ps, _mm512_set_epi32, _mm512_set1_ps,
    _mm512_setzero_ps, _mm512_storeu_ps,
};

use super::{
    kernels::{BATCH, Kernels},
    weights::Weights,
};

/// These loops, where the machine has the features they need.
pub(super) fn kernels() -> Option<Kernels> {
    let able = is_x86_feature_detected!("avx512f") && is_x86_feature_detected!("avx512dq");
    able.then_some(Kernels { gather, combine })
}

fn gather(weights: &Weights, rows: &[f32], out: &mut [f32]) {
    // SAFETY: only reachable through `kernels`, which found both features.
    unsafe { gather_avx512(weights, rows, out) }
}

fn combine(rows: &[&[f32]], weights: &[f32], out: &mut [f32]) {
    // SAFETY: as above.
    unsafe { combine_avx512(rows, weights, out) }
}

/// Four taps at a time (sixteen lanes hold four four-channel samples), in all rows of the batch
/// before the next four.
#[target_feature(enable = "avx512f,avx512dq")]
fn gather_avx512(weights: &Weights, rows: &[f32], out: &mut [f32]) {
    let (row_length, out_length) = (rows.len() / BATCH, out.len() / BATCH);
    // Each weight four times, once a channel.
    let spread = _mm512_set_epi32(3, 3, 3, 3, 2, 2, 2, 2, 1, 1, 1, 1, 0, 0, 0, 0);
    for (i, (first, weights)) in weights.windows().enumerate().take(out_length / 4) {
        assert!((first + weights.len()) * 4 <= row_length);
        let mut sums = [_mm512_setzero_ps(); BATCH];
        let mut at = first * 4;
        for four in weights.as_chunks::<4>().0 {
            // SAFETY: the chunk is four floats long.
            let four = unsafe { _mm_loadu_ps(four.as_ptr()) };
            let weight = _mm512_permutexvar_ps(spread, _mm512_broadcast_f32x4(four));
            for (row, sum) in sums.iter_mut().enumerate() {
                // SAFETY: `at` runs from `first * 4` in steps of 16 for each four of the weights,
                // so that `at + 16` stays within a row by the assertion above, and with the whole
                // rows before it within `rows`.
                let sample = unsafe { _mm512_loadu_ps(rows.as_ptr().add(row * row_length + at)) };
                *sum = _mm512_fmadd_ps(sample, weight, *sum);
            }
            at += 16;
        }
        for (row, sum) in sums.into_iter().enumerate() {
            let sum = _mm256_add_ps(_mm512_castps512_ps256(sum), _mm512_extractf32x8_ps::<1>(sum));
            let sum = _mm_add_ps(_mm256_castps256_ps128(sum), _mm256_extractf128_ps::<1>(sum));
            let pixel = &mut out[row * out_length + i * 4..][..4];
            // SAFETY: the slice is four floats long.
            unsafe { _mm_storeu_ps(pixel.as_mut_ptr(), sum) };
        }
    }
}

/// Sixty-four columns at a time, all rows of them before the next, so that sums stay in registers.
#[target_feature(enable = "avx512f,avx512dq")]
fn combine_avx512(rows: &[&[f32]], weights: &[f32], out: &mut [f32]) {
    const LANES: usize = 64;
    assert!(rows.len() == weights.len() && rows.iter().all(|row| row.len() >= out.len()));
    let whole = out.len() / LANES * LANES;
    for at in (0..whole).step_by(LANES) {
        let mut sums = [_mm512_setzero_ps(); 4];
        for (row, weight) in rows.iter().zip(weights) {
            let weight = _mm512_set1_ps(*weight);
            for (part, sum) in sums.iter_mut().enumerate() {
                // SAFETY: `at + LANES` is within the row: rows are at least as long as `out`, and
                // `at + LANES <= whole`.
                *sum = _mm512_fmadd_ps(
                    unsafe { _mm512_loadu_ps(row.as_ptr().add(at + part * 16)) },
                    weight,
                    *sum,
                );
            }
        }
        for (part, sum) in sums.into_iter().enumerate() {
            // SAFETY: as above, for `out`.
            unsafe { _mm512_storeu_ps(out.as_mut_ptr().add(at + part * 16), sum) };
        }
    }
    for at in whole..out.len() {
        out[at] = rows.iter().zip(weights).map(|(row, weight)| row[at] * weight).sum();
    }
}
