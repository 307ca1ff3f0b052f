//! Moving pictures as whole frames: whatever a format stores, each frame comes composited on the full canvas.

use kivet_recipe::{Facts, Format, Size};

use super::{avif, gif, png, webp};
use crate::{ImageError, Limits, Raster, colour::Space};

/// One frame as it is shown.
pub(crate) struct Frame {
    /// The whole canvas, with alpha.
    pub(crate) raster: Raster,
    /// How long it is shown, in milliseconds.
    pub(crate) shown_ms: u32,
}

type NextFrame<'a> = Box<dyn FnMut() -> Option<Result<Frame, ImageError>> + 'a>;

/// The frames of a picture, in order. A picture that breaks off after its first frame ends there.
pub(crate) struct Frames<'a> {
    /// How often all frames are shown; 0 is for ever.
    pub(crate) plays: u32,
    /// What their colours mean.
    pub(crate) space: Space,
    next: NextFrame<'a>,
    seen: u32,
    limit: u32,
    over: bool,
}

impl<'a> Frames<'a> {
    pub(super) fn new(plays: u32, space: Space, next: NextFrame<'a>) -> Self {
        Self { plays, space, next, seen: 0, limit: u32::MAX, over: false }
    }
}

impl Iterator for Frames<'_> {
    type Item = Result<Frame, ImageError>;

    fn next(&mut self) -> Option<Self::Item> {
        if self.over {
            return None;
        }
        let frame = (self.next)();
        self.over = !matches!(frame, Some(Ok(_)));
        if self.over && self.seen > 0 {
            return None;
        }
        self.seen += 1;
        if self.seen > self.limit {
            self.over = true;
            return Some(Err(ImageError::TooManyFrames { limit: self.limit }));
        }
        frame
    }
}

/// The frames of an original; one if it stands still in a format that can move.
pub(crate) fn frames<'a>(bytes: &'a [u8], facts: &Facts, limits: Limits) -> Result<Frames<'a>, ImageError> {
    // One canvas to draw on, one kept for disposal, and one handed out.
    limits.check_whole(facts.size, 12)?;
    let frames = match facts.format {
        Format::Gif => gif::frames(bytes)?,
        Format::Webp => webp::frames(bytes)?,
        Format::Png => png::frames(bytes)?,
        Format::Avif => avif::frames(bytes)?,
        other => return Err(ImageError::damaged(other, "it does not move")),
    };
    Ok(Frames { limit: limits.frames, ..frames })
}

/// A canvas that frames are laid on, each a rectangle of straight RGBA.
pub(super) struct Canvas {
    size: Size,
    pixels: Vec<u8>,
    /// What the frame laid last wants done before the next.
    pending: Option<Undo>,
}

/// What becomes of a frame before the next is laid.
#[derive(Clone, Copy)]
pub(super) enum Disposal {
    /// It stays.
    Keep,
    /// Its rectangle becomes transparent.
    Clear,
    /// What was there before it comes back.
    Restore,
}

enum Undo {
    Clear(Place),
    Restore(Vec<u8>),
}

/// Where a frame's rectangle lies; it may reach beyond the canvas.
#[derive(Clone, Copy)]
pub(super) struct Place {
    pub(super) left: u32,
    pub(super) top: u32,
    pub(super) width: u32,
    pub(super) height: u32,
}

impl Canvas {
    pub(super) fn new(size: Size) -> Self {
        Self { size, pixels: vec![0; size.pixels() as usize * 4], pending: None }
    }

    /// Does what the frame before wanted, lays a rectangle over what is there (or in its place), and gives what is seen.
    pub(super) fn show(&mut self, place: Place, rgba: &[u8], over: bool, disposal: Disposal) -> Option<Raster> {
        match self.pending.take() {
            Some(Undo::Restore(before)) => self.pixels = before,
            Some(Undo::Clear(place)) => self.clear(place),
            None => {}
        }
        self.pending = match disposal {
            Disposal::Keep => None,
            Disposal::Clear => Some(Undo::Clear(place)),
            Disposal::Restore => Some(Undo::Restore(self.pixels.clone())),
        };
        self.lay(place, rgba, over);
        Raster::new(self.size, true, self.pixels.clone())
    }

    fn lay(&mut self, place: Place, rgba: &[u8], over: bool) {
        for (row, source) in rgba.chunks_exact(place.width as usize * 4).take(place.height as usize).enumerate() {
            let Some(line) = self.row_mut(place, row as u32) else { continue };
            for (below, above) in line.chunks_exact_mut(4).zip(source.chunks_exact(4)) {
                match above[3] {
                    0 if over => {}
                    alpha if over && alpha < 255 => mix(below, above),
                    _ => below.copy_from_slice(above),
                }
            }
        }
    }

    fn clear(&mut self, place: Place) {
        for row in 0..place.height {
            if let Some(line) = self.row_mut(place, row) {
                line.fill(0);
            }
        }
    }

    fn row_mut(&mut self, place: Place, row: u32) -> Option<&mut [u8]> {
        let y = place.top.checked_add(row).filter(|y| *y < self.size.height)?;
        let right = place.left.saturating_add(place.width).min(self.size.width);
        let left = place.left.min(right);
        let start = y as usize * self.size.width as usize;
        self.pixels.get_mut((start + left as usize) * 4..(start + right as usize) * 4)
    }
}

/// Source over destination in sRGB, straight alpha (PNG, third edition, 13.16).
fn mix(below: &mut [u8], above: &[u8]) {
    let (a, b) = (f32::from(above[3]) / 255.0, f32::from(below[3]) / 255.0);
    let alpha = a + b * (1.0 - a);
    for channel in 0..3 {
        let value = (f32::from(above[channel]) * a + f32::from(below[channel]) * b * (1.0 - a)) / alpha;
        below[channel] = value.round() as u8;
    }
    below[3] = (alpha * 255.0).round() as u8;
}
