//! PNG chunks before the first pixel (PNG, third edition, sections 5 and 11).

use std::io::Cursor;

use kivet_recipe::{Facts, Format, Kind, Orientation, Size};
use png::{ColorType, Decoder};

use crate::ImageError;

pub(super) fn probe(bytes: &[u8]) -> Result<Facts, ImageError> {
    let reader =
        Decoder::new(Cursor::new(bytes)).read_info().map_err(|error| ImageError::damaged(Format::Png, error))?;
    let info = reader.info();
    let orientation: Orientation = info.exif_metadata.as_deref().map(super::exif_orientation).unwrap_or_default();
    let stored = Size::new(info.width, info.height);
    let alpha = matches!(info.color_type, ColorType::Rgba | ColorType::GrayscaleAlpha) || info.trns.is_some();
    let few_colours = info.color_type == ColorType::Indexed;
    Ok(Facts {
        format: Format::Png,
        size: orientation.apply(stored),
        orientation,
        alpha,
        motion: info.animation_control.is_some_and(|control| control.num_frames > 1),
        kind: if few_colours { Kind::Flat } else { super::kind_by_weight(bytes.len(), stored) },
        profile: info.icc_profile.as_deref().and_then(super::profile_name),
    })
}
