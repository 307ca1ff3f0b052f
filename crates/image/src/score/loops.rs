//! The inner loops of scoring, in portable form; compiled a second time for AVX2 where the machine
//! has it.

/// How far the blur reaches to either side.
pub(super) const RADIUS: usize = 4;

/// Rows or columns that go into one blurred value.
pub(super) const TAPS: usize = 2 * RADIUS + 1;

/// A Gaussian of sigma 1.5 as a sum of three cosines cut off at 5 (Charalampidis, "Recursive
/// implementation of the Gaussian filter using truncated cosine functions", 2016), which is how the
/// metric defines its blur: from the middle out.
const BLUR: [f32; RADIUS + 1] =
    [0.264_621_1, 0.212_928_6, 0.109_335_37, 0.036_011_115, 0.009_414_368];

/// Sums over a row are kept in so many lanes.
const LANES: usize = 8;

/// The metric's second constant; the first is left out of it.
const C2: f32 = 0.0009;

/// What one row adds up to, of each map its values and their fourth powers.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct RowSums {
    /// Structural difference.
    pub(super) structure: [f32; 2],
    /// Edges that the file has and the reference has not.
    pub(super) artifact: [f32; 2],
    /// Edges that the reference has and the file has not.
    pub(super) lost: [f32; 2],
}

/// One row of everything the maps are made of: `a` is the reference, `b` the file.
#[derive(Clone, Copy)]
pub(super) struct MapRow<'a> {
    pub(super) a: &'a [f32],
    pub(super) b: &'a [f32],
    pub(super) mean_a: &'a [f32],
    pub(super) mean_b: &'a [f32],
    pub(super) square_a: &'a [f32],
    pub(super) square_b: &'a [f32],
    pub(super) product: &'a [f32],
}

/// The loops to use on this machine.
#[derive(Clone, Copy)]
pub(super) struct Loops {
    /// The blur of nine neighbouring rows (or one row at nine offsets), each as long as the output.
    pub(super) blur: fn([&[f32]; TAPS], &mut [f32]),
    /// The sums of the maps over one row.
    pub(super) maps: fn(MapRow<'_>) -> RowSums,
    /// Linear red, green and blue as the metric's X, Y and B, in place.
    pub(super) colours: fn(&mut [f32], &mut [f32], &mut [f32]),
}

impl Loops {
    /// Plain loops.
    pub(super) const SCALAR: Self = Self { blur, maps, colours };

    /// The fastest this machine can run.
    pub(super) fn fastest() -> Self {
        #[cfg(target_arch = "x86_64")]
        if let Some(loops) = super::avx2::loops() {
            return loops;
        }
        Self::SCALAR
    }
}

// No closures below: they would be compiled without the features of the function they are inlined
// into.

/// So many values from `start` on.
#[inline(always)]
fn lanes(values: &[f32], start: usize) -> [f32; LANES] {
    let mut lanes = [0.0; LANES];
    lanes.copy_from_slice(&values[start..start + LANES]);
    lanes
}

#[inline(always)]
pub(super) fn blur(rows: [&[f32]; TAPS], out: &mut [f32]) {
    let length = out.len();
    let whole = length - length % LANES;
    for start in (0..whole).step_by(LANES) {
        let mut sum = lanes(rows[RADIUS], start);
        for value in &mut sum {
            *value *= BLUR[0];
        }
        for away in 1..=RADIUS {
            let (before, after) =
                (lanes(rows[RADIUS - away], start), lanes(rows[RADIUS + away], start));
            for lane in 0..LANES {
                sum[lane] += (before[lane] + after[lane]) * BLUR[away];
            }
        }
        out[start..start + LANES].copy_from_slice(&sum);
    }
    for x in whole..length {
        out[x] = rows[RADIUS][x] * BLUR[0];
        for away in 1..=RADIUS {
            out[x] += (rows[RADIUS - away][x] + rows[RADIUS + away][x]) * BLUR[away];
        }
    }
}

#[inline(always)]
pub(super) fn maps(row: MapRow<'_>) -> RowSums {
    let length = row.a.len();
    let mut sums = [[0.0f32; LANES]; 6];
    let whole = length - length % LANES;
    for start in (0..whole).step_by(LANES) {
        let (a, b) = (lanes(row.a, start), lanes(row.b, start));
        let (mean_a, mean_b) = (lanes(row.mean_a, start), lanes(row.mean_b, start));
        let (square_a, square_b) = (lanes(row.square_a, start), lanes(row.square_b, start));
        let product = lanes(row.product, start);
        for lane in 0..LANES {
            let values = with_fourth_powers(differences(
                (a[lane], b[lane]),
                (mean_a[lane], mean_b[lane]),
                (square_a[lane], square_b[lane]),
                product[lane],
            ));
            for map in 0..6 {
                sums[map][lane] += values[map];
            }
        }
    }
    let mut totals = [0.0f32; 6];
    for map in 0..6 {
        totals[map] = sums[map].iter().sum();
    }
    for x in whole..length {
        let values = with_fourth_powers(differences(
            (row.a[x], row.b[x]),
            (row.mean_a[x], row.mean_b[x]),
            (row.square_a[x], row.square_b[x]),
            row.product[x],
        ));
        for map in 0..6 {
            totals[map] += values[map];
        }
    }
    let [structure, structure4, artifact, artifact4, lost, lost4] = totals;
    RowSums {
        structure: [structure, structure4],
        artifact: [artifact, artifact4],
        lost: [lost, lost4],
    }
}

/// The three maps at one pixel, none below zero.
#[inline(always)]
fn differences(
    (a, b): (f32, f32),
    (mean_a, mean_b): (f32, f32),
    (square_a, square_b): (f32, f32),
    product: f32,
) -> [f32; 3] {
    let apart = mean_a - mean_b;
    let above = (1.0 - apart * apart) * (2.0 * (product - mean_a * mean_b) + C2);
    let below = (square_a - mean_a * mean_a) + (square_b - mean_b * mean_b) + C2;
    let structure = (1.0 - above / below).max(0.0);
    let edges = (1.0 + (b - mean_b).abs()) / (1.0 + (a - mean_a).abs()) - 1.0;
    [structure, edges.max(0.0), (-edges).max(0.0)]
}

#[inline(always)]
fn with_fourth_powers([structure, artifact, lost]: [f32; 3]) -> [f32; 6] {
    let (structure2, artifact2, lost2) = (structure * structure, artifact * artifact, lost * lost);
    [structure, structure2 * structure2, artifact, artifact2 * artifact2, lost, lost2 * lost2]
}

// The opsin absorbance of the XYB space (ISO/IEC 18181-1, annex L.2), its bias and that bias's cube
// root.
const LONG: [f32; 3] = [0.3, 0.622, 0.078];
const MIDDLE: [f32; 3] = [0.23, 0.692, 0.078];
const SHORT: [f32; 3] = [0.243_422_69, 0.204_767_45, 0.551_809_86];
const BIAS: f32 = 0.003_793_073_4;
const BIAS_ROOT: f32 = 0.155_954_2;

#[inline(always)]
pub(super) fn colours(red: &mut [f32], green: &mut [f32], blue: &mut [f32]) {
    let length = red.len();
    let (green, blue) = (&mut green[..length], &mut blue[..length]);
    for x in 0..length {
        let light = [red[x], green[x], blue[x]];
        let (long, middle, short) =
            (response(LONG, light), response(MIDDLE, light), response(SHORT, light));
        let luma = 0.5 * (long + middle);
        // Moved so that all are above zero.
        red[x] = 0.5 * (long - middle) * 14.0 + 0.42;
        green[x] = luma + 0.01;
        blue[x] = short - luma + 0.55;
    }
}

#[inline(always)]
fn response(mix: [f32; 3], light: [f32; 3]) -> f32 {
    cube_root((mix[0] * light[0] + mix[1] * light[1] + mix[2] * light[2] + BIAS).max(0.0))
        - BIAS_ROOT
}

/// For values above zero: a guess at the inverse root from the exponent, then three steps of
/// Newton's, to a few units in the last place.
#[inline(always)]
fn cube_root(value: f32) -> f32 {
    const GUESS: i32 = 0x5480_0000;
    const THIRD_OF_EXPONENT: i32 = 0x002a_aaaa;
    let bits = value.to_bits() as i32;
    let mut inverse = f32::from_bits((GUESS - (bits >> 23) * THIRD_OF_EXPONENT) as u32);
    for _ in 0..4 {
        let square = inverse * inverse;
        inverse = inverse * (4.0 / 3.0) - value * (1.0 / 3.0) * (square * square);
    }
    inverse * inverse * value
}
