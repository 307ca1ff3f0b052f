//! The WebP container's header (RFC 9649, section 2).

use kivet_recipe::{Facts, Format, Size, Storage};

use crate::{ImageError, colour::Space, decode::webp_features};

/// What libwebp's `WebPBitstreamFeatures::format` says of lossless data.
const LOSSLESS: i32 = 2;

pub(super) fn probe(bytes: &[u8]) -> Result<Facts, ImageError> {
    let features = webp_features(bytes)?;
    let size = Size::new(features.width as u32, features.height as u32);
    let icc = crate::riff::chunk(bytes, *b"ICCP");
    let storage = if features.format == LOSSLESS {
        Storage::packed(bytes.len() as u64, size)
    } else {
        Storage::Lossy
    };
    Ok(Facts {
        alpha: features.has_alpha != 0,
        animated: features.has_animation != 0,
        profile: icc.and_then(super::profile_name),
        wide: Space::of_icc(icc).is_wide(),
        ..Facts::plain(Format::Webp, size, storage)
    })
}
