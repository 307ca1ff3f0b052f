//! Subject finding: what stands out from its surroundings, and from what lies along the picture's
//! border.
//!
//! Four cues on a small picture, each from 0 to 1: how far a colour is from those of the border,
//! how far a neighbourhood's mean is from that of a wider one (by integral images), how many edges
//! there are beyond the picture's usual, and tones like skin. A mild prior favours the middle. None
//! of them alone is trusted.

use kivet_recipe::{Size, Subject};

use super::no_subject;
use crate::Raster;

/// Cells along the longer side of the grid.
const CELLS: usize = 32;

/// How much each cue counts.
const BORDER: f32 = 1.0;
const SURROUND: f32 = 0.9;
const EDGES: f32 = 0.5;
const SKIN: f32 = 0.5;

/// Colours along the border are summed up in so many.
const BORDER_COLOURS: usize = 6;

/// Weights below this share of the most are taken for ground.
const GROUND: f32 = 0.3;

pub(super) fn find(small: &Raster) -> Subject {
    let Size { width, height } = small.size();
    let (width, height) = (width as usize, height as usize);
    if width < 8 || height < 8 {
        return no_subject();
    }
    let picture = Picture::of(small, width, height);
    let cues = [
        (BORDER, picture.unlike_border()),
        (SURROUND, picture.unlike_surround()),
        (EDGES, picture.edges()),
        (SKIN, picture.skin(small)),
    ];
    let mut weights = vec![0.0f32; width * height];
    for (share, cue) in cues {
        for (weight, value) in weights.iter_mut().zip(cue) {
            *weight += share * value;
        }
    }
    for (at, weight) in weights.iter_mut().enumerate() {
        let off = |at: usize, length: usize| (at as f32 + 0.5) / length as f32 - 0.5;
        let (x, y) = (off(at % width, width), off(at / width, height));
        *weight *= (-(x * x + y * y) * 1.6).exp();
        if let Some(alpha) = &picture.alpha {
            *weight *= alpha[at];
        }
    }
    grid(&weights, width, height)
}

/// Sums over cells, ground taken off, squared so that what stands out most decides.
fn grid(weights: &[f32], width: usize, height: usize) -> Subject {
    let cell = (width.max(height) as f32 / CELLS as f32).max(1.0);
    let columns = ((width as f32 / cell).round() as usize).max(1);
    let rows = ((height as f32 / cell).round() as usize).max(1);
    let sums = Integral::of(weights, width, height);
    let mut means: Vec<f32> = (0..rows * columns)
        .map(|at| {
            let (x, y) = (at % columns, at / columns);
            sums.mean(
                x * width / columns,
                y * height / rows,
                (x + 1) * width / columns,
                (y + 1) * height / rows,
            )
        })
        .collect();
    let max = means.iter().copied().fold(0.0, f32::max);
    if max <= 1e-4 {
        return no_subject();
    }
    means.iter_mut().for_each(|mean| {
        let above = ((*mean / max - GROUND) / (1.0 - GROUND)).max(0.0);
        *mean = above * above;
    });
    let weights = means.into_iter().map(|mean| (mean * 255.0).round() as u8).collect();
    Subject::new(columns, weights).unwrap_or_else(no_subject)
}

/// A picture in opponent colours: lightness, red to green, yellow to blue, each about 0 to 1.
struct Picture {
    width: usize,
    height: usize,
    colours: Vec<[f32; 3]>,
    alpha: Option<Vec<f32>>,
}

impl Picture {
    fn of(small: &Raster, width: usize, height: usize) -> Self {
        let channels = small.channels();
        let value = |byte: u8| f32::from(byte) / 255.0;
        let colours = small
            .bytes()
            .chunks_exact(channels)
            .map(|pixel| {
                let (r, g, b) = (value(pixel[0]), value(pixel[1]), value(pixel[2]));
                [0.3 * r + 0.59 * g + 0.11 * b, r - g, 0.5 * (r + g) - b]
            })
            .collect();
        let alpha = (channels == 4)
            .then(|| small.bytes().chunks_exact(4).map(|pixel| value(pixel[3])).collect());
        Self { width, height, colours, alpha }
    }

    /// Distance to the nearest of the colours that the border is made of.
    fn unlike_border(&self) -> Vec<f32> {
        let (width, height) = (self.width, self.height);
        let depth = (width.min(height) / 24).max(1);
        let on_border = |at: usize| {
            let (x, y) = (at % width, at / width);
            x < depth || y < depth || x >= width - depth || y >= height - depth
        };
        let border: Vec<[f32; 3]> = self
            .colours
            .iter()
            .enumerate()
            .filter(|(at, _)| on_border(*at))
            .map(|(_, colour)| *colour)
            .collect();
        let means = sum_up(&border);
        let mut cue: Vec<f32> = self
            .colours
            .iter()
            .map(|colour| {
                means.iter().map(|(mean, _)| distance(colour, mean)).fold(f32::MAX, f32::min)
            })
            .collect();
        self.soften(&mut cue);
        stretched(cue)
    }

    /// Distance between the mean of a neighbourhood and that of a wider one, at three scales.
    fn unlike_surround(&self) -> Vec<f32> {
        let planes: Vec<Integral> = (0..3)
            .map(|channel| {
                let plane: Vec<f32> = self.colours.iter().map(|colour| colour[channel]).collect();
                Integral::of(&plane, self.width, self.height)
            })
            .collect();
        let side = self.width.min(self.height);
        let mut cue = vec![0.0; self.colours.len()];
        for part in [24, 12, 6] {
            let near = (side / part).max(1);
            let far = near * 4;
            for (at, value) in cue.iter_mut().enumerate() {
                let (x, y) = (at % self.width, at / self.width);
                let mean = |radius: usize| {
                    [0, 1, 2].map(|channel: usize| planes[channel].around(x, y, radius))
                };
                *value += distance(&mean(near), &mean(far));
            }
        }
        stretched(cue)
    }

    /// Edge energy, less what is usual in the picture: texture everywhere is no subject.
    fn edges(&self) -> Vec<f32> {
        let (width, height) = (self.width, self.height);
        let mut cue: Vec<f32> = (0..width * height)
            .map(|at| {
                let (x, y) = (at % width, at / width);
                let right = &self.colours[if x + 1 < width { at + 1 } else { at }];
                let below = &self.colours[if y + 1 < height { at + width } else { at }];
                distance(&self.colours[at], right) + distance(&self.colours[at], below)
            })
            .collect();
        self.soften(&mut cue);
        let mut sorted = cue.clone();
        let middle = sorted.len() / 2;
        sorted.select_nth_unstable_by(middle, f32::total_cmp);
        let usual = sorted[middle] * 1.5;
        cue.iter_mut().for_each(|value| *value = (*value - usual).max(0.0));
        stretched(cue)
    }

    /// Tones like skin of any depth: red above green above blue by the ratios that blood and
    /// melanin give.
    fn skin(&self, small: &Raster) -> Vec<f32> {
        let mut cue: Vec<f32> = small
            .bytes()
            .chunks_exact(small.channels())
            .map(|pixel| {
                let (r, g, b) = (f32::from(pixel[0]), f32::from(pixel[1]), f32::from(pixel[2]));
                let sum = r + g + b + 1.0;
                let (red, green) = (r / sum, g / sum);
                let like = (0.36..0.50).contains(&red)
                    && (0.28..0.36).contains(&green)
                    && r > g
                    && g > b
                    && r > 50.0;
                f32::from(u8::from(like))
            })
            .collect();
        // Sand and wood have such tones too, and fill pictures; skin does not.
        let share = cue.iter().sum::<f32>() / cue.len() as f32;
        let trust = (1.0 - share / 0.25).max(0.0);
        self.soften(&mut cue);
        cue.iter_mut().for_each(|value| *value *= trust);
        cue
    }

    /// Means over small neighbourhoods.
    fn soften(&self, cue: &mut [f32]) {
        let sums = Integral::of(cue, self.width, self.height);
        let radius = (self.width.min(self.height) / 40).max(1);
        for (at, value) in cue.iter_mut().enumerate() {
            *value = sums.around(at % self.width, at / self.width, radius);
        }
    }
}

/// A few colours that stand for many: means refined from the most distant ones (k-means), with
/// their shares.
fn sum_up(colours: &[[f32; 3]]) -> Vec<([f32; 3], usize)> {
    let Some(first) = colours.first() else { return Vec::new() };
    let mut means = vec![*first];
    while means.len() < BORDER_COLOURS {
        let off = |colour: &[f32; 3]| {
            means.iter().map(|mean| distance(colour, mean)).fold(f32::MAX, f32::min)
        };
        let Some(farthest) = colours.iter().max_by(|a, b| off(a).total_cmp(&off(b))) else { break };
        means.push(*farthest);
    }
    let mut counts = vec![0; means.len()];
    for _ in 0..4 {
        let mut sums = vec![([0.0f32; 3], 0usize); means.len()];
        for colour in colours {
            let nearest = (0..means.len())
                .min_by(|a, b| {
                    distance(colour, &means[*a]).total_cmp(&distance(colour, &means[*b]))
                })
                .unwrap_or(0);
            sums[nearest].0.iter_mut().zip(colour).for_each(|(sum, value)| *sum += value);
            sums[nearest].1 += 1;
        }
        for ((mean, count), (sum, size)) in means.iter_mut().zip(&mut counts).zip(&sums) {
            *count = *size;
            if *size > 0 {
                *mean = sum.map(|value| value / *size as f32);
            }
        }
    }
    // What touches the border in a few places only may be the subject reaching out.
    let enough = colours.len() / 50;
    means.into_iter().zip(counts).filter(|(_, count)| *count > enough).collect()
}

fn distance(one: &[f32; 3], other: &[f32; 3]) -> f32 {
    one.iter().zip(other).map(|(a, b)| (a - b) * (a - b)).sum::<f32>().sqrt()
}

/// Values from 0 to 1, the brightest hundredth at 1: one odd pixel does not set the scale.
fn stretched(mut cue: Vec<f32>) -> Vec<f32> {
    let mut sorted = cue.clone();
    let high = sorted.len() * 99 / 100;
    sorted.select_nth_unstable_by(high, f32::total_cmp);
    let max = sorted[high].max(0.02);
    cue.iter_mut().for_each(|value| *value = (*value / max).clamp(0.0, 1.0));
    cue
}

/// Sums over rectangles in constant time.
struct Integral {
    width: usize,
    height: usize,
    sums: Vec<f64>,
}

impl Integral {
    fn of(plane: &[f32], width: usize, height: usize) -> Self {
        let stride = width + 1;
        let mut sums = vec![0.0; stride * (height + 1)];
        for y in 0..height {
            let mut row = 0.0;
            for x in 0..width {
                row += f64::from(plane[y * width + x]);
                sums[(y + 1) * stride + x + 1] = sums[y * stride + x + 1] + row;
            }
        }
        Self { width, height, sums }
    }

    /// The mean from (`left`, `top`) up to but not including (`right`, `bottom`).
    fn mean(&self, left: usize, top: usize, right: usize, bottom: usize) -> f32 {
        let stride = self.width + 1;
        let at = |x: usize, y: usize| self.sums[y * stride + x];
        let sum = at(right, bottom) - at(left, bottom) - at(right, top) + at(left, top);
        (sum / ((right - left) * (bottom - top)).max(1) as f64) as f32
    }

    /// The mean of the square that reaches so far around a point, cut at the edges.
    fn around(&self, x: usize, y: usize, radius: usize) -> f32 {
        let end = |at: usize, length: usize| (at + radius + 1).min(length);
        self.mean(
            x.saturating_sub(radius),
            y.saturating_sub(radius),
            end(x, self.width),
            end(y, self.height),
        )
    }
}
