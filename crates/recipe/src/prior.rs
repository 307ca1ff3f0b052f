//! The prior: what each encoder is expected to need for a target before a picture was measured.

use crate::{BytesPerPixel, Effort, Fidelity, Format, Setting, Storage};

/// What an encoder is expected to need for a target.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Expected {
    /// The encoder's own quality setting, 0 to 100.
    pub setting: Setting,
    /// Bytes per pixel of the rendition.
    pub bytes_per_pixel: BytesPerPixel,
}

/// Rows of (fidelity, setting, bytes per pixel, and what a unit of complexity adds to the setting
/// and to the logarithm of bytes), rising in the first three columns.
type Table = [(f32, f32, f32, f32, f32); 6];

// Fitted to the demo's photographs, counted twice, and generated ones, at 320, 640 and 1280 wide
// with the fast settings, by `cargo xtask bench prior`. They hold until a picture has been measured
// itself.
const AVIF: Table = [
    (1.0, 13.2, 0.0051, 4.6, 1.44),
    (30.0, 25.0, 0.0083, 8.6, 1.60),
    (50.0, 36.6, 0.0124, 12.4, 1.74),
    (70.0, 57.1, 0.0226, 18.7, 1.92),
    (85.0, 87.2, 0.0638, 19.0, 2.04),
    (90.0, 95.0, 0.1520, 7.6, 1.89),
];
const WEBP: Table = [
    (1.0, 2.4, 0.0106, 0.3, 0.82),
    (30.0, 7.2, 0.0129, 1.3, 0.92),
    (50.0, 23.1, 0.0187, 5.6, 1.08),
    (70.0, 58.8, 0.0333, 13.4, 1.24),
    // Colour at half size holds many pictures below these. What those take that get there says too
    // little of the others, so the bytes are as fitted when fewer got there.
    (85.0, 90.2, 0.1054, 13.8, 1.23),
    (90.0, 98.2, 0.2527, 5.6, 1.16),
];
const JPEG: Table = [
    (1.0, 6.6, 0.0102, 1.3, 0.62),
    (30.0, 13.5, 0.0156, 3.4, 0.81),
    (50.0, 22.1, 0.0222, 5.9, 0.95),
    (70.0, 50.0, 0.0392, 14.6, 1.16),
    (85.0, 83.5, 0.0900, 14.7, 1.36),
    (90.0, 93.2, 0.1710, 6.4, 1.40),
];
const JXL: Table = [
    (1.0, 2.8, 0.0093, 0.6, 1.09),
    (30.0, 10.3, 0.0124, 3.7, 1.23),
    (50.0, 21.7, 0.0180, 6.7, 1.35),
    (70.0, 51.3, 0.0310, 16.1, 1.55),
    (85.0, 77.1, 0.0624, 16.5, 1.69),
    (90.0, 87.8, 0.0965, 12.9, 1.62),
];

/// The setting and bytes expected of `format` for a lossy rendition at `target`, of a picture of
/// which nothing is known; `None` where the format has no lossy form here.
pub fn expected(format: Format, target: Fidelity) -> Option<Expected> {
    usual(format, target.as_f32(), 0.0, Effort::Fast)
}

/// As [`expected`], between whole scores, of a picture that is so much more complex than usual,
/// with the encoder's effort.
pub(crate) fn usual(
    format: Format,
    score: f32,
    complexity: f32,
    effort: Effort,
) -> Option<Expected> {
    let table = match format {
        Format::Avif => &AVIF,
        Format::Webp => &WEBP,
        Format::Jpeg => &JPEG,
        Format::Jxl => &JXL,
        Format::Png | Format::Gif | Format::Svg | Format::Bmp | Format::Tiff => return None,
    };
    let (gain, factor) = effort_gain(format, effort);
    let (setting, _) = interpolate(table, score - gain, complexity);
    let (_, bytes) = interpolate(table, score, complexity);
    Some(Expected {
        setting: Setting::nearest_to(setting),
        bytes_per_pixel: BytesPerPixel::new(bytes.exp() * factor),
    })
}

/// What lies between the slow preset and the fast preset: score at the same setting, and a factor
/// of bytes at the same score. Medians by `cargo xtask bench prior`.
pub(crate) const fn effort_gain(format: Format, effort: Effort) -> (f32, f32) {
    match (effort, format) {
        (Effort::Slow, Format::Avif) => (0.9, 0.86),
        (Effort::Slow, Format::Jxl) => (2.0, 0.89),
        _ => (0.0, 1.0),
    }
}

/// Setting and logarithm of bytes on straight lines between the rows; past the last row on its last
/// slope.
fn interpolate(table: &Table, target: f32, complexity: f32) -> (f32, f32) {
    let upper = table.iter().position(|row| row.0 >= target).unwrap_or(table.len() - 1).max(1);
    let at = |(_, setting, bytes, more_setting, more_bytes): (f32, f32, f32, f32, f32)| {
        (
            (setting + more_setting * complexity).clamp(0.0, 100.0),
            bytes.ln() + more_bytes * complexity,
        )
    };
    let (below, above) = (at(table[upper - 1]), at(table[upper]));
    let share = (target - table[upper - 1].0) / (table[upper].0 - table[upper - 1].0);
    (below.0 + (above.0 - below.0) * share, below.1 + (above.1 - below.1) * share)
}

/// Bytes per pixel expected of a lossless rendition at `scale`, a power of two; `None` where the
/// format has none here. The length of a packed original tells most: reduced, its edges stand
/// closer together, up to what a photograph takes (`cargo xtask bench lossless`).
pub(crate) fn expected_lossless(
    format: Format,
    storage: Storage,
    scale: f32,
) -> Option<BytesPerPixel> {
    const PHOTO: f32 = 1.217;
    const FLAT: f32 = 0.176;
    // What is packed tells of one frame, not of what an animation's frames have in common.
    const GIF: f32 = 0.2;
    if format == Format::Gif {
        const DENSE: f32 = 0.4;
        let flat = match storage {
            Storage::Lossy | Storage::Lossless => false,
            Storage::Packed(bytes) => bytes.get() < DENSE,
            Storage::Vector => true,
        };
        return Some(BytesPerPixel::new(if flat { GIF } else { 3.0 * GIF }));
    }
    let png = match storage {
        Storage::Lossy | Storage::Lossless => PHOTO,
        Storage::Vector => FLAT,
        Storage::Packed(bytes) => (bytes.get() * (-scale).exp2()).min(bytes.get().max(PHOTO)),
    };
    let share = match format {
        Format::Png => 1.0,
        Format::Webp => 0.6,
        Format::Jxl => 0.65,
        _ => return None,
    };
    Some(BytesPerPixel::new(png * share))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_and_bytes_rise_with_the_target_at_any_complexity() {
        for format in [Format::Avif, Format::Jxl, Format::Webp, Format::Jpeg] {
            for complexity in [-1.5, 0.0, 1.5] {
                let all: Vec<Expected> = (1..=100)
                    .filter_map(|score| usual(format, score as f32, complexity, Effort::Slow))
                    .collect();
                assert_eq!(all.len(), 100);
                for pair in all.windows(2) {
                    assert!(
                        pair[0].setting <= pair[1].setting
                            && pair[0].bytes_per_pixel < pair[1].bytes_per_pixel
                    );
                }
                assert!(all.iter().all(|expected| (0.0..=100.0).contains(&expected.setting.get())));
            }
        }
    }
}
