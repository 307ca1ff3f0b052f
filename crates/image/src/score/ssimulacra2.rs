//! The SSIMULACRA2 score of one picture against another, 100 for the same. What carries no weight
//! in it is not computed: at full size nothing but the luma counts, which is why a score costs
//! little beside an encode.

use kivet_recipe::Size;

use super::{
    levels::{self, Level, MAX_LEVELS},
    loops::{Loops, MapRow, RADIUS, RowSums, TAPS},
};
use crate::Raster;

/// Weights by channel (X, Y, B), level, norm (mean, fourth root of the mean of fourth powers) and
/// map (structure, artifact, lost), as the metric's authors fitted them; those below 0.003, which
/// move no score by a hundredth, are zero.
#[rustfmt::skip]
const WEIGHTS: [f64; 108] = [
    0.0, 0.0, 0.0,  0.0, 0.0, 0.0,
    0.0, 0.0, 0.0,  1.104_172_642_665_734_6, 0.0, 0.0,
    0.0, 0.0, 0.0,  1.842_245_552_053_929_8, 11.441_172_603_757_666, 0.0,
    0.0, 0.0, 0.0,  1.878_759_497_954_638_7, 10.949_069_906_051_42, 0.0,
    0.0, 0.967_793_708_062_683_3, 0.0,  0.0, 0.998_176_697_785_496_7, 0.0,
    0.0, 0.0, 0.0,  0.0, 0.0, 0.0,

    0.0, 0.0, 0.0,  7.466_890_328_078_848, 0.0, 17.445_833_984_131_262,
    0.0, 0.0, 0.0,  6.683_678_146_179_332, 0.0, 1.027_889_937_768_264,
    225.205_153_008_492_74, 0.0, 0.0,  19.213_238_186_143_016, 0.0, 0.0,
    176.393_175_984_506_94, 0.0, 0.0,  24.433_009_998_704_76, 0.285_208_026_121_177_57, 0.0,
    0.0, 0.0, 0.0,  34.779_063_444_837_72, 44.835_625_328_877_896, 0.0,
    0.0, 0.0, 0.0,  0.0, 0.0, 0.0,

    0.0, 0.0, 0.0,  0.0, 0.0, 0.0,
    0.0, 0.0, 0.0,  0.0, 0.0, 0.0,
    0.0, 0.0, 0.0,  0.0, 0.0, 0.0,
    0.0, 0.0, 0.0,  8.826_982_764_996_862, 23.192_433_439_989_26, 0.0,
    95.108_049_881_108_6, 0.986_397_803_440_068_2, 0.983_438_279_246_535_3,  0.0, 171.266_725_589_730_7, 0.980_785_887_243_537_9,
    0.0, 0.0, 0.0,  0.0, 0.0, 0.0,
];

/// The grays that transparent tiles are seen before; the worse score counts.
const BEHIND: [f32; 2] = [0.1, 0.9];

/// A picture ready to be compared with others of its size. About 20 bytes a pixel.
pub(super) struct ReferencePlanes {
    size: Size,
    /// One opaque view, or two before different grays.
    views: Vec<View>,
    loops: Loops,
}

/// The planes that carry weight, each with its level's size.
struct View {
    behind: f32,
    planes: Vec<Weighed>,
}

struct Weighed {
    level: usize,
    channel: usize,
    size: Size,
    values: Vec<f32>,
    means: Vec<f32>,
    squares: Vec<f32>,
}

impl ReferencePlanes {
    pub(super) fn new(raster: &Raster) -> Self {
        Self::with(raster, Loops::fastest())
    }

    pub(super) fn with(raster: &Raster, loops: Loops) -> Self {
        let grays = if raster.has_alpha() { BEHIND.as_slice() } else { &BEHIND[..1] };
        let views = grays.iter().map(|behind| View::of(raster, *behind, loops)).collect();
        Self { size: raster.size(), views, loops }
    }

    /// The score of another picture of the same size and transparency; `None` if it has another
    /// size.
    pub(super) fn compare(&self, other: &Raster) -> Option<f64> {
        if other.size() != self.size {
            return None;
        }
        let scores =
            self.views.iter().map(|view| view.score(Level::linear(other, view.behind), self.loops));
        scores.reduce(f64::min)
    }

    /// The score of an opaque picture against this opaque one, from its linear light.
    pub(super) fn compare_light(&self, other: Level) -> Option<f64> {
        let view = self.views.first().filter(|_| other.size == self.size)?;
        Some(view.score(other, self.loops))
    }
}

/// Weights of one channel at one level of `count`. The published sum walks on without gaps where
/// there are fewer levels.
fn weights(channel: usize, level: usize, count: usize) -> &'static [f64] {
    &WEIGHTS[(channel * count + level) * 6..][..6]
}

fn is_weighed(channel: usize, level: usize, count: usize) -> bool {
    weights(channel, level, count).iter().any(|weight| *weight > 0.0)
}

/// Levels down to the last that carries weight.
fn wanted(count: usize) -> usize {
    (0..count)
        .rev()
        .find(|level| (0..3).any(|channel| is_weighed(channel, *level, count)))
        .map_or(1, |last| last + 1)
}

impl View {
    fn of(raster: &Raster, behind: f32, loops: Loops) -> Self {
        let count = levels::count(raster.size());
        let mut planes = Vec::new();
        for (index, level) in levels::levels(Level::linear(raster, behind), wanted(count), loops)
            .into_iter()
            .enumerate()
        {
            let Level { size, planes: channels } = level;
            for (channel, values) in channels.into_iter().enumerate() {
                if is_weighed(channel, index, count) {
                    planes.push(Weighed::of(index, channel, size, values, loops));
                }
            }
        }
        Self { behind, planes }
    }

    /// The score of another picture's linear light.
    fn score(&self, other: Level, loops: Loops) -> f64 {
        let count = levels::count(other.size);
        let levels = levels::levels(other, wanted(count), loops);
        let weighed = |plane: &Weighed| -> f64 {
            let norms = plane.norms(&levels[plane.level].planes[plane.channel], loops);
            norms
                .iter()
                .zip(weights(plane.channel, plane.level, count))
                .map(|(norm, weight)| norm * weight)
                .sum()
        };
        score(self.planes.iter().map(weighed).sum())
    }
}

impl Weighed {
    fn of(level: usize, channel: usize, size: Size, values: Vec<f32>, loops: Loops) -> Self {
        let (mut means, mut squares) =
            (Vec::with_capacity(values.len()), Vec::with_capacity(values.len()));
        let width = size.width as usize;
        let fill = |y: usize, [plain, square]: [&mut [f32]; 2]| {
            let row = &values[y * width..][..width];
            plain.copy_from_slice(row);
            square.iter_mut().zip(row).for_each(|(square, value)| *square = value * value);
        };
        blurred(size, loops, fill, |_, [mean, square]| {
            means.extend_from_slice(mean);
            squares.extend_from_slice(square);
        });
        Self { level, channel, size, values, means, squares }
    }

    /// Mean and fourth-power norm of each map: structure, artifact, lost.
    fn norms(&self, other: &[f32], loops: Loops) -> [f64; 6] {
        let width = self.size.width as usize;
        let mut totals = [0.0f64; 6];
        let fill = |y: usize, [plain, square, product]: [&mut [f32]; 3]| {
            let (a, b) = (&self.values[y * width..][..width], &other[y * width..][..width]);
            plain.copy_from_slice(b);
            for (((square, product), a), b) in square.iter_mut().zip(product).zip(a).zip(b) {
                (*square, *product) = (b * b, a * b);
            }
        };
        blurred(self.size, loops, fill, |y, [mean_b, square_b, product]| {
            let row = y * width..(y + 1) * width;
            let RowSums { structure, artifact, lost } = (loops.maps)(MapRow {
                a: &self.values[row.clone()],
                b: &other[row.clone()],
                mean_a: &self.means[row.clone()],
                mean_b,
                square_a: &self.squares[row],
                square_b,
                product,
            });
            let sums = [structure[0], artifact[0], lost[0], structure[1], artifact[1], lost[1]];
            totals.iter_mut().zip(sums).for_each(|(total, sum)| *total += f64::from(sum));
        });
        let pixels = self.size.pixels() as f64;
        let means = totals.map(|total| total / pixels);
        std::array::from_fn(|i| if i < 3 { means[i] } else { means[i].sqrt().sqrt() })
    }
}

/// Blurs `K` planes row by row: `fill` gives their rows, `emit` takes the blurred ones, nothing but
/// zeros around them.
fn blurred<const K: usize>(
    size: Size,
    loops: Loops,
    fill: impl Fn(usize, [&mut [f32]; K]),
    mut emit: impl FnMut(usize, [&[f32]; K]),
) {
    let (width, height) = (size.width as usize, size.height as usize);
    let zeros = vec![0.0; width];
    let mut padded: [Vec<f32>; K] = std::array::from_fn(|_| vec![0.0; width + 2 * RADIUS]);
    let mut across: [[Vec<f32>; TAPS]; K] =
        std::array::from_fn(|_| std::array::from_fn(|_| vec![0.0; width]));
    let mut out: [Vec<f32>; K] = std::array::from_fn(|_| vec![0.0; width]);
    for y in 0..height + RADIUS {
        if y < height {
            fill(y, padded.each_mut().map(|row| &mut row[RADIUS..][..width]));
            for (row, across) in padded.iter().zip(&mut across) {
                (loops.blur)(
                    std::array::from_fn(|tap| &row[tap..][..width]),
                    &mut across[y % TAPS],
                );
            }
        }
        let Some(middle) = y.checked_sub(RADIUS) else { continue };
        for (rows, out) in across.iter().zip(&mut out) {
            let row = |tap: usize| match (middle + tap).checked_sub(RADIUS) {
                Some(at) if at < height => rows[at % TAPS].as_slice(),
                _ => zeros.as_slice(),
            };
            (loops.blur)(std::array::from_fn(row), out);
        }
        emit(middle, out.each_ref().map(Vec::as_slice));
    }
}

/// A weighted sum, bent to the scale of people's opinions.
fn score(sum: f64) -> f64 {
    let sum = sum * 0.956_238_261_683_484_4;
    let bent = 2.326_765_642_916_932 * sum - 0.020_884_521_182_843_837 * sum.powi(2)
        + 6.248_496_625_763_138e-5 * sum.powi(3);
    if bent > 0.0 { 100.0 - 10.0 * bent.powf(0.627_633_646_783_138_7) } else { 100.0 }
}

const _: () = assert!(WEIGHTS.len() == 3 * MAX_LEVELS * 6);
