//! JPEG XL: boxes of the container (ISO/IEC 18181-2, 9), or a bare codestream, which says nothing
//! but pixels. Boxes that are packed, or that bring a JPEG's segments back, go.

use super::{
    Input,
    boxes::{IsoBox, next_box, push},
    clean_exif, clean_xmp,
};

const KEPT: [&[u8; 4]; 6] = [b"JXL ", b"ftyp", b"jxll", b"jxli", b"jxlc", b"jxlp"];

pub(super) fn clean(bytes: &[u8]) -> Option<Vec<u8>> {
    if bytes.starts_with(&[0xFF, 0x0A]) {
        return Some(bytes.to_vec());
    }
    let (mut input, mut out) = (Input(bytes), Vec::new());
    let (mut exif, mut xmp) = (false, false);
    while let Some(IsoBox { name, content, .. }) = next_box(&mut input) {
        match &name {
            b"Exif" if !exif => {
                let block = exif_block(content);
                exif = block.is_some();
                block
                    .iter()
                    .for_each(|block| push(&mut out, name, &[&[0; 4], &block[..]].concat()));
            }
            b"xml " if !xmp => {
                let packet = clean_xmp(content);
                xmp = packet.is_some();
                packet.iter().for_each(|packet| push(&mut out, name, packet));
            }
            _ if KEPT.contains(&&name) => push(&mut out, name, content),
            _ => {}
        }
    }
    Some(out)
}

/// Behind an offset of four bytes; some writers leave that out.
fn exif_block(content: &[u8]) -> Option<Vec<u8>> {
    let (offset, rest) = content.split_first_chunk::<4>()?;
    let at_offset = rest.get(u32::from_be_bytes(*offset) as usize..);
    at_offset.and_then(clean_exif).or_else(|| clean_exif(content))
}
