//! GIF blocks (GIF89a, sections 17 to 26): size, transparency, and whether there is a second frame.

use kivet_recipe::{Facts, Format, Size, Storage};

use crate::ImageError;

pub(super) fn probe(bytes: &[u8]) -> Result<Facts, ImageError> {
    let two =
        |at: usize| Some(u32::from(u16::from_le_bytes([*bytes.get(at)?, *bytes.get(at + 1)?])));
    let size = two(6)
        .zip(two(8))
        .map(|(width, height)| Size::new(width, height))
        .filter(|size| size.pixels() > 0)
        .ok_or_else(|| ImageError::damaged(Format::Gif, "it has no size"))?;
    let Scan { clear, frames, .. } = scan(bytes, size);
    Ok(Facts {
        alpha: clear,
        animated: frames > 1,
        ..Facts::plain(
            Format::Gif,
            size,
            Storage::packed(bytes.len() as u64 / frames.max(1) as u64, size),
        )
    })
}

/// What the blocks say, as far as they go.
#[derive(Default)]
struct Scan {
    /// True if any part may be seen through: by a transparent colour, by disposal, or where no
    /// frame lies.
    clear: bool,
    frames: usize,
    /// How often more than once, as the looping extension says; 0 for ever.
    loop_count: Option<u16>,
}

fn scan(bytes: &[u8], size: Size) -> Scan {
    let mut found = Scan::default();
    // A file that breaks off has told what it could.
    let _ = walk(bytes, size, &mut found);
    found
}

fn walk(bytes: &[u8], size: Size, found: &mut Scan) -> Option<()> {
    const TO_BACKGROUND: u8 = 2;
    const LOOPING: &[u8] = b"\x21\xFF\x0BNETSCAPE2.0";
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
                if let Some([3, 1, low, high, ..]) = bytes[at..].strip_prefix(LOOPING) {
                    found.loop_count = Some(u16::from_le_bytes([*low, *high]));
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

/// How often all frames are shown, 0 for ever: the looping extension that browsers know, the last
/// of several; once without one.
pub(crate) fn loop_count(bytes: &[u8]) -> u32 {
    let Scan { loop_count, .. } = scan(bytes, Size::new(0, 0));
    match loop_count {
        None => 1,
        Some(0) => 0,
        Some(more) => u32::from(more) + 1,
    }
}

fn after_sub_blocks(bytes: &[u8], mut at: usize) -> Option<usize> {
    loop {
        match *bytes.get(at)? {
            0 => return Some(at + 1),
            length => at += 1 + usize::from(length),
        }
    }
}
