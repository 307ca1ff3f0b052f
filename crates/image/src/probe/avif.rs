//! The AVIF container's properties (ISO/IEC 23008-12; AV1 Image File Format 1.1).

use kivet_recipe::{Facts, Format, Orientation, Storage};

use crate::{ImageError, decode::Avif};

pub(super) fn probe(bytes: &[u8]) -> Result<Facts, ImageError> {
    let avif = Avif::parse(bytes)?;
    let orientation = upright(avif.turned());
    Ok(Facts {
        orientation,
        alpha: avif.alpha(),
        animated: avif.animated(),
        profile: avif.profile().as_deref().and_then(super::profile_name),
        depth: avif.depth(),
        wide: avif.space().is_wide(),
        ..Facts::plain(Format::Avif, orientation.apply(avif.size()), Storage::Lossy)
    })
}

/// `irot` turns anticlockwise first, then `imir` mirrors: as one transpose and two flips.
fn upright((quarters, axis): (u8, Option<u8>)) -> Orientation {
    let tag = match quarters & 3 {
        1 => 8,
        2 => 3,
        3 => 6,
        _ => 1,
    };
    let mut orientation = Orientation::from_exif(tag).unwrap_or_default();
    match axis {
        Some(0) => orientation.flip_y ^= true,
        Some(_) => orientation.flip_x ^= true,
        None => {}
    }
    orientation
}
