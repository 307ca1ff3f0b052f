//! Square parts spread over a picture, put together: what is tried on them is a guess at the whole.

use kivet_recipe::Size;

use crate::Raster;

/// How many squares, and how large. Encoders work in blocks of up to 64 pixels, so that sides of whole blocks show them few
/// seams.
#[derive(Clone, Copy)]
pub(crate) struct Sheet {
    pub(crate) side: u32,
    pub(crate) across: u32,
    pub(crate) down: u32,
}

impl Sheet {
    /// The squares of `raster` beside and below each other; all of a picture that is hardly larger than they are.
    pub(crate) fn of(self, raster: &Raster) -> Raster {
        self.cut(raster).unwrap_or_else(|| raster.clone())
    }

    /// `None` if the picture is hardly larger.
    pub(crate) fn cut(self, raster: &Raster) -> Option<Raster> {
        let Size { width, height } = raster.size();
        let (across, down) = if width >= height { (self.across, self.down) } else { (self.down, self.across) };
        let sheet = Size::new(across * self.side, down * self.side);
        let fits = sheet.width <= width && sheet.height <= height;
        if !fits || raster.size().pixels() * 4 <= sheet.pixels() * 5 {
            return None;
        }
        let mut canvas = Raster::filled(sheet, [0; 4], raster.has_alpha());
        let square = Size::new(self.side, self.side);
        // In the middle of as many equal fields.
        let at = |free: u32, index: u32, count: u32| free * (2 * index + 1) / (2 * count);
        for row in 0..down {
            for column in 0..across {
                let part = raster.cut(at(width - self.side, column, across), at(height - self.side, row, down), square);
                canvas = part.placed_on(canvas, column * self.side, row * self.side);
            }
        }
        Some(canvas)
    }
}
