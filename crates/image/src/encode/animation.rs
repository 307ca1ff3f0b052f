//! Animated pictures: frames in, one file out.

use kivet_recipe::{Format, Size};

use super::{Writing, gif, webp};
use crate::{ImageError, Raster};

/// One drawn frame.
pub(crate) struct TimedFrame {
    pub(crate) raster: Raster,
    /// How long it is shown, in milliseconds.
    pub(crate) shown_ms: u32,
}

/// Writes frames of `size` in a format that can move. `loop_count` is how often they are shown, 0 for ever.
pub(crate) fn write(
    format: Format,
    size: Size,
    loop_count: u32,
    timed_frames: &mut dyn Iterator<Item = Result<TimedFrame, ImageError>>,
    writing: &Writing,
) -> Result<Vec<u8>, ImageError> {
    match format {
        Format::Webp => webp::encode_animated(size, loop_count, timed_frames, writing),
        Format::Gif => gif::encode_animated(size, loop_count, timed_frames, writing),
        other => Err(ImageError::not_encoded(other, "it does not move")),
    }
}
