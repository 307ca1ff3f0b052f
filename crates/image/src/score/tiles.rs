//! Tiles spread over a picture, put together: what is tried on them is a guess at the whole.

use kivet_recipe::Size;

use crate::Raster;

/// How many tiles, and how large; fewer across and more down, or the other way, where a picture is
/// narrow. Many small ones meet more of a picture; every seam between them is an edge that costs an
/// encoder bytes and score, so that few large ones tell both better.
#[derive(Clone, Copy)]
pub(crate) struct Tiles {
    pub(crate) tile: Size,
    pub(crate) across: u32,
    pub(crate) down: u32,
}

impl Tiles {
    /// The tiles of `raster` beside and below each other; all of a picture that is hardly larger
    /// than they are.
    pub(crate) fn of(self, raster: &Raster) -> Raster {
        self.cut(raster).unwrap_or_else(|| raster.clone())
    }

    /// `None` if the picture is hardly larger.
    pub(crate) fn cut(self, raster: &Raster) -> Option<Raster> {
        let Size { width, height } = raster.size();
        let wanted = Size::new(self.across * self.tile.width, self.down * self.tile.height);
        if raster.size().pixels() * 4 <= wanted.pixels() * 5 {
            return None;
        }
        let (tile, across, down) = self.within(raster.size());
        let joined = Size::new(across * tile.width, down * tile.height);
        let mut canvas = Raster::filled(joined, [0; 4], raster.has_alpha());
        // In the middle of as many equal fields; a single column goes from one side to the other on
        // the way down.
        let at = |free: u32, index: u32, count: u32| free * (2 * index + 1) / (2 * count);
        for row in 0..down {
            for column in 0..across {
                let field = if across == 1 { (row, down) } else { (column, across) };
                let cut = raster.cut(
                    at(width - tile.width, field.0, field.1),
                    at(height - tile.height, row, down),
                    tile,
                );
                canvas = cut.placed_on(canvas, column * tile.width, row * tile.height);
            }
        }
        Some(canvas)
    }

    /// The tiles' size, and how many lie across and down, so that none overlap.
    fn within(self, Size { width, height }: Size) -> (Size, u32, u32) {
        let tile = Size::new(self.tile.width.min(width), self.tile.height.min(height));
        let (columns, rows, count) =
            (width / tile.width, height / tile.height, self.across * self.down);
        let down = (count / self.across.min(columns)).min(rows);
        // One column stays one: it is there to have few seams.
        let across = if self.across == 1 { 1 } else { (count / down).min(columns) };
        (tile, across, down)
    }
}
