//! Animated pictures: frames in, one file out.

use kivet_recipe::{Format, Size};

use super::{Writing, frame::TimedFrame, gif, webp};
use crate::ImageError;

/// Writes frames of `size` in a format that can move. `loop_count` is how often they are shown, 0
/// for ever.
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
