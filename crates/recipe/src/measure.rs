//! Measured quantities, each a type of its own so that one is never taken for another.

use std::fmt;

use serde::{Deserialize, Serialize};

use crate::Fidelity;

/// The SSIMULACRA2 score of one file against the raster it was made from: 100 for equal pixels, 90
/// indistinguishable, below zero where the picture is ruined. A target on the same scale is a
/// [`Fidelity`].
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Score(f32);

impl Score {
    /// A score as the metric gives it.
    pub const fn new(value: f32) -> Self {
        Self(value)
    }

    /// The value.
    pub const fn get(self) -> f32 {
        self.0
    }

    /// How far it is from `target`, either way.
    pub fn misses(self, target: Fidelity) -> f32 {
        (self.0 - target.as_f32()).abs()
    }
}

impl fmt::Display for Score {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:.1}", self.0)
    }
}

/// An encoder's own quality setting, 0 to 100.
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Setting(f32);

impl Setting {
    /// The middle of the scale.
    pub const MIDDLE: Self = Self(50.0);

    /// The setting nearest to `value` that encoders take: 0 to 100.
    pub const fn nearest_to(value: f32) -> Self {
        Self(value.clamp(0.0, 100.0))
    }

    /// The value, 0 to 100.
    pub const fn get(self) -> f32 {
        self.0
    }
}

impl fmt::Display for Setting {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:.1}", self.0)
    }
}

/// A number of bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct Bytes(u64);

impl Bytes {
    /// So many bytes.
    pub const fn new(count: u64) -> Self {
        Self(count)
    }

    /// The bytes of a file.
    pub const fn of(file: &[u8]) -> Self {
        Self(file.len() as u64)
    }

    /// How many.
    pub const fn get(self) -> u64 {
        self.0
    }
}

/// For people: three digits at most, in units of a thousand.
impl fmt::Display for Bytes {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let count = self.0;
        match count {
            0..1_000 => write!(f, "{count} B"),
            1_000..100_000 => write!(f, "{:.1} kB", count as f64 / 1e3),
            100_000..1_000_000 => write!(f, "{:.0} kB", count as f64 / 1e3),
            _ => write!(f, "{:.2} MB", count as f64 / 1e6),
        }
    }
}

/// Bytes per pixel of a file, its container left out ([`container_bytes`](crate::container_bytes)).
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd, Serialize, Deserialize)]
#[serde(transparent)]
pub struct BytesPerPixel(f32);

impl BytesPerPixel {
    /// So many bytes for each pixel.
    pub const fn new(value: f32) -> Self {
        Self(value)
    }

    /// The value.
    pub const fn get(self) -> f32 {
        self.0
    }

    /// The natural logarithm, which curves interpolate; of at least a hundred-thousandth of a byte.
    pub fn ln(self) -> f32 {
        self.0.max(1e-5).ln()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bytes_are_short_for_people() {
        let short = [999, 1_500, 123_456, 2_345_678].map(|count| Bytes::new(count).to_string());
        assert_eq!(short, ["999 B", "1.5 kB", "123 kB", "2.35 MB"]);
    }

    #[test]
    fn settings_stay_on_their_scale() {
        assert_eq!(
            [-3.0, 41.5, 700.0].map(|value| Setting::nearest_to(value).get()),
            [0.0, 41.5, 100.0]
        );
    }
}
