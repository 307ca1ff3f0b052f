//! PNG: chunks (PNG, third edition, section 5). Unknown ones go, and all that follows the end.

use super::{Input, clean_exif, clean_xmp};

const SIGNATURE: [u8; 8] = [0x89, b'P', b'N', b'G', 0x0D, 0x0A, 0x1A, 0x0A];

/// What is seen, and how.
const KEPT: [&[u8; 4]; 20] = [
    b"IHDR", b"PLTE", b"IDAT", b"IEND", b"tRNS", b"cHRM", b"gAMA", b"iCCP", b"sBIT", b"sRGB",
    b"cICP", b"mDCV", b"cLLI", b"bKGD", b"hIST", b"pHYs", b"sPLT", b"acTL", b"fcTL", b"fdAT",
];

/// Texts that say whose a picture is.
const CREDITS: [&[u8]; 3] = [b"Author", b"Copyright", b"Title"];

/// XMP's keyword, where nothing is packed (XMP, part 3, 1.1.5).
const XMP: &[u8] = b"XML:com.adobe.xmp\0\0\0";

pub(super) fn clean(bytes: &[u8]) -> Option<Vec<u8>> {
    let mut input = Input(bytes);
    if input.array()? != SIGNATURE {
        return None;
    }
    let mut out = SIGNATURE.to_vec();
    let (mut exif, mut xmp) = (false, false);
    loop {
        let rest = input;
        let Some((name, data)) = next_chunk(&mut input) else {
            // A file cut short still shows what its last pixels are.
            let is_pixels = matches!(rest.0.get(4..8), Some(b"IDAT" | b"fdAT"));
            out.extend(rest.0.iter().take(if is_pixels { rest.0.len() } else { 0 }));
            return Some(out);
        };
        match &name {
            b"eXIf" if !exif => {
                let block = clean_exif(data);
                exif = block.is_some();
                block.iter().for_each(|block| push(&mut out, name, block));
            }
            b"iTXt" if !xmp && data.starts_with(XMP) => {
                let packet = after_languages(&data[XMP.len()..]).and_then(clean_xmp);
                xmp = packet.is_some();
                packet.iter().for_each(|packet| {
                    push(&mut out, name, &[XMP, b"\0\0", packet].concat());
                });
            }
            b"tEXt" if is_credit(data) => push(&mut out, name, data),
            _ if KEPT.contains(&&name) => push(&mut out, name, data),
            _ => {}
        }
        if &name == b"IEND" {
            return Some(out);
        }
    }
}

fn next_chunk<'a>(input: &mut Input<'a>) -> Option<([u8; 4], &'a [u8])> {
    let length = input.be32()? as usize;
    let name = input.array()?;
    let data = input.take(length)?;
    input.take(4)?;
    Some((name, data))
}

/// Adds a chunk with its checksum (5.5).
fn push(out: &mut Vec<u8>, name: [u8; 4], data: &[u8]) {
    out.extend((data.len() as u32).to_be_bytes());
    let from = out.len();
    out.extend(name);
    out.extend(data);
    let mut sum = flate2::Crc::new();
    sum.update(&out[from..]);
    out.extend(sum.sum().to_be_bytes());
}

/// Past a language and a translated keyword, both ended by zero.
fn after_languages(data: &[u8]) -> Option<&[u8]> {
    data.splitn(3, |byte| *byte == 0).nth(2)
}

fn is_credit(data: &[u8]) -> bool {
    let keyword = data.split(|byte| *byte == 0).next().unwrap_or_default();
    CREDITS.contains(&keyword)
}
