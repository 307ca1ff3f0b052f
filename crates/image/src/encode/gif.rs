//! GIF: 256 colours a frame, chosen exactly where there are no more.

use std::borrow::Cow;

use gif::{DisposalMethod, Encoder, Frame, Repeat};
use kivet_recipe::{Format, Size};

use super::{Writing, frame::TimedFrame};
use crate::{ImageError, Raster};

/// How thoroughly colours are sampled when there are too many, 1 to 30; 1 is slowest.
const SPEED: i32 = 10;
const SLOW_SPEED: i32 = 1;

/// Below this alpha a pixel is transparent: the format knows only all or nothing.
const OPAQUE_FROM: u8 = 128;

pub(super) fn encode(raster: &Raster, writing: &Writing) -> Result<Vec<u8>, ImageError> {
    let mut bytes = Vec::new();
    let mut encoder = started(&mut bytes, raster.size())?;
    encoder.write_frame(&frame(raster, writing.is_best())).map_err(failed)?;
    drop(encoder);
    Ok(bytes)
}

/// An animated GIF. `loop_count` is how often it is shown, 0 for ever.
pub(super) fn encode_animated(
    size: Size,
    loop_count: u32,
    timed_frames: &mut dyn Iterator<Item = Result<TimedFrame, ImageError>>,
    writing: &Writing,
) -> Result<Vec<u8>, ImageError> {
    let mut bytes = Vec::new();
    let mut encoder = started(&mut bytes, size)?;
    match loop_count {
        0 => encoder.set_repeat(Repeat::Infinite).map_err(failed)?,
        1 => {}
        more => encoder
            .set_repeat(Repeat::Finite((more - 1).min(u16::MAX.into()) as u16))
            .map_err(failed)?,
    }
    // Times are rounded to hundredths as they add up, so that a long picture keeps its length.
    let (mut elapsed_ms, mut written_cs) = (0u64, 0u64);
    let mut before: Option<Raster> = None;
    for timed_frame in timed_frames {
        let TimedFrame { raster, shown_ms } = timed_frame?;
        elapsed_ms += u64::from(shown_ms);
        let until_cs = (elapsed_ms + 5) / 10;
        let changed = Change::between(before.as_ref(), &raster);
        let mut frame = frame(&changed.raster, writing.is_best());
        (frame.left, frame.top) = (changed.left, changed.top);
        frame.delay = (until_cs - written_cs).min(u16::MAX.into()) as u16;
        frame.dispose =
            if raster.has_alpha() { DisposalMethod::Background } else { DisposalMethod::Keep };
        written_cs = until_cs;
        encoder.write_frame(&frame).map_err(failed)?;
        before = Some(raster);
    }
    drop(encoder);
    Ok(bytes)
}

/// The part of a frame that differs from the one before.
struct Change {
    raster: Raster,
    left: u16,
    top: u16,
}

impl Change {
    /// Transparent pictures are stored whole: what was shown before must not shine through.
    fn between(before: Option<&Raster>, now: &Raster) -> Self {
        let whole = || Self { raster: now.clone(), left: 0, top: 0 };
        let Some(before) = before.filter(|_| !now.has_alpha()) else { return whole() };
        let Size { width, height } = now.size();
        let (mut left, mut top, mut right, mut bottom) = (width, height, 0, 0);
        let pixels = before.bytes().chunks_exact(3).zip(now.bytes().chunks_exact(3));
        for (at, (one, other)) in pixels.enumerate() {
            if one != other {
                let (x, y) = (at as u32 % width, at as u32 / width);
                (left, top, right, bottom) =
                    (left.min(x), top.min(y), right.max(x + 1), bottom.max(y + 1));
            }
        }
        if right <= left {
            (left, top, right, bottom) = (0, 0, 1, 1);
        }
        Self {
            raster: now.cut(left, top, Size::new(right - left, bottom - top)),
            left: left as u16,
            top: top as u16,
        }
    }
}

fn started(bytes: &mut Vec<u8>, size: Size) -> Result<Encoder<&mut Vec<u8>>, ImageError> {
    let side = |length: u32| {
        u16::try_from(length).map_err(|_| ImageError::not_encoded(Format::Gif, "it is too large"))
    };
    Encoder::new(bytes, side(size.width)?, side(size.height)?, &[]).map_err(failed)
}

fn frame(raster: &Raster, best: bool) -> Frame<'static> {
    let Size { width, height } = raster.size();
    let pixel = |bytes: &[u8]| match bytes {
        [_, _, _, alpha] if *alpha < OPAQUE_FROM => [0, 0, 0, 0],
        _ => [bytes[0], bytes[1], bytes[2], 255],
    };
    let mut rgba: Vec<u8> =
        raster.bytes().chunks_exact(raster.channels()).flat_map(pixel).collect();
    let (width, height) = (width as u16, height as u16);
    exact(&rgba, width, height).unwrap_or_else(|| {
        Frame::from_rgba_speed(width, height, &mut rgba, if best { SLOW_SPEED } else { SPEED })
    })
}

/// With the picture's own colours, if there are at most 256.
fn exact(rgba: &[u8], width: u16, height: u16) -> Option<Frame<'static>> {
    let mut palette: Vec<[u8; 4]> = Vec::new();
    let mut known = std::collections::HashMap::new();
    let mut indices = Vec::with_capacity(rgba.len() / 4);
    for pixel in rgba.chunks_exact(4) {
        let colour = [pixel[0], pixel[1], pixel[2], pixel[3]];
        let next = palette.len();
        let index = *known.entry(colour).or_insert(next);
        if index == next {
            palette.push(colour);
        }
        indices.push(u8::try_from(index).ok()?);
    }
    let transparent = palette.iter().position(|colour| colour[3] == 0).map(|index| index as u8);
    let colours: Vec<u8> =
        palette.iter().flat_map(|colour| [colour[0], colour[1], colour[2]]).collect();
    let mut frame = Frame::from_palette_pixels(width, height, indices, colours, transparent);
    frame.buffer = Cow::Owned(frame.buffer.into_owned());
    Some(frame)
}

fn failed(error: gif::EncodingError) -> ImageError {
    ImageError::not_encoded(Format::Gif, error)
}
