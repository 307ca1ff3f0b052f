//! JPEG: segments (ITU-T T.81, B.1.1). What belongs to decoding stays, whatever follows the end of
//! the image goes: phones append second pictures with blocks of their own.

use super::{Input, clean_exif, clean_xmp};

const START: u8 = 0xD8;
const END: u8 = 0xD9;
const SCAN: u8 = 0xDA;
const COMMENT: u8 = 0xFE;
const EXIF: &[u8] = b"Exif\0\0";
const XMP: &[u8] = b"http://ns.adobe.com/xap/1.0/\0";

pub(super) fn clean(bytes: &[u8]) -> Option<Vec<u8>> {
    let mut input = Input(bytes);
    if input.array()? != [0xFF, START] {
        return None;
    }
    let mut out = vec![0xFF, START];
    let (mut exif, mut xmp) = (false, false);
    while let Some(marker) = next_marker(&mut input) {
        match marker {
            END => {
                out.extend([0xFF, END]);
                return Some(out);
            }
            // Markers that stand alone.
            0x01 | 0xD0..=0xD7 => continue,
            _ => {}
        }
        // A file cut short ends within a segment: nothing is known of that.
        let Some(content) =
            input.be16().and_then(|length| input.take(usize::from(length).checked_sub(2)?))
        else {
            break;
        };
        match marker {
            0xE1 if content.starts_with(EXIF) => {
                let block = clean_exif(&content[EXIF.len()..]).filter(|_| !exif);
                exif |= push(&mut out, marker, EXIF, block);
            }
            0xE1 if content.starts_with(XMP) => {
                let packet = clean_xmp(&content[XMP.len()..]).filter(|_| !xmp);
                xmp |= push(&mut out, marker, XMP, packet);
            }
            0xE0..=0xEF | COMMENT if !shapes_pixels(marker, content) => {}
            _ => {
                push(&mut out, marker, content, Some(Vec::new()));
            }
        }
        if marker == SCAN {
            out.extend(coded(&mut input));
        }
    }
    Some(out)
}

/// Skips to the next marker and gives its code.
fn next_marker(input: &mut Input<'_>) -> Option<u8> {
    loop {
        let before = input.array::<1>()?;
        if before == [0xFF] {
            let code = input.0.iter().position(|byte| *byte != 0xFF)?;
            input.take(code)?;
            return input.array::<1>().map(|[code]| code).filter(|code| *code != 0);
        }
    }
}

/// Adds a segment if there is one and it fits; true if it was added.
fn push(out: &mut Vec<u8>, marker: u8, name: &[u8], content: Option<Vec<u8>>) -> bool {
    let Some(content) = content else { return false };
    let Ok(length) = u16::try_from(name.len() + content.len() + 2) else { return false };
    out.extend([0xFF, marker]);
    out.extend(length.to_be_bytes());
    out.extend(name);
    out.extend(content);
    true
}

/// True for the application segments that decoders look at: JFIF, the colour profile, Adobe's
/// colour transform.
fn shapes_pixels(marker: u8, content: &[u8]) -> bool {
    match marker {
        0xE0 => content.starts_with(b"JFIF\0"),
        0xE2 => content.starts_with(b"ICC_PROFILE\0"),
        0xEE => content.starts_with(b"Adobe"),
        _ => false,
    }
}

/// The coded data up to the next marker that is neither a restart nor a stuffed byte.
fn coded<'a>(input: &mut Input<'a>) -> &'a [u8] {
    let is_marker = |pair: &[u8]| pair[0] == 0xFF && !matches!(pair[1], 0 | 0xD0..=0xD7 | 0xFF);
    let end = input.0.windows(2).position(is_marker);
    match end {
        Some(end) => input.take(end).unwrap_or_default(),
        None => input.rest(),
    }
}
