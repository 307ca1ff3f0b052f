//! A measure of how much two screenshots differ within a box.

/// Cells along each side of a box whose mean colours are compared: finer differences are those of
/// encoders.
const CELLS: usize = 24;

/// A difference of mean colours, of 255, that no eye sees.
const UNSEEN: f64 = 5.0;

/// The share of a picture's own contrast that the difference may have: encoders change less, a picture
/// moved by a twentieth of its box changes more.
const SHARE: f64 = 0.22;

/// Pixels along a cell at least: in smaller ones, hard edges that two renditions draw half a pixel apart
/// count as another picture.
const MIN_CELL_PX: usize = 5;

/// A box with fewer cells along a side says nothing about what is in it.
const MIN_CELLS: usize = 3;

/// A decoded screenshot, 8-bit RGB.
pub struct Screenshot {
    width: usize,
    height: usize,
    rgb: Vec<u8>,
    /// Pixels a CSS pixel.
    scale: f64,
}

impl Screenshot {
    /// Decodes a PNG; `None` if it is none that a browser writes.
    pub fn read(png: &[u8], scale: f64) -> Option<Self> {
        let mut decoder = png::Decoder::new(std::io::Cursor::new(png));
        decoder.set_transformations(png::Transformations::normalize_to_color8());
        let mut reader = decoder.read_info().ok()?;
        let mut bytes = vec![0; reader.output_buffer_size()?];
        let frame = reader.next_frame(&mut bytes).ok()?;
        let channels = frame.color_type.samples();
        let rgb = match channels {
            3 | 4 => bytes[..frame.buffer_size()]
                .chunks_exact(channels)
                .flat_map(|pixel| [pixel[0], pixel[1], pixel[2]])
                .collect(),
            _ => return None,
        };
        Some(Self { width: frame.width as usize, height: frame.height as usize, rgb, scale })
    }

    /// The mean colours of the cells of a box in CSS pixels; `None` if it is too small to tell, or
    /// lies outside.
    fn cells(&self, [x, y, width, height]: [f64; 4]) -> Option<Vec<[f64; 3]>> {
        let edge =
            |value: f64, most: usize| ((value * self.scale).round().max(0.0) as usize).min(most);
        let (left, right) = (edge(x, self.width), edge(x + width, self.width));
        let (top, bottom) = (edge(y, self.height), edge(y + height, self.height));
        let (across, down) = (right.checked_sub(left)?, bottom.checked_sub(top)?);
        let (columns, rows) = (CELLS.min(across / MIN_CELL_PX), CELLS.min(down / MIN_CELL_PX));
        if columns < MIN_CELLS || rows < MIN_CELLS {
            return None;
        }
        let mut cells = Vec::with_capacity(columns * rows);
        for row in 0..rows {
            for column in 0..columns {
                let xs = left + column * across / columns..left + (column + 1) * across / columns;
                let ys = top + row * down / rows..top + (row + 1) * down / rows;
                cells.push(self.mean(xs, ys));
            }
        }
        Some(cells)
    }

    fn mean(&self, xs: std::ops::Range<usize>, ys: std::ops::Range<usize>) -> [f64; 3] {
        let count = (xs.len() * ys.len()).max(1) as f64;
        let mut sum = [0.0; 3];
        for y in ys {
            for x in xs.clone() {
                let at = (y * self.width + x) * 3;
                for (sum, value) in sum.iter_mut().zip(&self.rgb[at..at + 3]) {
                    *sum += f64::from(*value);
                }
            }
        }
        sum.map(|sum| sum / count)
    }
}

/// How much two screenshots differ in a box each, as a share of what may: above 1 they show something
/// else. `None` where the boxes are too small to tell.
pub fn difference(
    (before, box_before): (&Screenshot, [f64; 4]),
    (after, box_after): (&Screenshot, [f64; 4]),
) -> Option<f64> {
    let (one, other) = (before.cells(box_before)?, after.cells(box_after)?);
    if one.len() != other.len() {
        return None;
    }
    let count = (one.len() * 3) as f64;
    let squares = |pairs: &mut dyn Iterator<Item = (f64, f64)>| -> f64 {
        (pairs.map(|(a, b)| (a - b).powi(2)).sum::<f64>() / count).sqrt()
    };
    let means: [f64; 3] = std::array::from_fn(|channel| {
        one.iter().map(|cell| cell[channel]).sum::<f64>() / one.len() as f64
    });
    let both = one.iter().zip(&other);
    let apart = squares(&mut both.flat_map(|(a, b)| (0..3).map(move |at| (a[at], b[at]))));
    let contrast =
        squares(&mut one.iter().flat_map(|cell| (0..3).map(move |at| (cell[at], means[at]))));
    Some(apart / (UNSEEN + SHARE * contrast))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A picture of waves, drawn `zoom` times as large around its middle, with noise.
    fn painted(zoom: f64, shift: f64, noise: u8) -> Screenshot {
        let (width, height) = (320, 200);
        let mut state = 7_u32;
        let mut rgb = Vec::new();
        for y in 0..height {
            for x in 0..width {
                let across = (f64::from(x) - 160.0) / zoom + shift;
                let down = (f64::from(y) - 100.0) / zoom;
                let value = 120.0
                    + 50.0 * (across / 31.0).sin()
                    + 40.0 * (down / 23.0 + across / 57.0).cos();
                for channel in [1.0, 0.8, 0.6] {
                    state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                    let grain = f64::from(state >> 24) / 255.0 * f64::from(noise);
                    rgb.push((value * channel + grain) as u8);
                }
            }
        }
        Screenshot { width: width as usize, height: height as usize, rgb, scale: 0.5 }
    }

    #[test]
    fn noise_is_the_same_picture_and_another_crop_is_not() {
        let whole = [0.0, 0.0, 640.0, 400.0];
        let before = painted(1.0, 0.0, 8);
        let against =
            |after: &Screenshot| difference((&before, whole), (after, whole)).expect("large");
        assert!(against(&painted(1.0, 0.0, 20)) < 0.8);
        assert!(against(&painted(1.0, 1.0, 8)) < 0.8, "{}", against(&painted(1.0, 1.0, 8)));
        assert!(against(&painted(1.2, 0.0, 8)) > 1.0, "{}", against(&painted(1.2, 0.0, 8)));
        assert!(against(&painted(1.0, 16.0, 8)) > 1.0, "{}", against(&painted(1.0, 16.0, 8)));
        assert_eq!(difference((&before, [0.0, 0.0, 4.0, 4.0]), (&before, whole)), None);
    }
}
