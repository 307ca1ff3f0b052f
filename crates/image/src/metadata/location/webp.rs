//! WebP: chunks of a RIFF file (RFC 9649, section 2), those within frames too. What lies behind the
//! file's own length goes.

use super::{Input, clean_exif, clean_xmp};

/// What is seen, and how.
const KEPT: [&[u8; 4]; 7] = [b"VP8 ", b"VP8L", b"VP8X", b"ALPH", b"ANIM", b"ANMF", b"ICCP"];

/// Bytes of a frame's own header.
const FRAME: usize = 16;

/// Flags of `VP8X` (section 2.7).
const HAS_EXIF: u8 = 0x08;
const HAS_XMP: u8 = 0x04;

pub(super) fn clean(bytes: &[u8]) -> Option<Vec<u8>> {
    let mut input = Input(bytes);
    if &input.array()? != b"RIFF" {
        return None;
    }
    let length = u32::from_le_bytes(input.array()?) as usize;
    let mut body = Input(input.0.get(..length).unwrap_or(input.0));
    if &body.array()? != b"WEBP" {
        return None;
    }
    let mut out = b"WEBP".to_vec();
    let (mut exif, mut xmp) = (None, None);
    let mut flags = None;
    while let Some((name, content)) = next_chunk(&mut body) {
        match &name {
            b"EXIF" if exif.is_none() => {
                exif = clean_exif(content.strip_prefix(b"Exif\0\0").unwrap_or(content));
            }
            b"XMP " if xmp.is_none() => xmp = clean_xmp(content),
            b"VP8X" if flags.is_none() => {
                flags = Some(out.len() + 8);
                push(&mut out, name, content);
            }
            b"ANMF" => push(&mut out, name, &frame(content)?),
            _ if KEPT.contains(&&name) => push(&mut out, name, content),
            _ => {}
        }
    }
    if let Some(flags) = flags.and_then(|at| out.get_mut(at)) {
        *flags &= !(HAS_EXIF | HAS_XMP);
        *flags |=
            if exif.is_some() { HAS_EXIF } else { 0 } | if xmp.is_some() { HAS_XMP } else { 0 };
        exif.iter().for_each(|block| push(&mut out, *b"EXIF", block));
        xmp.iter().for_each(|packet| push(&mut out, *b"XMP ", packet));
    }
    let length = u32::try_from(out.len()).ok()?;
    Some([b"RIFF".as_slice(), &length.to_le_bytes(), &out].concat())
}

/// A chunk, of a file cut short as much as there is.
fn next_chunk<'a>(input: &mut Input<'a>) -> Option<([u8; 4], &'a [u8])> {
    let name = input.array()?;
    let length = u32::from_le_bytes(input.array()?) as usize;
    let content = match input.take(length) {
        Some(content) => content,
        None => input.rest(),
    };
    // Chunks begin at even places.
    input.take(length % 2);
    Some((name, content))
}

fn push(out: &mut Vec<u8>, name: [u8; 4], content: &[u8]) {
    out.extend(name);
    out.extend((content.len() as u32).to_le_bytes());
    out.extend(content);
    out.extend(vec![0; content.len() % 2]);
}

/// A frame with nothing but its pixels.
fn frame(content: &[u8]) -> Option<Vec<u8>> {
    let (header, chunks) = content.split_at_checked(FRAME)?;
    let (mut out, mut input) = (header.to_vec(), Input(chunks));
    while let Some((name, content)) = next_chunk(&mut input) {
        if matches!(&name, b"ALPH" | b"VP8 " | b"VP8L") {
            push(&mut out, name, content);
        }
    }
    Some(out)
}
