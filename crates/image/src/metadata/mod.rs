//! What a file carries that no viewer sees: EXIF, XMP, thumbnails, comments. The colour profile is
//! not counted: it has a part in what is seen.

mod blocks;
mod kept;
mod location;
mod upright;

use crate::{probe::jpeg, riff};

pub use kept::{Credit, Kept, credit, kept};
pub use location::without_location;

/// Metadata of a file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Metadata {
    /// Bytes of it.
    pub bytes: u64,
    /// True if it says where the picture was taken.
    pub has_location: bool,
}

impl Metadata {
    fn add(&mut self, data: &[u8], tiff: Option<&[u8]>) {
        self.bytes += data.len() as u64;
        self.has_location |= tiff.is_some_and(has_location) || contains(data, b"GPSLatitude");
    }
}

/// The metadata of a JPEG, PNG, WebP or AVIF file; of others none is known.
pub fn metadata(bytes: &[u8]) -> Metadata {
    match bytes {
        [0xFF, 0xD8, 0xFF, ..] => of_jpeg(bytes),
        [0x89, b'P', b'N', b'G', ..] => of_png(bytes),
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => of_webp(bytes),
        [_, _, _, _, b'f', b't', b'y', b'p', ..] => of_avif(bytes),
        _ => Metadata::default(),
    }
}

/// Items that are no part of a picture. EXIF stands behind an offset of four bytes.
fn of_avif(bytes: &[u8]) -> Metadata {
    let mut found = Metadata::default();
    for (kind, content) in location::boxes::beside_pictures(bytes).unwrap_or_default() {
        let tiff = content.get(4..).filter(|_| &kind == b"Exif");
        found.add(content, tiff);
    }
    found
}

/// APP1 (EXIF, XMP), APP3 to APP13 and comments; APP0, APP2 (profile) and APP14 (how colours are
/// stored) have a part in decoding.
fn of_jpeg(bytes: &[u8]) -> Metadata {
    let mut found = Metadata::default();
    for (marker, data) in jpeg::segments(bytes) {
        if matches!(marker, 0xE1 | 0xE3..=0xED | 0xEF | 0xFE) {
            found.add(data, data.strip_prefix(b"Exif\0\0"));
        }
    }
    found
}

fn of_png(bytes: &[u8]) -> Metadata {
    let mut found = Metadata::default();
    for (name, data) in png_chunks(bytes) {
        match &name {
            b"eXIf" => found.add(data, Some(data)),
            b"tEXt" | b"zTXt" | b"iTXt" | b"tIME" => found.add(data, None),
            _ => {}
        }
    }
    found
}

/// Name and data of each chunk, up to where the file breaks off.
pub(crate) fn png_chunks(bytes: &[u8]) -> impl Iterator<Item = ([u8; 4], &[u8])> {
    let mut rest = bytes.get(8..).unwrap_or_default();
    std::iter::from_fn(move || {
        let (length, after) = rest.split_first_chunk::<4>()?;
        let (name, data) = after.split_first_chunk::<4>()?;
        let length = u32::from_be_bytes(*length) as usize;
        let content = data.get(..length)?;
        rest = data.get(length + 4..).unwrap_or_default();
        Some((*name, content))
    })
}

fn of_webp(bytes: &[u8]) -> Metadata {
    let mut found = Metadata::default();
    for (name, content) in riff::chunks(bytes) {
        match &name {
            b"EXIF" => {
                found.add(content, Some(content.strip_prefix(b"Exif\0\0").unwrap_or(content)))
            }
            b"XMP " => found.add(content, None),
            _ => {}
        }
    }
    found
}

fn has_location(tiff: &[u8]) -> bool {
    let Ok(exif) = exif::Reader::new().read_raw(tiff.to_vec()) else { return false };
    [exif::Tag::GPSLatitude, exif::Tag::GPSLongitude]
        .iter()
        .any(|tag| exif.get_field(*tag, exif::In::PRIMARY).is_some())
}

fn contains(data: &[u8], wanted: &[u8]) -> bool {
    data.windows(wanted.len()).any(|window| window == wanted)
}

#[cfg(test)]
mod tests {
    use kivet_recipe::{Encoding, Format, Size};

    use super::*;
    use crate::{Raster, encode};

    #[test]
    fn what_was_put_in_is_found() {
        let raster = Raster::filled(Size::new(8, 8), [9, 80, 200, 255], false);
        let jpeg = encode(&raster, Format::Jpeg, Encoding::lossy(80.0)).expect("encoded");
        assert_eq!(metadata(&jpeg), Metadata::default());
        let mut with = jpeg[..2].to_vec();
        with.extend([0xFF, 0xE1, 0x0B, 0xBA]);
        with.extend(vec![b'x'; 3000]);
        with.extend(&jpeg[2..]);
        assert_eq!(metadata(&with), Metadata { bytes: 3000, has_location: false });

        let kept = Kept { xmp: Some(b"<GPSLatitude>54</GPSLatitude>".to_vec()), ..Kept::default() };
        let writing = crate::Writing { kept, ..crate::Writing::new(Encoding::lossy(60.0)) };
        let avif = crate::write(&raster, Format::Avif, &writing).expect("encoded");
        assert_eq!(metadata(&avif), Metadata { bytes: 29, has_location: true });
        for cut in 0..avif.len() {
            let _ = metadata(&avif[..cut]);
        }

        let webp = encode(&raster, Format::Webp, Encoding::Lossless).expect("encoded");
        let mut with = webp.clone();
        with.extend(b"XMP \x0d\0\0\0<GPSLatitude>\0");
        assert_eq!(metadata(&with), Metadata { bytes: 13, has_location: true });

        let png = encode(&raster, Format::Png, Encoding::Lossless).expect("encoded");
        let end = png.len() - 12;
        let with = [&png[..end], b"\0\0\0\x05tEXtab\0cd\0\0\0\0", &png[end..]].concat();
        assert_eq!(metadata(&with), Metadata { bytes: 5, has_location: false });
        for cut in 0..with.len() {
            let _ = metadata(&with[..cut]);
        }
    }
}
