//! The frames of an animated original, whatever its format.

use kivet_recipe::{Facts, Format};

use super::{avif, frames::Frames, gif, png, webp};
use crate::{ImageError, Limits};

/// The frames of an original; one if it stands still in a format that can move.
pub(crate) fn frames<'a>(
    bytes: &'a [u8],
    facts: &Facts,
    limits: Limits,
) -> Result<Frames<'a>, ImageError> {
    // One canvas to draw on, one kept for disposal, and one handed out.
    limits.check_whole(facts.size, 12)?;
    let frames = match facts.format {
        Format::Gif => gif::frames(bytes)?,
        Format::Webp => webp::frames(bytes)?,
        Format::Png => png::frames(bytes, limits)?,
        Format::Avif => avif::frames(bytes, limits)?,
        other => return Err(ImageError::damaged(other, "it does not move")),
    };
    Ok(frames.at_most(limits.frames))
}
