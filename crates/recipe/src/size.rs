//! Sizes and regions in pixels.

use serde::{Deserialize, Serialize};

/// Width and height in whole pixels.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Size {
    /// Pixels from left to right.
    pub width: u32,
    /// Pixels from top to bottom.
    pub height: u32,
}

impl Size {
    /// A size of `width` by `height` pixels.
    pub const fn new(width: u32, height: u32) -> Self {
        Self { width, height }
    }

    /// How many pixels it holds.
    pub const fn pixels(self) -> u64 {
        self.width as u64 * self.height as u64
    }
}

impl std::fmt::Display for Size {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} x {}", self.width, self.height)
    }
}

/// A region of the upright original in its own pixels; fractions are meant.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Rect {
    /// Left edge.
    pub x: f64,
    /// Top edge.
    pub y: f64,
    /// Width, above 0.
    pub width: f64,
    /// Height, above 0.
    pub height: f64,
}

impl Rect {
    /// All of a picture.
    pub fn whole(size: Size) -> Self {
        Self { x: 0.0, y: 0.0, width: size.width.into(), height: size.height.into() }
    }
}
