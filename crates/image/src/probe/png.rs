//! PNG chunks before the first pixel (PNG, third edition, sections 5 and 11).

use std::io::Cursor;

use kivet_recipe::{Facts, Format, Orientation, Size, Storage};
use png::{ColorType, Decoder};

use crate::{ImageError, decode::png_space, metadata::png_chunks};

pub(super) fn probe(bytes: &[u8]) -> Result<Facts, ImageError> {
    let reader = Decoder::new(Cursor::new(bytes))
        .read_info()
        .map_err(|error| ImageError::damaged(Format::Png, error))?;
    let info = reader.info();
    let orientation: Orientation =
        info.exif_metadata.as_deref().map(super::exif_orientation).unwrap_or_default();
    let stored = Size::new(info.width, info.height);
    let alpha = matches!(info.color_type, ColorType::Rgba | ColorType::GrayscaleAlpha)
        || info.trns.is_some()
        || uncovers(bytes, stored);
    let few_colours = info.color_type == ColorType::Indexed;
    Ok(Facts {
        orientation,
        alpha,
        animated: info.animation_control.is_some_and(|control| control.num_frames > 1),
        profile: info.icc_profile.as_deref().and_then(super::profile_name),
        depth: if few_colours { 8 } else { info.bit_depth as u8 },
        wide: png_space(info).is_wide(),
        ..Facts::plain(
            Format::Png,
            orientation.apply(stored),
            Storage::packed(bytes.len() as u64, stored),
        )
    })
}

/// True if an animation lets the background through: a frame cleared away, or a first one that does
/// not fill the picture (11.3.6.2: width, height, x and y at byte 4, how it is disposed of at byte
/// 24).
fn uncovers(bytes: &[u8], size: Size) -> bool {
    const TO_BACKGROUND: u8 = 1;
    let word = |data: &[u8], at: usize| {
        data.get(at..at + 4)?.first_chunk::<4>().map(|word| u32::from_be_bytes(*word))
    };
    let mut controls =
        png_chunks(bytes).filter(|(name, _)| name == b"fcTL").map(|(_, data)| data).peekable();
    let small = controls
        .peek()
        .is_some_and(|first| word(first, 4).zip(word(first, 8)) != Some((size.width, size.height)));
    small || controls.any(|control| control.get(24) == Some(&TO_BACKGROUND))
}
