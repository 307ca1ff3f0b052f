//! Luma and two chroma components as red, green and blue, 8 bits a sample (ITU-T H.273, 8.3).
//! Chroma stored at half the size lie between pixels and are mixed from their neighbours, nearest
//! first, three to one.

use kivet_recipe::Size;

use crate::colour::{Range, neighbours};

/// One plane: rows `stride` bytes apart.
#[derive(Clone, Copy)]
pub(super) struct Plane<'a> {
    pub(super) bytes: &'a [u8],
    pub(super) stride: usize,
}

/// The three planes of an opaque picture.
pub(super) struct Planes<'a> {
    pub(super) size: Size,
    /// Luma, Cb, Cr.
    pub(super) planes: [Plane<'a>; 3],
    /// Whether chroma is stored at half the width, and at half the height.
    pub(super) halved: (bool, bool),
    pub(super) range: Range,
    /// The shares of red and blue in luma.
    pub(super) shares: (f32, f32),
}

impl Planes<'_> {
    /// Three bytes a pixel.
    pub(super) fn to_rgb(&self) -> Vec<u8> {
        let Size { width, height } = self.size;
        let mut out = vec![0; width as usize * height as usize * 3];
        let mut chroma = [vec![0.0f32; width as usize], vec![0.0f32; width as usize]];
        let mut mixed = Vec::new();
        for (y, row) in out.chunks_exact_mut(width as usize * 3).enumerate() {
            for (plane, line) in self.planes[1..].iter().zip(&mut chroma) {
                self.upsample_chroma(*plane, y, &mut mixed, line);
            }
            self.convert(
                &self.planes[0].bytes[y * self.planes[0].stride..][..width as usize],
                &chroma,
                row,
            );
        }
        out
    }

    /// One row of chroma at the picture's own width.
    fn upsample_chroma(&self, plane: Plane<'_>, y: usize, mixed: &mut Vec<f32>, line: &mut [f32]) {
        let halve =
            |length: u32, halved: bool| if halved { length.div_ceil(2) } else { length } as usize;
        let (across, down) =
            (halve(self.size.width, self.halved.0), halve(self.size.height, self.halved.1));
        let row = |at: usize| &plane.bytes[at * plane.stride..][..across];
        mixed.clear();
        if self.halved.1 {
            let (near, far) = neighbours(y, down);
            mixed.extend(
                row(near)
                    .iter()
                    .zip(row(far))
                    .map(|(near, far)| mix(f32::from(*near), f32::from(*far))),
            );
        } else {
            mixed.extend(row(y).iter().copied().map(f32::from));
        }
        if !self.halved.0 {
            line.copy_from_slice(mixed);
            return;
        }
        for (x, value) in line.iter_mut().enumerate() {
            let (near, far) = neighbours(x, across);
            *value = mix(mixed[near], mixed[far]);
        }
    }

    fn convert(&self, luma: &[u8], chroma: &[Vec<f32>; 2], out: &mut [u8]) {
        let (red, blue) = self.shares;
        let green = 1.0 - red - blue;
        let Range { black, luma: luma_steps, chroma: chroma_steps } = self.range;
        let (scale, spread) = (luma_steps.recip(), chroma_steps.recip());
        let (to_red, to_blue) = (2.0 * (1.0 - red) * spread, 2.0 * (1.0 - blue) * spread);
        let (red_off, blue_off) = (to_red * red / green, to_blue * blue / green);
        let [blues, reds] = chroma;
        for (((y, b), r), out) in luma.iter().zip(blues).zip(reds).zip(out.chunks_exact_mut(3)) {
            let (y, b, r) = ((f32::from(*y) - black) * scale, b - 128.0, r - 128.0);
            // The cast keeps within 0 to 255.
            out[0] = (y + to_red * r + 0.5) as u8;
            out[1] = (y - blue_off * b - red_off * r + 0.5) as u8;
            out[2] = (y + to_blue * b + 0.5) as u8;
        }
    }
}

fn mix(near: f32, far: f32) -> f32 {
    0.75 * near + 0.25 * far
}
