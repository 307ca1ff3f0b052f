//! What a file is and holds, read from its header alone: one file per format. Its bytes decide,
//! never its name.

mod avif;
pub(crate) mod gif;
pub(crate) mod jpeg;
mod png;
mod webp;

use kivet_recipe::{Facts, Format, Orientation};

use crate::{
    ImageError, Limits,
    decode::{probe_bmp, probe_tiff},
    guarded::guarded,
    svg,
};

/// Reads the facts of an original without decoding pixels.
///
/// # Errors
/// If the bytes are no known picture, their header is damaged, or it claims more than `limits`
/// allow.
pub fn probe(bytes: &[u8], limits: Limits) -> Result<Facts, ImageError> {
    limits.check_bytes(bytes.len() as u64)?;
    let facts = match bytes {
        [0xFF, 0xD8, 0xFF, ..] => jpeg::probe(bytes)?,
        [0x89, b'P', b'N', b'G', 0x0D, 0x0A, 0x1A, 0x0A, ..] => {
            guarded(Format::Png, || png::probe(bytes))?
        }
        [b'G', b'I', b'F', b'8', b'7' | b'9', b'a', ..] => {
            guarded(Format::Gif, || gif::probe(bytes))?
        }
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => webp::probe(bytes)?,
        [_, _, _, _, b'f', b't', b'y', b'p', b'a', b'v', b'i', b'f' | b's', ..] => {
            avif::probe(bytes)?
        }
        [0xFF, 0x0A, ..] | [0, 0, 0, 0x0C, b'J', b'X', b'L', b' ', 0x0D, 0x0A, 0x87, 0x0A, ..] => {
            of_jxl(bytes)?
        }
        [b'B', b'M', ..] => guarded(Format::Bmp, || probe_bmp(bytes))?,
        [b'I', b'I', 42 | 43, 0, ..] | [b'M', b'M', 0, 42 | 43, ..] => {
            guarded(Format::Tiff, || probe_tiff(bytes))?
        }
        _ if svg::looks_like(bytes) => guarded(Format::Svg, || svg::probe(bytes))?,
        _ => return Err(ImageError::NotAPicture),
    };
    // A vector has no pixels until it is drawn.
    if facts.format != Format::Svg {
        limits.check(facts.size)?;
    }
    Ok(Facts { bytes: Some(bytes.len() as u64), ..facts })
}

#[cfg(feature = "jxl")]
fn of_jxl(bytes: &[u8]) -> Result<Facts, ImageError> {
    crate::decode::probe_jxl(bytes)
}

#[cfg(not(feature = "jxl"))]
fn of_jxl(_bytes: &[u8]) -> Result<Facts, ImageError> {
    Err(ImageError::NotBuilt { sort: "JPEG XL" })
}

/// The orientation in a TIFF-structured EXIF block; upright if there is none or it is no valid one.
fn exif_orientation(tiff: &[u8]) -> Orientation {
    exif::Reader::new()
        .read_raw(tiff.to_vec())
        .ok()
        .and_then(|exif| {
            exif.get_field(exif::Tag::Orientation, exif::In::PRIMARY)?.value.get_uint(0)
        })
        .and_then(Orientation::from_exif)
        .unwrap_or_default()
}

/// The description of an ICC profile, for people.
pub(crate) fn profile_name(icc: &[u8]) -> Option<String> {
    let profile = moxcms::ColorProfile::new_from_slice(icc).ok()?;
    match profile.description? {
        moxcms::ProfileText::PlainString(text) => Some(text),
        moxcms::ProfileText::Localizable(texts) => texts.into_iter().next().map(|text| text.value),
        moxcms::ProfileText::Description(description) => Some(description.ascii_string),
    }
}

#[cfg(test)]
mod tests;
