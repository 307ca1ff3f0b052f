//! GIF blocks (GIF89a, sections 17 to 26): size, transparency, and whether there is a second frame.

use kivet_recipe::{Facts, Format, Kind, Size};

use crate::ImageError;

pub(super) fn probe(bytes: &[u8]) -> Result<Facts, ImageError> {
    let two =
        |at: usize| Some(u32::from(u16::from_le_bytes([*bytes.get(at)?, *bytes.get(at + 1)?])));
    let size = two(6)
        .zip(two(8))
        .map(|(width, height)| Size::new(width, height))
        .filter(|size| size.pixels() > 0)
        .ok_or_else(|| ImageError::damaged(Format::Gif, "it has no size"))?;
    let Scan { clear, frames } = scan(bytes, size);
    Ok(Facts { alpha: clear, animated: frames > 1, ..Facts::plain(Format::Gif, size, Kind::Flat) })
}

/// What the blocks say, as far as they go.
#[derive(Default)]
struct Scan {
    /// True if any part may be seen through: by a transparent colour, by disposal, or where no
    /// frame lies.
    clear: bool,
    frames: usize,
}

fn scan(bytes: &[u8], size: Size) -> Scan {
    let mut found = Scan::default();
    // A file that breaks off has told what it could.
    let _ = walk(bytes, size, &mut found);
    found
}

fn walk(bytes: &[u8], size: Size, found: &mut Scan) -> Option<()> {
    const TO_BACKGROUND: u8 = 2;
    let table = |flags: u8| if flags & 0x80 != 0 { 3 << ((flags & 7) + 1) } else { 0 };
    let two =
        |at: usize| Some(u32::from(u16::from_le_bytes([*bytes.get(at)?, *bytes.get(at + 1)?])));
    let mut at = 13 + table(*bytes.get(10)?);
    loop {
        match *bytes.get(at)? {
            0x21 => {
                if *bytes.get(at + 1)? == 0xF9 {
                    let flags = *bytes.get(at + 3)?;
                    found.clear |= flags & 1 != 0 || (flags >> 2) & 7 == TO_BACKGROUND;
                }
                at = after_sub_blocks(bytes, at + 2)?;
            }
            0x2C => {
                let whole = two(at + 1)? == 0
                    && two(at + 3)? == 0
                    && Size::new(two(at + 5)?, two(at + 7)?) == size;
                found.clear |= found.frames == 0 && !whole;
                found.frames += 1;
                at = after_sub_blocks(bytes, at + 11 + table(*bytes.get(at + 9)?))?;
            }
            _ => return None,
        }
    }
}

/// How often all frames are shown, 0 for ever: the looping extension that browsers know, once
/// without one.
pub(crate) fn loop_count(bytes: &[u8]) -> u32 {
    const NAME: &[u8] = b"NETSCAPE2.0";
    bytes
        .windows(NAME.len() + 5)
        .find(|window| window.starts_with(NAME) && window[NAME.len()..].starts_with(&[3, 1]))
        .map_or(1, |window| {
            match u16::from_le_bytes([window[NAME.len() + 2], window[NAME.len() + 3]]) {
                0 => 0,
                more => u32::from(more) + 1,
            }
        })
}

fn after_sub_blocks(bytes: &[u8], mut at: usize) -> Option<usize> {
    loop {
        match *bytes.get(at)? {
            0 => return Some(at + 1),
            length => at += 1 + usize::from(length),
        }
    }
}
