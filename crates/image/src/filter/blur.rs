//! Gaussian blur, by rows and then by columns.

use kivet_recipe::Size;

use super::Edge;
use crate::{ImageError, Work};

/// From this deviation on, three box blurs stand for the Gaussian (Filter Effects 1, section 9.13):
/// their time does not grow with the radius.
const BOXES_FROM: f32 = 2.0;

/// Blurs premultiplied RGBA in place.
///
/// # Errors
/// If the work is ended.
pub(super) fn blur(
    pixels: &mut [f32],
    size: Size,
    (deviation, edge): (f32, Edge),
    work: &Work,
) -> Result<(), ImageError> {
    let (width, height) = (size.width as usize, size.height as usize);
    let line = Line::new(deviation, edge, width.max(height));
    let mut row = vec![[0.0f32; 4]; width];
    for start in (0..width * height).step_by(width) {
        work.go_on()?;
        for (x, pixel) in row.iter_mut().enumerate() {
            pixel.copy_from_slice(&pixels[(start + x) * 4..][..4]);
        }
        line.blur(&mut row);
        for (x, pixel) in row.iter().enumerate() {
            pixels[(start + x) * 4..][..4].copy_from_slice(pixel);
        }
    }
    let mut column = vec![[0.0f32; 4]; height];
    for x in 0..width {
        work.go_on()?;
        for (y, pixel) in column.iter_mut().enumerate() {
            pixel.copy_from_slice(&pixels[(y * width + x) * 4..][..4]);
        }
        line.blur(&mut column);
        for (y, pixel) in column.iter().enumerate() {
            pixels[(y * width + x) * 4..][..4].copy_from_slice(pixel);
        }
    }
    Ok(())
}

/// One row or column of pixels.
type Pixels = [[f32; 4]];

/// How one line is blurred.
enum Line {
    /// By weights from the middle outwards.
    Weights { weights: Vec<f32>, edge: Edge },
    /// By boxes: how far each reaches before and after a pixel.
    Boxes { reaches: [(usize, usize); 3], edge: Edge },
}

impl Line {
    fn new(deviation: f32, edge: Edge, longest: usize) -> Self {
        if deviation < BOXES_FROM {
            let radius = (deviation * 3.0).ceil() as usize;
            let raw: Vec<f32> = (0..=radius)
                .map(|i| (-((i * i) as f32) / (2.0 * deviation * deviation)).exp())
                .collect();
            let sum = raw[0] + 2.0 * raw[1..].iter().sum::<f32>();
            return Self::Weights {
                weights: raw.into_iter().map(|weight| weight / sum).collect(),
                edge,
            };
        }
        let d = (deviation * 3.0 * std::f32::consts::TAU.sqrt() / 4.0 + 0.5).floor() as usize;
        let d = d.min(longest * 2);
        // Of even size: one box centred before the pixel, one after, and one a pixel larger on it.
        let half = d / 2;
        let reaches = if d % 2 == 1 {
            [(half, half); 3]
        } else {
            [(half, half - 1), (half - 1, half), (half, half)]
        };
        Self::Boxes { reaches, edge }
    }

    fn blur(&self, line: &mut Pixels) {
        match self {
            Self::Weights { weights, edge } => {
                let source = line.to_vec();
                for (i, out) in line.iter_mut().enumerate() {
                    let mut sum = source[i].map(|value| value * weights[0]);
                    for (distance, weight) in weights.iter().enumerate().skip(1) {
                        for at in [i as isize - distance as isize, i as isize + distance as isize] {
                            let pixel = at_edge(&source, at, *edge);
                            sum.iter_mut()
                                .zip(pixel)
                                .for_each(|(sum, value)| *sum += value * weight);
                        }
                    }
                    *out = sum;
                }
            }
            Self::Boxes { reaches, edge } => {
                // What one box spreads beyond the edge, the next brings back.
                let beyond: usize = reaches.iter().map(|(before, after)| before.max(after)).sum();
                let mut padded: Vec<[f32; 4]> = (0..line.len() + 2 * beyond)
                    .map(|at| at_edge(line, at as isize - beyond as isize, *edge))
                    .collect();
                for (before, after) in reaches {
                    average(&mut padded, *before, *after, *edge);
                }
                line.copy_from_slice(&padded[beyond..beyond + line.len()]);
            }
        }
    }
}

/// Each pixel becomes the mean of those from `before` it to `after` it: a running sum.
fn average(line: &mut Pixels, before: usize, after: usize, edge: Edge) {
    let source = line.to_vec();
    let scale = 1.0 / (before + after + 1) as f64;
    let mut sum = [0.0f64; 4];
    for at in -(before as isize)..=after as isize {
        let pixel = at_edge(&source, at, edge);
        sum.iter_mut().zip(pixel).for_each(|(sum, value)| *sum += f64::from(value));
    }
    for (i, out) in line.iter_mut().enumerate() {
        *out = sum.map(|sum| (sum * scale) as f32);
        let (enters, leaves) = (i as isize + after as isize + 1, i as isize - before as isize);
        let (enters, leaves) = (at_edge(&source, enters, edge), at_edge(&source, leaves, edge));
        for channel in 0..4 {
            sum[channel] += f64::from(enters[channel]) - f64::from(leaves[channel]);
        }
    }
}

fn at_edge(line: &Pixels, at: isize, edge: Edge) -> [f32; 4] {
    match usize::try_from(at).ok().filter(|at| *at < line.len()) {
        Some(at) => line[at],
        None if edge == Edge::Clear => [0.0; 4],
        None => line[if at < 0 { 0 } else { line.len() - 1 }],
    }
}
