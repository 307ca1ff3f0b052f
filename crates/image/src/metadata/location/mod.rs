//! Where a picture was taken, cut out of its file without touching a pixel.
//!
//! Every container is read to its end and written anew from the parts that are known to be needed
//! or harmless: what cannot be understood is left out, not passed on. EXIF keeps what the standard
//! describes apart from positions and makers' notes, XMP keeps the credit.

pub(super) mod boxes;
mod gif;
mod jpeg;
mod jxl;
mod png;
mod tiff;
mod webp;

use exif::{Context, Field, In, Tag, Value, experimental::Writer};
use kivet_recipe::Format;

use super::kept::{credit_as_xmp, credit_in_xmp};
use crate::ImageError;

/// The same picture in a file that does not say where it was taken.
///
/// # Errors
/// If the file cannot be taken apart far enough to be sure.
pub fn without_location(bytes: &[u8], format: Format) -> Result<Vec<u8>, ImageError> {
    let clean = match format {
        Format::Jpeg => jpeg::clean(bytes),
        Format::Png => png::clean(bytes),
        Format::Webp => webp::clean(bytes),
        Format::Avif => boxes::clean(bytes),
        Format::Jxl => jxl::clean(bytes),
        Format::Gif => gif::clean(bytes),
        Format::Tiff => tiff::clean(bytes),
        // Nothing but pixels; a drawing is cleaned where it is served.
        Format::Bmp | Format::Svg => Some(bytes.to_vec()),
    };
    clean.ok_or(ImageError::NotCleaned { format })
}

/// An EXIF block without positions, makers' notes, free-form data and the second picture; `None`
/// where it cannot be read, or nothing of it is left.
fn clean_exif(tiff: &[u8]) -> Option<Vec<u8>> {
    let read = exif::Reader::new().read_raw(tiff.to_vec()).ok()?;
    let kept: Vec<&Field> = read.fields().filter(|field| is_harmless(field)).collect();
    let mut writer = Writer::new();
    kept.iter().for_each(|field| writer.push_field(field));
    let mut block = std::io::Cursor::new(Vec::new());
    writer.write(&mut block, read.little_endian()).ok()?;
    Some(block.into_inner()).filter(|_| !kept.is_empty())
}

fn is_harmless(field: &Field) -> bool {
    let is_version =
        matches!(field.tag, Tag::ExifVersion | Tag::FlashpixVersion | Tag::ComponentsConfiguration);
    let is_described = field.tag.description().is_some();
    // The writer places strips and thumbnails itself.
    let is_pointer = matches!(
        field.tag,
        Tag::StripOffsets
            | Tag::StripByteCounts
            | Tag::TileOffsets
            | Tag::TileByteCounts
            | Tag::JPEGInterchangeFormat
            | Tag::JPEGInterchangeFormatLength
    );
    field.ifd_num == In::PRIMARY
        && matches!(field.tag.context(), Context::Tiff | Context::Exif)
        && is_described
        && !is_pointer
        && match field.value {
            Value::Undefined(..) => is_version,
            Value::Unknown(..) => false,
            _ => true,
        }
}

/// An XMP packet that says whose the picture is and nothing else; `None` where that is not said.
fn clean_xmp(packet: &[u8]) -> Option<Vec<u8>> {
    credit_as_xmp(&credit_in_xmp(std::str::from_utf8(packet).ok()?))
}

/// Takes bytes from the front as long as there are enough.
#[derive(Clone, Copy)]
struct Input<'a>(&'a [u8]);

impl<'a> Input<'a> {
    fn take(&mut self, count: usize) -> Option<&'a [u8]> {
        let (taken, rest) = self.0.split_at_checked(count)?;
        self.0 = rest;
        Some(taken)
    }

    fn array<const N: usize>(&mut self) -> Option<[u8; N]> {
        let (taken, rest) = self.0.split_first_chunk::<N>()?;
        self.0 = rest;
        Some(*taken)
    }

    fn be16(&mut self) -> Option<u16> {
        self.array().map(u16::from_be_bytes)
    }

    fn be32(&mut self) -> Option<u32> {
        self.array().map(u32::from_be_bytes)
    }

    fn rest(&mut self) -> &'a [u8] {
        std::mem::take(&mut self.0)
    }
}

#[cfg(test)]
mod tests;
