//! GIF with every disposal mode (GIF89a, section 23).

use std::{borrow::Cow, io::Cursor};

use gif::{ColorOutput, DecodeOptions, DisposalMethod, MemoryLimit};
use kivet_recipe::{Format, Size};

use super::frames::{Canvas, Disposal, Frame, Frames, Place};
use crate::{
    ImageError,
    colour::{Layout, Space},
};

/// Delays are hundredths of a second.
const UNIT_MS: u32 = 10;

pub(super) fn frames(bytes: &[u8]) -> Result<Frames<'_>, ImageError> {
    let mut options = DecodeOptions::new();
    options.set_color_output(ColorOutput::RGBA);
    options.check_frame_consistency(false);
    options.allow_unknown_blocks(true);
    options.set_memory_limit(MemoryLimit::Unlimited);
    let mut decoder = options.read_info(Cursor::new(with_table(bytes))).map_err(damaged)?;
    let size = Size::new(decoder.width().into(), decoder.height().into());
    let loop_count = crate::probe::gif::loop_count(bytes);
    let mut canvas = Canvas::new(size);
    Ok(Frames::new(
        loop_count,
        Space::Srgb,
        Box::new(move || {
            let (place, dispose, shown_ms) = match decoder.next_frame_info() {
                Ok(frame) => {
                    let frame = frame?;
                    let (left, top) = (frame.left.into(), frame.top.into());
                    let place =
                        Place { left, top, width: frame.width.into(), height: frame.height.into() };
                    (place, frame.dispose, u32::from(frame.delay) * UNIT_MS)
                }
                Err(error) => return Some(Err(damaged(error))),
            };
            // The canvas bounds what is laid; a frame's own rectangle must not exhaust memory
            // first.
            if u64::from(place.width) * u64::from(place.height)
                > size.pixels().saturating_mul(4).max(1 << 20)
            {
                return Some(Err(damaged("a frame is far larger than the picture")));
            }
            let mut pixels = vec![0; decoder.buffer_size()];
            if let Err(error) = decoder.read_into_buffer(&mut pixels) {
                return Some(Err(damaged(error)));
            }
            let disposal = match dispose {
                DisposalMethod::Background => Disposal::Clear,
                DisposalMethod::Previous => Disposal::Restore,
                DisposalMethod::Any | DisposalMethod::Keep => Disposal::Keep,
            };
            let samples = canvas.show(place, &pixels, true, disposal);
            Some(Ok(Frame { size, layout: Layout::Rgba, samples, shown_ms }))
        }),
    ))
}

/// The file with a global colour table, where it has none: what its frames that bring none are
/// drawn in is left to the decoder (GIF89a, section 19). Black and white come first, as that
/// section proposes, then grays.
fn with_table(bytes: &[u8]) -> Cow<'_, [u8]> {
    const HEADER: usize = 13;
    const HAS_TABLE: u8 = 0x80;
    const OF_256: u8 = 7;
    match bytes.get(10) {
        Some(flags) if flags & HAS_TABLE == 0 && bytes.len() > HEADER => {
            let mut whole = bytes[..HEADER].to_vec();
            whole[10] |= HAS_TABLE | OF_256;
            let grays = (1..=254).map(|gray: u8| gray);
            whole.extend([0, 255].into_iter().chain(grays).flat_map(|gray| [gray; 3]));
            whole.extend(&bytes[HEADER..]);
            Cow::Owned(whole)
        }
        _ => Cow::Borrowed(bytes),
    }
}

fn damaged(error: impl ToString) -> ImageError {
    ImageError::damaged(Format::Gif, error)
}
