//! Parts spread over a picture, put together: what is tried on them is a guess at the whole.

use kivet_recipe::Size;

use crate::Raster;

/// How many parts, and how large; fewer across and more down, or the other way, where a picture is narrow. Many small
/// ones meet more of a picture; every seam between them is an edge that costs an encoder bytes and likeness, so that few
/// large ones tell both better.
#[derive(Clone, Copy)]
pub(crate) struct Sheet {
    pub(crate) part: Size,
    pub(crate) across: u32,
    pub(crate) down: u32,
}

impl Sheet {
    /// The parts of `raster` beside and below each other; all of a picture that is hardly larger than they are.
    pub(crate) fn of(self, raster: &Raster) -> Raster {
        self.cut(raster).unwrap_or_else(|| raster.clone())
    }

    /// `None` if the picture is hardly larger.
    pub(crate) fn cut(self, raster: &Raster) -> Option<Raster> {
        let Size { width, height } = raster.size();
        let wanted = Size::new(self.across * self.part.width, self.down * self.part.height);
        if raster.size().pixels() * 4 <= wanted.pixels() * 5 {
            return None;
        }
        let (part, across, down) = self.within(raster.size());
        let sheet = Size::new(across * part.width, down * part.height);
        let mut canvas = Raster::filled(sheet, [0; 4], raster.has_alpha());
        // In the middle of as many equal fields; a single column goes from one side to the other on the way down.
        let at = |free: u32, index: u32, count: u32| free * (2 * index + 1) / (2 * count);
        for row in 0..down {
            for column in 0..across {
                let field = if across == 1 { (row, down) } else { (column, across) };
                let cut =
                    raster.cut(at(width - part.width, field.0, field.1), at(height - part.height, row, down), part);
                canvas = cut.placed_on(canvas, column * part.width, row * part.height);
            }
        }
        Some(canvas)
    }

    /// The parts' size, and how many lie across and down, so that none overlap.
    fn within(self, Size { width, height }: Size) -> (Size, u32, u32) {
        let part = Size::new(self.part.width.min(width), self.part.height.min(height));
        let (columns, rows, count) = (width / part.width, height / part.height, self.across * self.down);
        let down = (count / self.across.min(columns)).min(rows);
        // One column stays one: it is there to have few seams.
        let across = if self.across == 1 { 1 } else { (count / down).min(columns) };
        (part, across, down)
    }
}
