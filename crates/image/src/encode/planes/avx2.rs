//! The loops compiled for x86-64 with AVX2. The only unsafe code is the call across the feature boundary after detection.
#![allow(unsafe_code)]

use super::loops::{self, Loops};

/// These loops, where the machine has what they need.
pub(super) fn loops() -> Option<Loops> {
    is_x86_feature_detected!("avx2").then_some(Loops { apart, brightness, squares, fourfold, differences })
}

fn apart(row: &[u8], out: [&mut [u8]; 3]) {
    // SAFETY: only reachable through `loops`, which found the feature.
    unsafe { apart_avx2(row, out) }
}

fn brightness(channels: [&[u8]; 3], out: &mut [u8]) {
    // SAFETY: as above.
    unsafe { brightness_avx2(channels, out) }
}

fn squares(above: &[u8], below: &[u8], out: &mut [i32]) {
    // SAFETY: as above.
    unsafe { squares_avx2(above, below, out) }
}

fn fourfold(row: &[u8], out: &mut [i32]) {
    // SAFETY: as above.
    unsafe { fourfold_avx2(row, out) }
}

fn differences(channels: [&[i32]; 3], to_blue: &mut [u8], to_red: &mut [u8]) {
    // SAFETY: as above.
    unsafe { differences_avx2(channels, to_blue, to_red) }
}

#[target_feature(enable = "avx2")]
fn apart_avx2(row: &[u8], out: [&mut [u8]; 3]) {
    loops::apart(row, out);
}

#[target_feature(enable = "avx2")]
fn brightness_avx2(channels: [&[u8]; 3], out: &mut [u8]) {
    loops::brightness(channels, out);
}

#[target_feature(enable = "avx2")]
fn squares_avx2(above: &[u8], below: &[u8], out: &mut [i32]) {
    loops::squares(above, below, out);
}

#[target_feature(enable = "avx2")]
fn fourfold_avx2(row: &[u8], out: &mut [i32]) {
    loops::fourfold(row, out);
}

#[target_feature(enable = "avx2")]
fn differences_avx2(channels: [&[i32]; 3], to_blue: &mut [u8], to_red: &mut [u8]) {
    loops::differences(channels, to_blue, to_red);
}
