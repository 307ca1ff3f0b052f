//! Fidelity targets, and what each encoder is expected to need for one before a picture was measured.

use serde::{Deserialize, Serialize};

use crate::{Effort, Format, Kind};

/// Likeness to the ideal rendition, 1 to 100 on the SSIMULACRA2 scale: 90 indistinguishable, 70 high, 50 medium.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Fidelity(u8);

impl Fidelity {
    /// The target where a recipe names none.
    pub const DEFAULT: Self = Self(70);

    /// `None` outside 1 to 100.
    pub const fn new(value: u8) -> Option<Self> {
        if value >= 1 && value <= 100 { Some(Self(value)) } else { None }
    }

    /// The value, 1 to 100.
    pub const fn get(self) -> u8 {
        self.0
    }
}

/// What an encoder is expected to need for a target.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Expected {
    /// The encoder's own quality setting, 0 to 100.
    pub setting: f32,
    /// Bytes per pixel of the rendition.
    pub bytes_per_pixel: f32,
}

/// Rows of (fidelity, setting, bytes per pixel), rising in each column.
type Table = [(f32, f32, f32); 6];

// Means over the demo's photographs at 320, 640 and 1280 wide with the fast settings, printed in this form by
// `cargo xtask bench prior`. They hold until a picture has been measured itself.
const AVIF: Table = [
    (1.0, 15.4, 0.010),
    (30.0, 29.2, 0.018),
    (50.0, 41.8, 0.030),
    (70.0, 60.5, 0.058),
    (85.0, 84.3, 0.147),
    (90.0, 91.2, 0.236),
];
const WEBP: Table = [
    (1.0, 2.5, 0.016),
    (30.0, 8.3, 0.020),
    (50.0, 27.3, 0.031),
    (70.0, 72.6, 0.062),
    (85.0, 98.2, 0.308),
    (90.0, 99.9, 0.344),
];
const JPEG: Table = [
    (1.0, 14.0, 0.027),
    (30.0, 21.3, 0.036),
    (50.0, 34.0, 0.049),
    (70.0, 66.5, 0.085),
    (85.0, 89.9, 0.204),
    (90.0, 93.4, 0.292),
];
const JXL: Table = [
    (1.0, 2.3, 0.016),
    (30.0, 6.5, 0.019),
    (50.0, 24.6, 0.029),
    (70.0, 60.6, 0.053),
    (85.0, 86.4, 0.110),
    (90.0, 93.8, 0.183),
];

/// The setting and bytes expected of `format` for a lossy rendition at `target`; `None` where the format has no
/// lossy form here.
pub fn expected(format: Format, target: Fidelity) -> Option<Expected> {
    usual(format, f32::from(target.get()))
}

/// As [`expected`], between whole points.
pub fn usual(format: Format, points: f32) -> Option<Expected> {
    let table = match format {
        Format::Avif => &AVIF,
        Format::Webp => &WEBP,
        Format::Jpeg => &JPEG,
        Format::Jxl => &JXL,
        Format::Png | Format::Gif | Format::Svg | Format::Bmp | Format::Tiff => return None,
    };
    Some(interpolate(table, points))
}

/// As [`expected`], with the encoder's effort.
pub(crate) fn expected_with(format: Format, target: Fidelity, effort: Effort) -> Option<Expected> {
    let fast = expected(format, target)?;
    let (shift, factor) = effort_shift(format, effort);
    let setting = (fast.setting + shift).clamp(0.0, 100.0);
    Some(Expected { setting, bytes_per_pixel: fast.bytes_per_pixel * factor })
}

/// What an encoder at its best needs beside the same encoder in a hurry, for the same fidelity: points of setting, and
/// a factor of bytes. Means over the demo's photographs by `cargo xtask bench effort`.
pub(crate) const fn effort_shift(format: Format, effort: Effort) -> (f32, f32) {
    match (effort, format) {
        (Effort::Best, Format::Avif) => (0.0, 0.93),
        (Effort::Best, Format::Webp) => (0.0, 0.93),
        (Effort::Best, Format::Jpeg) => (0.0, 0.92),
        (Effort::Best, Format::Jxl) => (0.0, 0.95),
        _ => (0.0, 1.0),
    }
}

/// Straight lines between the rows; past the last row its last slope, the setting kept within 100.
fn interpolate(table: &Table, target: f32) -> Expected {
    let upper = table.iter().position(|row| row.0 >= target).unwrap_or(table.len() - 1).max(1);
    let ((x0, s0, b0), (x1, s1, b1)) = (table[upper - 1], table[upper]);
    let share = (target - x0) / (x1 - x0);
    Expected { setting: (s0 + (s1 - s0) * share).clamp(0.0, 100.0), bytes_per_pixel: b0 + (b1 - b0) * share }
}

/// Bytes per pixel expected of an exact rendition, by `cargo xtask bench exact`; `None` where the format has none here.
pub(crate) fn expected_lossless(format: Format, kind: Kind) -> Option<f32> {
    match (format, kind) {
        (Format::Webp, Kind::Photo) => Some(0.836),
        (Format::Webp, Kind::Flat) => Some(0.076),
        (Format::Jxl, Kind::Photo) => Some(0.9),
        (Format::Jxl, Kind::Flat) => Some(0.09),
        // One frame; what moves is told from what does not before bytes are compared.
        (Format::Gif, Kind::Photo) => Some(0.6),
        (Format::Gif, Kind::Flat) => Some(0.2),
        (Format::Png, Kind::Photo) => Some(1.217),
        (Format::Png, Kind::Flat) => Some(0.176),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_and_bytes_rise_with_the_target() {
        for format in [Format::Avif, Format::Jxl, Format::Webp, Format::Jpeg] {
            let all: Vec<Expected> =
                (1..=100).filter_map(Fidelity::new).filter_map(|target| expected(format, target)).collect();
            assert_eq!(all.len(), 100);
            for pair in all.windows(2) {
                assert!(pair[0].setting <= pair[1].setting && pair[0].bytes_per_pixel < pair[1].bytes_per_pixel);
            }
            assert!(all.iter().all(|expected| (0.0..=100.0).contains(&expected.setting)));
        }
    }
}
