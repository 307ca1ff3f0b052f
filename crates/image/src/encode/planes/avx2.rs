//! The same compiled for x86-64 with AVX2. The only unsafe code is the call across the feature
//! boundary after detection.
#![allow(unsafe_code)]

use super::Plane;
use crate::{Raster, colour::Range};

/// Writes the planes where the machine has what that needs, else gives them back.
pub(super) fn split<'a>(
    raster: &Raster,
    halved: bool,
    range: Range,
    planes: [Plane<'a>; 3],
) -> Option<[Plane<'a>; 3]> {
    if !(is_x86_feature_detected!("avx2") && is_x86_feature_detected!("fma")) {
        return Some(planes);
    }
    // SAFETY: both features were found.
    unsafe { split_avx2(raster, halved, range, planes) };
    None
}

#[target_feature(enable = "avx2,fma")]
fn split_avx2(raster: &Raster, halved: bool, range: Range, planes: [Plane<'_>; 3]) {
    super::split_anywhere(raster, halved, range, planes);
}
