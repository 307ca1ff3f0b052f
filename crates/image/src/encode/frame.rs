//! A frame of an animated rendition.

use crate::Raster;

/// One drawn frame.
pub(crate) struct TimedFrame {
    pub(crate) raster: Raster,
    /// How long it is shown, in milliseconds.
    pub(crate) shown_ms: u32,
}
