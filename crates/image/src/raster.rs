//! A drawn picture in memory, ready to be encoded.

use kivet_recipe::{Orientation, Size};

/// sRGB pixels of 8 bits a channel, rows from the top, without padding: three bytes a pixel, or
/// four with straight (not premultiplied) alpha.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Raster {
    size: Size,
    alpha: bool,
    bytes: Vec<u8>,
}

impl Raster {
    /// A raster over `bytes`, whose length must be `width * height * (3 or 4)`; `None` otherwise.
    pub fn new(size: Size, alpha: bool, bytes: Vec<u8>) -> Option<Self> {
        let channels = if alpha { 4 } else { 3 };
        (bytes.len() as u64 == size.pixels() * channels).then_some(Self { size, alpha, bytes })
    }

    /// A raster of one colour; its alpha is dropped where `alpha` is false.
    pub fn filled(size: Size, colour: [u8; 4], alpha: bool) -> Self {
        let pixel = if alpha { &colour[..] } else { &colour[..3] };
        Self { size, alpha, bytes: pixel.repeat(size.pixels() as usize) }
    }

    /// Width and height.
    pub const fn size(&self) -> Size {
        self.size
    }

    /// True if there is an alpha channel.
    pub const fn has_alpha(&self) -> bool {
        self.alpha
    }

    /// The pixels.
    pub fn bytes(&self) -> &[u8] {
        &self.bytes
    }

    /// Bytes a pixel: 3 or 4.
    pub const fn channels(&self) -> usize {
        if self.alpha { 4 } else { 3 }
    }

    /// Bytes a row.
    pub const fn stride(&self) -> usize {
        self.size.width as usize * self.channels()
    }

    pub(crate) fn into_bytes(self) -> Vec<u8> {
        self.bytes
    }

    pub(crate) fn bytes_mut(&mut self) -> &mut [u8] {
        &mut self.bytes
    }

    /// A part of it; what lies beyond the edge is left out.
    pub(crate) fn cut(&self, left: u32, top: u32, size: Size) -> Self {
        let size = Size::new(
            size.width.min(self.size.width - left),
            size.height.min(self.size.height - top),
        );
        let channels = self.channels();
        let bytes = (top..top + size.height)
            .flat_map(|row| {
                let start = row as usize * self.stride() + left as usize * channels;
                &self.bytes[start..start + size.width as usize * channels]
            })
            .copied()
            .collect();
        Self { size, alpha: self.alpha, bytes }
    }

    /// The picture turned upright.
    pub fn oriented(self, orientation: Orientation) -> Self {
        if orientation == Orientation::default() {
            return self;
        }
        let size = orientation.apply(self.size);
        let channels = self.channels();
        let mut bytes = Vec::with_capacity(self.bytes.len());
        for y in 0..size.height {
            let y = if orientation.flip_y { size.height - 1 - y } else { y };
            for x in 0..size.width {
                let x = if orientation.flip_x { size.width - 1 - x } else { x };
                let (column, row) = if orientation.transpose { (y, x) } else { (x, y) };
                let at = (row as usize * self.size.width as usize + column as usize) * channels;
                bytes.extend_from_slice(&self.bytes[at..at + channels]);
            }
        }
        Self { size, alpha: self.alpha, bytes }
    }

    /// The picture laid on an opaque colour, composited in sRGB as a page would show it (CSS
    /// Compositing 1, 5.1).
    pub fn flattened(self, colour: [u8; 3]) -> Self {
        if !self.alpha {
            return self;
        }
        let over = |above: u8, below: u8, alpha: u8| {
            let (above, below, alpha) = (u32::from(above), u32::from(below), u32::from(alpha));
            ((above * alpha + below * (255 - alpha) + 127) / 255) as u8
        };
        let bytes = self
            .bytes
            .chunks_exact(4)
            .flat_map(|pixel| {
                [0, 1, 2].map(|channel| over(pixel[channel], colour[channel], pixel[3]))
            })
            .collect();
        Self { size: self.size, alpha: false, bytes }
    }

    /// This picture copied onto a larger one with its corner at (`left`, `top`); parts beyond the
    /// edge are cut.
    pub fn placed_on(self, mut canvas: Self, left: u32, top: u32) -> Self {
        let source = if canvas.alpha == self.alpha { self } else { self.with_alpha(canvas.alpha) };
        let channels = source.channels();
        let columns = source.size.width.min(canvas.size.width.saturating_sub(left)) as usize;
        let rows = source.size.height.min(canvas.size.height.saturating_sub(top)) as usize;
        let (from_stride, to_stride) = (source.stride(), canvas.stride());
        for row in 0..rows {
            let from = row * from_stride;
            let to = (row + top as usize) * to_stride + left as usize * channels;
            canvas.bytes[to..to + columns * channels]
                .copy_from_slice(&source.bytes[from..from + columns * channels]);
        }
        canvas
    }

    /// Lays a picture with alpha over this one with its corner at (`left`, `top`), composited in
    /// sRGB (CSS Compositing 1, 5.1); parts beyond the edge are cut.
    pub(crate) fn lay(&mut self, above: &Self, left: u32, top: u32, opacity: f32) {
        let channels = self.channels();
        let columns = above.size.width.min(self.size.width.saturating_sub(left)) as usize;
        let rows = above.size.height.min(self.size.height.saturating_sub(top)) as usize;
        let (stride, above_stride) = (self.stride(), above.stride());
        for row in 0..rows {
            let start = (row + top as usize) * stride + left as usize * channels;
            let line = self.bytes[start..start + columns * channels].chunks_exact_mut(channels);
            for (below, above) in line.zip(above.bytes[row * above_stride..].chunks_exact(4)) {
                let cover = f32::from(above[3]) / 255.0 * opacity;
                let under = if channels == 4 { f32::from(below[3]) / 255.0 } else { 1.0 };
                let alpha = cover + under * (1.0 - cover);
                if alpha <= 0.0 {
                    continue;
                }
                for channel in 0..3 {
                    let mixed = f32::from(above[channel]) * cover
                        + f32::from(below[channel]) * under * (1.0 - cover);
                    below[channel] = (mixed / alpha).round() as u8;
                }
                if channels == 4 {
                    below[3] = (alpha * 255.0).round() as u8;
                }
            }
        }
    }

    pub(crate) fn with_alpha(self, alpha: bool) -> Self {
        if self.alpha == alpha {
            return self;
        }
        let bytes = if alpha {
            self.bytes
                .chunks_exact(3)
                .flat_map(|pixel| [pixel[0], pixel[1], pixel[2], 255])
                .collect()
        } else {
            self.bytes.chunks_exact(4).flat_map(|pixel| [pixel[0], pixel[1], pixel[2]]).collect()
        };
        Self { size: self.size, alpha, bytes }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_orientation_puts_the_first_pixel_where_exif_says() {
        // CIPA DC-008, 4.6.5: where row 0 and column 0 of the stored picture are shown.
        let corners = [
            (1, (0, 0)),
            (2, (2, 0)),
            (3, (2, 1)),
            (4, (0, 1)),
            (5, (0, 0)),
            (6, (1, 0)),
            (7, (1, 2)),
            (8, (0, 2)),
        ];
        for (tag, (x, y)) in corners {
            let stored: Vec<u8> = (0..6).flat_map(|value| [value, 0, 0]).collect();
            let raster = Raster::new(Size::new(3, 2), false, stored).expect("6 pixels");
            let upright = raster.oriented(Orientation::from_exif(tag).expect("a tag"));
            let at = (y * upright.size.width + x) as usize * 3;
            assert_eq!(upright.bytes[at], 0, "orientation {tag}");
            let mut values: Vec<u8> = upright.bytes.chunks(3).map(|pixel| pixel[0]).collect();
            values.sort_unstable();
            assert_eq!(values, [0, 1, 2, 3, 4, 5], "orientation {tag}");
        }
    }

    #[test]
    fn flattening_mixes_in_srgb() {
        let raster =
            Raster::new(Size::new(2, 1), true, vec![255, 0, 0, 128, 9, 9, 9, 0]).expect("2 pixels");
        assert_eq!(raster.flattened([0, 0, 255]).bytes(), [128, 0, 127, 0, 0, 255]);
    }
}
