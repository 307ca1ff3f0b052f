//! What one call may cost.

use kivet_recipe::Size;

use crate::ImageError;

/// Bounds on one original, checked against its header before any pixel is decoded.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// The most pixels an original may hold.
    pub pixels: u64,
}

impl Default for Limits {
    /// 150 million pixels: above any camera's, far below what a hostile header can claim.
    fn default() -> Self {
        Self { pixels: 150_000_000 }
    }
}

impl Limits {
    /// Refuses a size above the limits.
    ///
    /// # Errors
    /// [`ImageError::TooLarge`].
    pub fn check(self, size: Size) -> Result<(), ImageError> {
        if size.pixels() > self.pixels {
            return Err(ImageError::TooLarge { size, limit: self.pixels / 1_000_000 });
        }
        Ok(())
    }
}
