//! Where a file keeps its EXIF and XMP.

use std::io::Cursor;

use kivet_recipe::Format;

use crate::{probe::jpeg, riff};

/// XMP's name in a JPEG segment (XMP, part 3, 1.1.3).
const XMP_HEADER: &[u8] = b"http://ns.adobe.com/xap/1.0/\0";

/// XMP's name in a PNG chunk, and what follows it where nothing is packed (XMP, part 3, 1.1.5).
const XMP_KEYWORD: &[u8] = b"XML:com.adobe.xmp\0\0\0";

/// The EXIF block as a TIFF structure.
pub(super) fn exif(bytes: &[u8], format: Format) -> Option<Vec<u8>> {
    match format {
        // The whole file is the structure.
        Format::Tiff => Some(bytes.to_vec()),
        Format::Jxl => jxl_box(bytes, *b"Exif").and_then(|block| {
            let offset = u32::from_be_bytes(*block.first_chunk::<4>()?) as usize;
            // Some writers leave the offset out.
            let starts = |block: &&[u8]| block.starts_with(b"II*\0") || block.starts_with(b"MM\0*");
            let at_offset = block.get(offset.saturating_add(4)..).filter(starts);
            Some(at_offset.unwrap_or(block).to_vec())
        }),
        Format::Bmp | Format::Gif | Format::Svg => None,
        Format::Webp => {
            let block = riff::chunk(bytes, *b"EXIF")?;
            Some(block.strip_prefix(b"Exif\0\0").unwrap_or(block).to_vec())
        }
        Format::Jpeg | Format::Png | Format::Avif => {
            let read = exif::Reader::new().read_from_container(&mut Cursor::new(bytes)).ok()?;
            Some(read.buf().to_vec())
        }
    }
}

/// The XMP packet.
pub(super) fn xmp(bytes: &[u8], format: Format) -> Option<Vec<u8>> {
    match format {
        Format::Jpeg => jpeg::segments(bytes)
            .find_map(|(marker, data)| data.strip_prefix(XMP_HEADER).filter(|_| marker == 0xE1))
            .map(<[u8]>::to_vec),
        Format::Webp => riff::chunk(bytes, *b"XMP ").map(<[u8]>::to_vec),
        Format::Jxl => jxl_box(bytes, *b"xml ").map(<[u8]>::to_vec),
        Format::Png => {
            super::png_chunks(bytes).find(|(name, _)| name == b"iTXt").and_then(|(_, data)| {
                let rest = data.strip_prefix(XMP_KEYWORD)?;
                // A language and a translated keyword, both ended by zero, come before the text.
                let mut parts = rest.splitn(3, |byte| *byte == 0);
                parts.nth(2).map(<[u8]>::to_vec)
            })
        }
        Format::Avif | Format::Tiff | Format::Gif | Format::Svg | Format::Bmp => packet(bytes),
    }
}

/// A packet anywhere in the file, between its own marks (XMP, part 1, 7.3.2).
fn packet(bytes: &[u8]) -> Option<Vec<u8>> {
    let start = find(bytes, b"<x:xmpmeta")?;
    let end = start + find(&bytes[start..], b"</x:xmpmeta>")? + b"</x:xmpmeta>".len();
    Some(bytes[start..end].to_vec())
}

/// The content of a box of that type at the top of a JPEG XL container (ISO/IEC 18181-2, 9).
fn jxl_box(bytes: &[u8], wanted: [u8; 4]) -> Option<&[u8]> {
    let mut rest = bytes;
    loop {
        let (length, after) = rest.split_first_chunk::<4>()?;
        let (name, content) = after.split_first_chunk::<4>()?;
        let length = match u32::from_be_bytes(*length) as usize {
            0 => rest.len(),
            length if length >= 8 => length,
            _ => return None,
        };
        if *name == wanted {
            return content.get(..length - 8);
        }
        rest = rest.get(length..)?;
    }
}

fn find(bytes: &[u8], wanted: &[u8]) -> Option<usize> {
    bytes.windows(wanted.len()).position(|window| window == wanted)
}
