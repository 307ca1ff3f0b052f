//! Animated pictures as whole frames: whatever a format stores, each frame comes composited on the
//! full canvas.

use kivet_recipe::Size;

use crate::{
    ImageError,
    colour::{Buffer, Layout, Space},
};

/// One frame as it is shown.
pub(crate) struct Frame {
    /// The whole canvas.
    pub(crate) size: Size,
    pub(crate) layout: Layout,
    pub(crate) samples: Buffer,
    /// How long it is shown, in milliseconds.
    pub(crate) shown_ms: u32,
}

impl Frame {
    /// Straight RGBA of 8 bits a channel.
    pub(super) fn rgba(size: Size, pixels: Vec<u8>, shown_ms: u32) -> Self {
        Self { size, layout: Layout::Rgba, samples: Buffer::Eight(pixels), shown_ms }
    }
}

type NextFrame<'a> = Box<dyn FnMut() -> Option<Result<Frame, ImageError>> + 'a>;

/// The frames of a picture, in order. A picture that breaks off after its first frame ends there.
pub(crate) struct Frames<'a> {
    /// How often all frames are shown; 0 is for ever.
    pub(crate) loop_count: u32,
    /// What their colours mean.
    pub(crate) space: Space,
    next: NextFrame<'a>,
    seen: u32,
    limit: u32,
    over: bool,
}

impl<'a> Frames<'a> {
    pub(super) fn new(loop_count: u32, space: Space, next: NextFrame<'a>) -> Self {
        Self { loop_count, space, next, seen: 0, limit: u32::MAX, over: false }
    }

    /// The same, more than `limit` being an error.
    pub(super) fn at_most(self, limit: u32) -> Self {
        Self { limit, ..self }
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

/// A sample of 8 or 16 bits.
pub(super) trait Sample: Copy + Default + PartialEq + Into<f32> {
    /// The value that means one.
    const MAX: Self;

    /// The nearest to a value from 0 to [`MAX`](Self::MAX).
    fn nearest(value: f32) -> Self;

    /// Many of them.
    fn buffer(samples: Vec<Self>) -> Buffer;
}

macro_rules! sample {
    ($sample:ty, $sort:ident) => {
        impl Sample for $sample {
            const MAX: Self = Self::MAX;

            fn nearest(value: f32) -> Self {
                value.round() as Self
            }

            fn buffer(samples: Vec<Self>) -> Buffer {
                Buffer::$sort(samples)
            }
        }
    };
}
sample!(u8, Eight);
sample!(u16, Sixteen);

/// A canvas that frames are laid on, each a rectangle of straight RGBA.
pub(super) struct Canvas<S> {
    size: Size,
    pixels: Vec<S>,
    /// What the frame laid last wants done before the next.
    pending: Option<Undo<S>>,
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

enum Undo<S> {
    Clear(Place),
    Restore(Vec<S>),
}

/// Where a frame's rectangle lies; it may reach beyond the canvas.
#[derive(Clone, Copy)]
pub(super) struct Place {
    pub(super) left: u32,
    pub(super) top: u32,
    pub(super) width: u32,
    pub(super) height: u32,
}

impl<S: Sample> Canvas<S> {
    pub(super) fn new(size: Size) -> Self {
        Self { size, pixels: vec![S::default(); size.pixels() as usize * 4], pending: None }
    }

    /// Does what the frame before wanted, lays a rectangle over what is there (or in its place),
    /// and gives what is seen.
    pub(super) fn show(
        &mut self,
        place: Place,
        rgba: &[S],
        over: bool,
        disposal: Disposal,
    ) -> Buffer {
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
        S::buffer(self.pixels.clone())
    }

    fn lay(&mut self, place: Place, rgba: &[S], over: bool) {
        for (row, source) in
            rgba.chunks_exact(place.width as usize * 4).take(place.height as usize).enumerate()
        {
            let Some(line) = self.row_mut(place, row as u32) else { continue };
            for (below, above) in line.chunks_exact_mut(4).zip(source.chunks_exact(4)) {
                match above[3] {
                    alpha if over && alpha == S::default() => {}
                    alpha if over && alpha != S::MAX => mix(below, above),
                    _ => below.copy_from_slice(above),
                }
            }
        }
    }

    fn clear(&mut self, place: Place) {
        for row in 0..place.height {
            if let Some(line) = self.row_mut(place, row) {
                line.fill(S::default());
            }
        }
    }

    fn row_mut(&mut self, place: Place, row: u32) -> Option<&mut [S]> {
        let y = place.top.checked_add(row).filter(|y| *y < self.size.height)?;
        let right = place.left.saturating_add(place.width).min(self.size.width);
        let left = place.left.min(right);
        let start = y as usize * self.size.width as usize;
        self.pixels.get_mut((start + left as usize) * 4..(start + right as usize) * 4)
    }
}

/// Source over destination in sRGB, straight alpha (PNG, third edition, 13.16).
fn mix<S: Sample>(below: &mut [S], above: &[S]) {
    let max: f32 = S::MAX.into();
    let (a, b) = (above[3].into() / max, below[3].into() / max);
    let alpha = a + b * (1.0 - a);
    for (below, above) in below[..3].iter_mut().zip(above) {
        let value = ((*above).into() * a + (*below).into() * b * (1.0 - a)) / alpha;
        *below = S::nearest(value);
    }
    below[3] = S::nearest(alpha * max);
}
