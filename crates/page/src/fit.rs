//! The shortest `sizes` that says what a layout does, from widths measured at many viewports.
//!
//! What layouts do to a picture is a line, or a few in turn: so many pixels, a share of the
//! viewport, a share less some pixels. Going up from the narrowest viewport, each line is drawn as
//! far as it holds within the tolerance, which gives the fewest lines; where one ends is then
//! searched to the pixel.

/// How far `sizes` may be from the layout.
pub const TOLERANCE: f64 = 0.02;

/// What a line may be off while it is drawn: tightly, which keeps the numbers the author wrote, and
/// loosely, which needs fewer lines. The rest of the tolerance is for rounding numbers.
const DRAWN: [f64; 2] = [0.004, 0.012];

/// More conditions than a grid of many columns needs: lines are then drawn more loosely.
const MAX_CONDITIONS: usize = 16;

/// How loosely, in turn. The last takes what the layout does as it can.
const LOOSER: [f64; 4] = [0.03, 0.06, 0.12, 0.25];

/// A picture's width at one viewport, both in CSS pixels.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sample {
    /// The viewport's width.
    pub viewport: f64,
    /// The picture's.
    pub shown: f64,
}

/// A line over a range of viewports.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Segment {
    /// Pixels a pixel of viewport.
    slope: f64,
    /// Pixels beside.
    offset: f64,
    /// The last viewport it holds for.
    last: f64,
}

impl Segment {
    fn at(&self, viewport: f64) -> f64 {
        self.slope * viewport + self.offset
    }

    fn holds(&self, sample: Sample, within: f64) -> bool {
        (self.at(sample.viewport) - sample.shown).abs() <= within * sample.shown
    }

    /// As CSS.
    fn length(&self) -> String {
        let (share, pixels) = (self.slope * 100.0, self.offset);
        if self.slope == 0.0 {
            return format!("{}px", short(pixels));
        }
        if pixels == 0.0 {
            return format!("{}vw", short(share));
        }
        let sign = if pixels < 0.0 { '-' } else { '+' };
        format!("calc({}vw {sign} {}px)", short(share), short(pixels.abs()))
    }
}

/// A number with one decimal at most.
fn short(value: f64) -> String {
    let rounded = (value * 10.0).round() / 10.0;
    format!("{rounded}")
}

/// Fits `sizes` to samples in rising order of viewport. `measure` gives the width at viewports in
/// between, for finding where one line ends and the next begins; it may answer `None` where the
/// picture is not shown.
///
/// `None` if there are no samples.
pub fn fit_sizes(
    samples: &[Sample],
    mut measure: impl FnMut(f64) -> Option<f64>,
) -> Option<String> {
    let samples: Vec<Sample> =
        samples.iter().copied().filter(|sample| sample.shown > 0.0).collect();
    // Where lines end is searched to the pixel only if there are few: a layout that follows how text
    // wraps has dozens.
    let mut drawn = |within: f64| {
        let rough = segments(&samples, within, &mut |_| None);
        match rough.len() <= MAX_CONDITIONS + 1 {
            true => written(&segments(&samples, within, &mut measure), within),
            false => written(&rough, within),
        }
    };
    let [tight, loose] = DRAWN.map(&mut drawn);
    // A rounder number is no reason to leave what the author wrote; a condition less is.
    let parentheses = |sizes: &str| sizes.matches('(').count();
    let conditions = |sizes: &str| sizes.matches("(max-width").count();
    let mut sizes = match (tight, loose) {
        (Some(tight), Some(loose)) if parentheses(&loose) < parentheses(&tight) => Some(loose),
        (tight, _) => tight,
    }?;
    for within in LOOSER {
        if conditions(&sizes) <= MAX_CONDITIONS {
            break;
        }
        sizes = drawn(within).unwrap_or(sizes);
    }
    Some(sizes)
}

fn segments(
    samples: &[Sample],
    within: f64,
    measure: &mut impl FnMut(f64) -> Option<f64>,
) -> Vec<Segment> {
    let mut segments: Vec<Segment> = Vec::new();
    let mut start = 0;
    while let Some(first) = samples.get(start) {
        let alone = Segment { slope: 0.0, offset: first.shown.round(), last: first.viewport };
        let mut segment = nice(&samples[start..=start], within).unwrap_or(alone);
        let mut end = start + 1;
        while end < samples.len() {
            let longer = &samples[start..=end];
            match best_slope(longer, within).1 <= 0.0 {
                true => {
                    segment = match nice(longer, within) {
                        Some(line) => line,
                        None => break,
                    }
                }
                false => break,
            }
            end += 1;
        }
        segment.last = samples[end - 1].viewport;
        if let Some(next) = samples.get(end) {
            segment.last = border(&segment, within, next.viewport, measure);
        }
        segments.push(segment);
        start = end;
    }
    segments
}

/// The last viewport at which the line still holds, between one where it does and one where it does
/// not.
fn border(
    line: &Segment,
    within: f64,
    fails: f64,
    measure: &mut impl FnMut(f64) -> Option<f64>,
) -> f64 {
    let (mut low, mut high) = (line.last, fails);
    while high - low > 1.0 {
        let middle = ((low + high) / 2.0).floor();
        let near = measure(middle).is_none_or(|shown| {
            line.holds(Sample { viewport: middle, shown }, within.max(ROUNDED))
        });
        if near { low = middle } else { high = middle }
    }
    low
}

/// What rounding a line's numbers may put it off.
const ROUNDED: f64 = 0.008;

/// The band of offsets that a slope leaves: from, to; empty if from is above to.
fn band(samples: &[Sample], slope: f64, within: f64) -> (f64, f64) {
    samples.iter().fold((f64::NEG_INFINITY, f64::INFINITY), |(from, to), sample| {
        let base = sample.shown - slope * sample.viewport;
        (from.max(base - within * sample.shown), to.min(base + within * sample.shown))
    })
}

/// The slope that leaves the widest band, and by how much the band is missed (negative if it is
/// not): that is convex in the slope, so that a search by thirds finds it.
fn best_slope(samples: &[Sample], within: f64) -> (f64, f64) {
    let missed = |slope: f64| {
        let (from, to) = band(samples, slope, within);
        from - to
    };
    // No layout makes a picture narrower in a wider window but by a step, which is a line of its own.
    let (mut low, mut high) = (0.0, 3.0);
    for _ in 0..36 {
        let (one, other) = (low + (high - low) / 3.0, high - (high - low) / 3.0);
        if missed(one) <= missed(other) { high = other } else { low = one }
    }
    let slope = (low + high) / 2.0;
    (slope, missed(slope))
}

/// The line that is shortest to write: so many pixels, else a share, else both.
fn nice(samples: &[Sample], within: f64) -> Option<Segment> {
    let (first, last) = (samples.first()?, samples.last()?);
    let line = |slope: f64, offset: f64| Segment { slope, offset, last: last.viewport };
    let fits =
        |line: &Segment| samples.iter().all(|sample| line.holds(*sample, within.max(ROUNDED)));
    let middle = |(from, to): (f64, f64)| (from + to) / 2.0;
    let (slope, _) = best_slope(samples, within);
    let shares = [first.shown / first.viewport, last.shown / last.viewport];
    let share = (shares[0] + shares[1]) / 2.0;
    let tenth = |slope: f64| (slope * 1000.0).round() / 1000.0;
    let free = [slope, (slope * 100.0).round() / 100.0].map(tenth);
    let candidates = [
        line(0.0, middle(band(samples, 0.0, within)).round()),
        line(0.0, last.shown.round()),
        line((share * 100.0).round() / 100.0, 0.0),
        line(tenth(share), 0.0),
        line(1.0, middle(band(samples, 1.0, within)).round()),
        line(free[1], middle(band(samples, free[1], within)).round()),
        line(free[0], middle(band(samples, free[0], within)).round()),
    ];
    candidates.into_iter().find(fits)
}

fn written(segments: &[Segment], within: f64) -> Option<String> {
    let mut entries: Vec<String> = Vec::new();
    let (last, others) = segments.split_last()?;
    let mut others = others.to_vec();
    let mut ending = last.length();
    let meets = |before: &Segment, after: &Segment| {
        let (one, other) = (before.at(before.last), after.at(before.last));
        (one - other).abs() <= (within + ROUNDED) * other
    };
    // A line that runs into a constant without a jump is their minimum; one that begins at a
    // constant too, a clamp.
    if let Some(before) =
        others.pop_if(|before| last.slope == 0.0 && before.slope > 0.0 && meets(before, last))
    {
        let length = before.length();
        let bare = length
            .strip_prefix("calc(")
            .and_then(|inner| inner.strip_suffix(')'))
            .unwrap_or(&length);
        ending = match others.pop_if(|first| first.slope == 0.0 && meets(first, &before)) {
            Some(first) => format!("clamp({}, {bare}, {})", first.length(), last.length()),
            None => format!("min({bare}, {})", last.length()),
        };
    }
    for segment in &others {
        entries.push(format!("(max-width: {}px) {}", segment.last, segment.length()));
    }
    entries.push(ending);
    Some(entries.join(", "))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Device, SourceSize, source_size};

    fn check(layout: impl Fn(f64) -> f64, expected: &str) {
        let samples: Vec<Sample> = (320..=2560)
            .step_by(20)
            .map(|at| Sample { viewport: f64::from(at), shown: layout(f64::from(at)) })
            .collect();
        let sizes = fit_sizes(&samples, |viewport| Some(layout(viewport))).expect("samples");
        assert_eq!(sizes, expected);
        for width in 320..=2560_u32 {
            let device = Device {
                width,
                height: 900,
                density: 1.0,
                ..Device::named("laptop").expect("a device")
            };
            let SourceSize::Pixels(said) = source_size(&sizes, &device) else { panic!("pixels") };
            let shown = layout(f64::from(width));
            assert!((said - shown).abs() <= TOLERANCE * shown, "{width}: {said} for {shown}");
        }
    }

    #[test]
    fn lines_come_out_as_they_were_drawn() {
        check(|_| 400.0, "400px");
        check(|viewport| viewport, "100vw");
        check(|viewport| viewport - 40.0, "calc(100vw - 40px)");
        check(|viewport| viewport.min(1180.0), "min(100vw, 1180px)");
        check(|viewport| (viewport / 4.0).clamp(150.0, 500.0), "clamp(150px, 25vw, 500px)");
        check(
            |viewport| if viewport <= 600.0 { viewport } else { 300.0 },
            "(max-width: 600px) 100vw, 300px",
        );
        check(
            |viewport| match viewport {
                ..=520.0 => viewport * 0.92,
                ..=860.0 => viewport * 0.46 - 13.0,
                _ => (viewport * 0.92).min(1180.0) / 3.0 - 17.0,
            },
            "(max-width: 520px) 92vw, (max-width: 860px) 44vw, min(29vw, 376px)",
        );
    }
}
