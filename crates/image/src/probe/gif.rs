//! GIF blocks (GIF89a, sections 17 to 26): size, transparency, and whether there is a second frame.

use kivet_recipe::{Facts, Format, Kind, Orientation, Size};

use crate::ImageError;

pub(super) fn probe(bytes: &[u8]) -> Result<Facts, ImageError> {
    let two = |at: usize| Some(u32::from(u16::from_le_bytes([*bytes.get(at)?, *bytes.get(at + 1)?])));
    let size = two(6)
        .zip(two(8))
        .map(|(width, height)| Size::new(width, height))
        .filter(|size| size.pixels() > 0)
        .ok_or_else(|| ImageError::damaged(Format::Gif, "it has no size"))?;
    let (alpha, frames) = scan(bytes).unwrap_or((false, 1));
    Ok(Facts {
        format: Format::Gif,
        size,
        orientation: Orientation::default(),
        alpha,
        motion: frames > 1,
        kind: Kind::Flat,
        profile: None,
    })
}

/// Walks the blocks until the second frame: (any transparent colour so far, frames seen). `None` if they break off.
fn scan(bytes: &[u8]) -> Option<(bool, usize)> {
    let table = |flags: u8| if flags & 0x80 != 0 { 3 << ((flags & 7) + 1) } else { 0 };
    let mut at = 13 + table(*bytes.get(10)?);
    let (mut alpha, mut frames) = (false, 0);
    while frames < 2 {
        match *bytes.get(at)? {
            0x21 => {
                let graphic_control = *bytes.get(at + 1)? == 0xF9;
                alpha |= graphic_control && bytes.get(at + 3)? & 1 != 0;
                at = after_sub_blocks(bytes, at + 2)?;
            }
            0x2C => {
                frames += 1;
                at = after_sub_blocks(bytes, at + 11 + table(*bytes.get(at + 9)?))?;
            }
            _ => break,
        }
    }
    Some((alpha, frames))
}

fn after_sub_blocks(bytes: &[u8], mut at: usize) -> Option<usize> {
    loop {
        match *bytes.get(at)? {
            0 => return Some(at + 1),
            length => at += 1 + usize::from(length),
        }
    }
}
