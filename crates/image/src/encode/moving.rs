//! Moving pictures: frames in, one file out.

use kivet_recipe::{Format, Size};

use super::{Writing, gif, webp};
use crate::{ImageError, Raster};

/// One drawn frame.
pub(crate) struct Moment {
    pub(crate) raster: Raster,
    /// How long it is shown, in milliseconds.
    pub(crate) shown_ms: u32,
}

/// Writes frames of `size` in a format that can move. `plays` is how often they are shown, 0 for ever.
pub(crate) fn write(
    format: Format,
    size: Size,
    plays: u32,
    moments: &mut dyn Iterator<Item = Result<Moment, ImageError>>,
    writing: &Writing,
) -> Result<Vec<u8>, ImageError> {
    match format {
        Format::Webp => webp::encode_moving(size, plays, moments, writing),
        Format::Gif => gif::encode_moving(size, plays, moments, writing),
        other => Err(ImageError::not_encoded(other, "it does not move")),
    }
}
