//! Ranges of windows at which a box has about the same ratio, each with the bounds of its ratios.

use std::collections::BTreeSet;

use crate::{
    DEVICES, Population, Screen,
    observation::{Boxed, Window},
};

/// No place has more layouts.
const MAX_BANDS: usize = 7;

/// The share of bytes that one layout more has to save.
const WORTH: f64 = 0.04;

/// A step of the sweep at which a ratio changes by more is measured again in between. Smaller changes
/// are many where text wraps, and widen the bounds of their band a little.
const JUMP: f64 = 0.12;

/// Aspect ratios of windows that media conditions tell apart, as they write them.
const SHAPES: [(u32, u32); 9] =
    [(1, 2), (2, 3), (4, 5), (1, 1), (5, 4), (3, 2), (16, 9), (2, 1), (5, 2)];

/// The share of all windows that is spread evenly; the rest are those of the assumed population.
const EVEN: f64 = 0.3;

/// The share that each device of a check has beside the population.
const WHOLE_SCREEN: f64 = 0.05;

/// Windows of the sweep that lie further apart are not measured in between.
const MAX_GAP: f64 = 64.0;

/// The height of the lowest windows, in CSS pixels: a small phone on its side.
const MIN_HEIGHT: u32 = 320;

/// The width of the narrowest windows.
const MIN_WIDTH: u32 = 280;

/// Heights of windows up to which a box may have its least height.
const LOW: [u32; 4] = [400, 520, 640, 800];

/// The share of [`EVEN`] that is of low windows.
const LOW_EVEN: f64 = 0.1;

/// The narrowest and the widest ratio.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Bounds {
    pub low: f64,
    pub high: f64,
}

impl Bounds {
    pub fn of(ratios: impl Iterator<Item = f64>) -> Option<Self> {
        ratios.map(|ratio| Self { low: ratio, high: ratio }).reduce(Self::with)
    }

    fn with(self, other: Self) -> Self {
        Self { low: self.low.min(other.low), high: self.high.max(other.high) }
    }

    /// As a place writes it: one ratio, or the range, rounded outwards so that nothing that is shown
    /// is cut.
    pub fn written(self) -> String {
        // Boxes are rounded to the pixel, so that ratios differ a little that are meant to be one.
        if self.high / self.low < 1.012 {
            return fraction((self.low * self.high).sqrt(), |_| true);
        }
        let low = fraction(self.low, |found| found <= self.low);
        let high = fraction(self.high, |found| found >= self.high);
        format!("{low} to {high}")
    }

    /// How many times as many pixels as a box shows are sent at worst.
    fn excess(self, of: Self) -> f64 {
        (self.high / of.low).max(of.high / self.low)
    }
}

/// The feature of windows by which a band is told from those after it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Feature {
    Width,
    Height,
    Shape,
}

/// A range of windows, which begins where the one before of the same feature ends.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Band {
    pub by: Feature,
    /// The last width, height or aspect ratio; `None` for the last band.
    pub up_to: Option<f64>,
    pub bounds: Bounds,
    /// How much its windows count.
    pub weight: f64,
}

impl Band {
    /// Its media condition, where those of the bands before it do not hold.
    pub fn media(&self) -> String {
        let up_to = self.up_to.unwrap_or_default();
        match self.by {
            Feature::Width => format!("(max-width: {up_to}px)"),
            Feature::Height => format!("(max-height: {up_to}px)"),
            Feature::Shape => {
                let shape = SHAPES.into_iter().find(|shape| value(*shape) >= up_to - 1e-9);
                let (across, down) = shape.unwrap_or((1, 1));
                format!("(max-aspect-ratio: {across}/{down})")
            }
        }
    }
}

/// Width over height of a box.
pub(super) fn ratio(one: &Boxed) -> f64 {
    one.size.0 / one.size.1
}

fn value((across, down): (u32, u32)) -> f64 {
    f64::from(across) / f64::from(down)
}

/// The windows at which a box that follows the window's height must be measured: every shape that
/// conditions tell apart, at several widths.
pub(super) fn shapes() -> Vec<(u32, u32)> {
    const WIDTHS: [u32; 11] = [320, 400, 480, 640, 700, 850, 1000, 1366, 1920, 2560, 3840];
    const EXTREMES: [(u32, u32); 6] = [
        (320, 900),
        (2560, 560),
        (MIN_WIDTH, 653),
        (3840, 900),
        (MIN_WIDTH, MIN_HEIGHT),
        (3840, MIN_HEIGHT),
    ];
    let of = |width: u32| {
        let height = move |shape| (width, (f64::from(width) / value(shape)).round() as u32);
        SHAPES.into_iter().map(height).filter(|(_, height)| (MIN_HEIGHT..=2000).contains(height))
    };
    // The narrowest window of each shape, also among those above each low height: a box with a least
    // height is narrowest there.
    let low = [MIN_HEIGHT].into_iter().chain(LOW).flat_map(|height| {
        SHAPES.map(|shape| ((f64::from(height) * value(shape)).round() as u32, height))
    });
    let low = low.filter(|(width, _)| *width >= MIN_WIDTH);
    WIDTHS.into_iter().flat_map(of).chain(low).chain(EXTREMES).collect()
}

/// The bands of a box that follows the window's height; `None` if it was not measured at windows of
/// enough shapes.
pub(super) fn by_shape(boxes: &[&Boxed]) -> Option<Vec<Band>> {
    if !boxes.iter().any(|one| one.of == Window::Shape) {
        return None;
    }
    let all = shape_cells(boxes, (0.0, f64::MAX), EVEN).into_iter().collect::<Option<Vec<_>>>();
    let mut best = joined(&all?, MAX_BANDS);
    // A box with a least height follows the window's from some height on: lower windows are a band
    // of their own where that pays.
    for height in LOW.map(f64::from) {
        let even = EVEN * LOW_EVEN;
        let low: Vec<Band> =
            shape_cells(boxes, (0.0, height), even).into_iter().flatten().collect();
        let above = shape_cells(boxes, (height, f64::MAX), EVEN - even).into_iter().collect();
        let Some(above): Option<Vec<_>> = above else { continue };
        let ((low_cost, mut bands), (cost, rest)) =
            (joined(&low, 1), joined(&above, MAX_BANDS - 1));
        if low_cost + cost < best.0 && !bands.is_empty() {
            bands[0] = Band { by: Feature::Height, up_to: Some(height), ..bands[0] };
            bands.extend(rest);
            best = (low_cost + cost, bands);
        }
    }
    Some(best.1)
}

/// A band for each shape of windows that are at least and at most so high, where any was measured;
/// `even` is the share of views spread over them all.
fn shape_cells(boxes: &[&Boxed], heights: (f64, f64), even: f64) -> Vec<Option<Band>> {
    let edges = SHAPES.map(value);
    let shape = |one: &Boxed| one.window.0 / one.window.1;
    let even = even / (edges.len() + 1) as f64;
    let cells = (0..=edges.len()).map(|at| {
        let from = at.checked_sub(1).map_or(0.0, |before| edges[before]);
        let up_to = edges.get(at).copied();
        let within = boxes.iter().filter(|one| {
            // Windows are whole pixels: one on an edge is of both sides.
            shape(one) >= from * 0.996
                && shape(one) <= up_to.unwrap_or(f64::MAX) * 1.004
                && one.window.1 >= heights.0
                && one.window.1 <= heights.1
        });
        let views = share(|screen| {
            let (width, height) = (f64::from(screen.width), f64::from(screen.height));
            let shape = width / height;
            shape > from
                && up_to.is_none_or(|up_to| shape <= up_to)
                && height > heights.0
                && height <= heights.1
        });
        Bounds::of(within.map(|one| ratio(one))).map(|bounds| Band {
            by: Feature::Shape,
            up_to,
            bounds,
            weight: views + even,
        })
    });
    cells.collect()
}

/// The bands of a box that does not follow the window's height. Widths between which its ratio
/// changes suddenly are added to `missing`, until the change is known to the pixel.
pub(super) fn by_width(boxes: &[&Boxed], missing: &mut BTreeSet<u32>) -> Vec<Band> {
    // Windows narrower or wider than those of the sweep have no band of their own: their boxes count
    // for the first and the last.
    let swept = || boxes.iter().filter(|one| one.of == Window::Swept).map(|one| one.window.0);
    let (least, most) = swept()
        .fold((f64::MAX, 0.0_f64), |(least, most), width| (least.min(width), most.max(width)));
    let beyond = |outside: fn(f64, f64) -> bool, edge: f64| {
        let of = boxes.iter().filter(|one| outside(one.window.0, edge)).map(|one| ratio(one));
        Bounds::of(of)
    };
    let (below, above) =
        (beyond(|width, edge| width < edge, least), beyond(|width, edge| width > edge, most));
    let mut order: Vec<&Boxed> =
        boxes.iter().copied().filter(|one| one.window.0 >= least && one.window.0 <= most).collect();
    order.sort_by(|one, other| one.window.0.total_cmp(&other.window.0));
    let mut cells = cells(&order, missing);
    if let (Some(first), Some(below)) = (cells.first_mut(), below) {
        first.bounds = first.bounds.with(below);
    }
    if let Some(last) = cells.last_mut() {
        last.up_to = None;
        last.bounds = above.map_or(last.bounds, |above| last.bounds.with(above));
    }
    joined(&cells, MAX_BANDS).1
}

/// A band for each width of boxes in rising order of width, with the windows since the one before.
fn cells(order: &[&Boxed], missing: &mut BTreeSet<u32>) -> Vec<Band> {
    let span = match (order.first(), order.last()) {
        (Some(first), Some(last)) if last.window.0 > first.window.0 => {
            (last.window.0 / first.window.0).ln()
        }
        _ => 1.0,
    };
    let mut cells: Vec<Band> = Vec::new();
    let mut before: Option<&Boxed> = None;
    for one in order {
        let own = Bounds { low: ratio(one), high: ratio(one) };
        let width = one.window.0;
        let from = before.map_or(0.0, |known| known.window.0);
        let jumps = before.is_some_and(|known| (ratio(known) / ratio(one) - 1.0).abs() > JUMP);
        // Beyond what is swept, a sudden change cannot be found.
        if jumps && width - from > 1.0 && width - from <= MAX_GAP {
            missing.insert((width - (width - from) / 2.0).floor() as u32);
        }
        let bounds = match before {
            // Windows between the two have ratios between theirs.
            Some(known) if !jumps || width - from > 1.0 => {
                own.with(Bounds { low: ratio(known), high: ratio(known) })
            }
            _ => own,
        };
        match cells.last_mut().filter(|last| last.up_to == Some(width)) {
            Some(last) => last.bounds = last.bounds.with(bounds),
            None => {
                let views = share(|screen| (from..=width).contains(&f64::from(screen.width)));
                // Each doubling of the width counts as much.
                let even = before.map_or(0.0, |known| (width / known.window.0).ln() / span);
                cells.push(Band {
                    by: Feature::Width,
                    up_to: Some(width),
                    bounds,
                    weight: views + EVEN * even,
                });
            }
        }
        before = Some(one);
    }
    cells
}

/// The share of views on the screens that fit. The devices of checks count beside the population:
/// their windows fill the screen.
fn share(fits: impl Fn(&Screen) -> bool) -> f64 {
    let screens = &Population::assumed().screens;
    let views: f64 = screens.iter().filter(|screen| fits(screen)).map(|screen| screen.share).sum();
    let whole = DEVICES.iter().filter(|device| {
        fits(&Screen {
            width: device.width,
            height: device.height,
            density: device.density,
            share: 0.0,
        })
    });
    views + WHOLE_SCREEN * whole.count() as f64
}

/// The partition of cells into at most `most` bands that sends the fewest pixels beyond what is shown,
/// where each band costs as much as [`WORTH`] of all views; and what it costs.
fn joined(cells: &[Band], most: usize) -> (f64, Vec<Band>) {
    let count = cells.len();
    // costs[bands][end]: the least for the cells before `end`, and where the last band begins.
    let mut costs = vec![vec![(f64::INFINITY, 0); count + 1]; most + 1];
    costs[0][0] = (0.0, 0);
    for bands in 1..=most {
        for end in 1..=count {
            let mut bounds = cells[end - 1].bounds;
            for start in (0..end).rev() {
                bounds = bounds.with(cells[start].bounds);
                let excess = |cell: &Band| cell.weight * (bounds.excess(cell.bounds) - 1.0);
                let own: f64 = cells[start..end].iter().map(excess).sum();
                let cost = costs[bands - 1][start].0 + own + WORTH;
                if cost < costs[bands][end].0 {
                    costs[bands][end] = (cost, start);
                }
            }
        }
    }
    let best = (1..=most)
        .min_by(|one, other| costs[*one][count].0.total_cmp(&costs[*other][count].0))
        .unwrap_or(1);
    let mut bands = Vec::new();
    let mut end = count;
    for number in (1..=best).rev() {
        let start = costs[number][end].1;
        let Some(bounds) = cells[start..end].iter().map(|cell| cell.bounds).reduce(Bounds::with)
        else {
            break;
        };
        let weight = cells[start..end].iter().map(|cell| cell.weight).sum();
        bands.push(Band { bounds, weight, ..cells[end - 1] });
        end = start;
    }
    bands.reverse();
    (costs[best][count].0, bands)
}

/// A ratio in small whole numbers that `holds`.
pub(super) fn fraction(ratio: f64, holds: impl Fn(f64) -> bool) -> String {
    let parts = (1..=400_u32).flat_map(|down| {
        let across = (ratio * f64::from(down)).round();
        [across, across - 1.0, across + 1.0].map(|across| (across.max(1.0), down))
    });
    let error = |(across, down): &(f64, u32)| (across / f64::from(*down) / ratio - 1.0).abs();
    let parts = parts.filter(|(across, down)| holds(across / f64::from(*down)));
    let (across, down) = parts
        .clone()
        .find(|part| error(part) < 0.004)
        .or_else(|| parts.min_by(|one, other| error(one).total_cmp(&error(other))))
        .unwrap_or((1.0, 1));
    format!("{across}/{down}")
}
