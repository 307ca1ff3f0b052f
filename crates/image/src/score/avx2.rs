//! The loops of scoring compiled for x86-64 with AVX2 and FMA. The only unsafe code is the call
//! across the feature boundary after detection.
#![allow(unsafe_code)]

use super::loops::{self, Loops, MapRow, RowSums, TAPS};

/// These loops, where the machine has the features they need.
pub(super) fn loops() -> Option<Loops> {
    let able = is_x86_feature_detected!("avx2") && is_x86_feature_detected!("fma");
    able.then_some(Loops { blur, maps, colours })
}

fn blur(rows: [&[f32]; TAPS], out: &mut [f32]) {
    // SAFETY: only reachable through `loops`, which found both features.
    unsafe { blur_avx2(rows, out) }
}

fn maps(row: MapRow<'_>) -> RowSums {
    // SAFETY: as above.
    unsafe { maps_avx2(row) }
}

fn colours(red: &mut [f32], green: &mut [f32], blue: &mut [f32]) {
    // SAFETY: as above.
    unsafe { colours_avx2(red, green, blue) }
}

#[target_feature(enable = "avx2,fma")]
fn blur_avx2(rows: [&[f32]; TAPS], out: &mut [f32]) {
    loops::blur(rows, out);
}

#[target_feature(enable = "avx2,fma")]
fn maps_avx2(row: MapRow<'_>) -> RowSums {
    loops::maps(row)
}

#[target_feature(enable = "avx2,fma")]
fn colours_avx2(red: &mut [f32], green: &mut [f32], blue: &mut [f32]) {
    loops::colours(red, green, blue);
}
