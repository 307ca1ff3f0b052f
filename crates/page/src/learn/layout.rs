//! The place of one picture: how wide it is shown at every window, and how it is cropped.

use std::collections::{BTreeMap, BTreeSet};

use super::{
    Boxed, SeenPicture,
    bands::{Band, Bounds, Feature, by_shape, by_width, ratio},
};
use crate::{
    AlternativeDocument, PlaceDocument, Sample, fit_sizes,
    observation::{Area, Covering, Placement, Window},
};

/// Ratios that differ by less are the same.
const ALIKE: f64 = 0.02;

/// A height that differs by more from one window to another of the same width follows the window's.
const FOLLOWS: f64 = 0.02;

/// A line through the heights of boxes may be off by this share of a box.
const ON_LINE: f64 = 0.03;

/// The place of a picture alone; `None` if it is shown nowhere. Widths at which it must still be
/// measured are added to `missing`.
pub(super) fn layout(picture: &SeenPicture, missing: &mut BTreeSet<u32>) -> Option<PlaceDocument> {
    let shown: Vec<&Boxed> =
        picture.samples.iter().filter(|one| one.size.0 >= 1.0 && one.size.1 >= 1.0).collect();
    if shown.is_empty() {
        return None;
    }
    let fit = Fitter { picture, shown };
    let Some(natural) = picture.ratio.filter(|_| covers(&picture.fit)) else {
        let natural = picture.ratio.unwrap_or(1.0);
        let sizes = fit.sizes(|one| drawn(picture, one, natural), |_| true, missing)?;
        return Some(PlaceDocument::of_sizes(&sizes));
    };
    let whole = Band { by: Feature::Width, up_to: None, bounds: fit.bounds()?, weight: 1.0 };
    let is_cut = fit.shown.iter().any(|one| !alike(ratio(one), natural));
    let position = position(&picture.position).filter(|_| picture.steady && !picture.vector);
    let Some(position) = position.filter(|_| is_cut) else {
        // The whole picture, as wide as it is drawn to cover its box.
        let sizes = fit.covering(&Range::whole(), natural, missing)?;
        return Some(PlaceDocument::of_sizes(&sizes));
    };
    let position = Some(position);
    let bands = match (fit.follows_height(), picture.trial.wrapped) {
        // One crop that holds at every window.
        (_, false) => vec![whole],
        (true, true) => by_shape(&fit.shown).unwrap_or_else(|| vec![whole]),
        (false, true) => by_width(&fit.shown, missing),
    };
    fit.banded(&bands, natural, position, missing)
}

/// The windows of one layout of a place.
struct Range {
    by: Feature,
    /// Above this width, height or aspect ratio.
    from: f64,
    /// Up to this one.
    to: f64,
    /// At least so high.
    height: f64,
}

impl Range {
    const fn whole() -> Self {
        Self { by: Feature::Width, from: 0.0, to: f64::MAX, height: 0.0 }
    }

    fn holds(&self, (width, height): (f64, f64)) -> bool {
        let at = match self.by {
            Feature::Width => width,
            Feature::Height => height,
            Feature::Shape => width / height,
        };
        at > self.from && at <= self.to * (1.0 + 1e-9) && height >= self.height
    }
}

struct Fitter<'a> {
    picture: &'a SeenPicture,
    shown: Vec<&'a Boxed>,
}

impl Fitter<'_> {
    fn swept(&self) -> impl Iterator<Item = &Boxed> {
        self.shown.iter().copied().filter(|one| one.of == Window::Swept)
    }

    /// The ratios of all boxes.
    fn bounds(&self) -> Option<Bounds> {
        Bounds::of(self.shown.iter().map(|one| ratio(one)))
    }

    /// `sizes` for the widths that `width` gives for each box of the sweep within `range`.
    fn sizes(
        &self,
        width: impl Fn(&Boxed) -> f64,
        range: impl Fn(f64) -> bool,
        missing: &mut BTreeSet<u32>,
    ) -> Option<String> {
        // Several pictures may have been measured at one window: the widest counts.
        let mut widest: BTreeMap<u32, f64> = BTreeMap::new();
        let all = || self.picture.samples.iter().filter(|one| range(one.window.0));
        let is_swept = |one: &&Boxed| one.of == Window::Swept;
        // A narrow range may hold none of the sweep's windows, but those of devices.
        let swept = all().any(|one| is_swept(&one));
        for one in all().filter(|one| is_swept(one) || !swept) {
            let shown = if one.size.0 >= 1.0 && one.size.1 >= 1.0 { width(one) } else { 0.0 };
            let entry = widest.entry(one.window.0 as u32).or_default();
            *entry = entry.max(shown);
        }
        let samples: Vec<Sample> = widest
            .iter()
            .filter(|(_, shown)| **shown > 0.0)
            .map(|(viewport, shown)| Sample { viewport: f64::from(*viewport), shown: *shown })
            .collect();
        let measure = |viewport: f64| {
            let known = widest.get(&(viewport as u32)).copied();
            if known.is_none() {
                missing.insert(viewport as u32);
            }
            known.filter(|width| *width > 0.0)
        };
        fit_sizes(&samples, measure)
    }

    /// `sizes` for a picture of ratio `crop` that covers its box at the windows in `range`.
    fn covering(&self, range: &Range, crop: f64, missing: &mut BTreeSet<u32>) -> Option<String> {
        let over = |one: &Boxed| one.size.1 * crop;
        let within: Vec<&Boxed> =
            self.shown.iter().copied().filter(|one| range.holds(one.window)).collect();
        let tall = self.follows_height().then(|| by_height(&within, crop)).flatten();
        let tallest = || within.iter().map(|one| over(one)).fold(0.0, f64::max);
        // Low windows are not those of the sweep, whose boxes say nothing of them.
        let low = || (range.by == Feature::Height).then(|| format!("{}px", tallest().round()));
        let widths = |width: f64| range.by != Feature::Width || range.holds((width, f64::MAX));
        let Some(tall) = tall.or_else(low) else {
            return self.sizes(|one| one.size.0.max(over(one)), widths, missing);
        };
        if within.iter().all(|one| over(one) >= one.size.0 * 0.98) {
            return Some(tall);
        }
        let wide = self.sizes(|one| one.size.0, widths, missing)?;
        if within.iter().all(|one| one.size.0 >= over(one) * 0.98) {
            return Some(wide);
        }
        Some(each_length(&wide, |length| format!("max({length}, {tall})")))
    }

    /// A layout for each band of windows. A crop cuts away only what no window of its band shows.
    fn banded(
        &self,
        bands: &[Band],
        natural: f64,
        position: Option<String>,
        missing: &mut BTreeSet<u32>,
    ) -> Option<PlaceDocument> {
        let mut layouts = Vec::new();
        let (mut from, mut height) = (0.0, 0.0);
        for band in bands {
            let to = band.up_to.unwrap_or(f64::MAX);
            let range = Range { by: band.by, from, to, height };
            let Bounds { low, high } = band.bounds;
            layouts.push((band, self.covering(&range, natural.clamp(low, high), missing)?));
            match band.by {
                Feature::Height => height = to,
                Feature::Width | Feature::Shape => from = to,
            }
        }
        let (last, sizes) = layouts.pop()?;
        let alternatives = layouts.into_iter().map(|(band, sizes)| AlternativeDocument {
            media: band.media(),
            sizes: Some(sizes),
            ratio: Some(band.bounds.written()),
            ..AlternativeDocument::default()
        });
        Some(PlaceDocument {
            ratio: Some(last.bounds.written()),
            position,
            alternatives: alternatives.collect(),
            ..PlaceDocument::of_sizes(&sizes)
        })
    }

    /// True if the box is taller in taller windows.
    fn follows_height(&self) -> bool {
        self.shown.iter().filter(|one| one.of != Window::Swept).any(|other| {
            let nearest = self.swept().min_by(|one, another| {
                let away = |one: &Boxed| (one.window.0 - other.window.0).abs();
                away(one).total_cmp(&away(another))
            });
            let near = nearest.filter(|near| {
                (near.window.0 - other.window.0).abs() <= 40.0 && near.window.1 != other.window.1
            });
            // What the width explains is not the height's doing.
            near.is_some_and(|near| {
                let by_width = (near.size.0 / other.size.0 - 1.0).abs();
                (near.size.1 / other.size.1 - 1.0).abs() > FOLLOWS + 2.0 * by_width
            })
        })
    }
}

/// `sizes` as [`fit_sizes`] writes them, with each length changed.
fn each_length(sizes: &str, change: impl Fn(&str) -> String) -> String {
    let mut depth = 0;
    let entries = sizes.split(|c| {
        depth += i32::from(c == '(') - i32::from(c == ')');
        c == ',' && depth == 0
    });
    let changed = entries.map(|entry| match entry.trim().split_once("px) ") {
        Some((condition, length)) if condition.starts_with("(max-width") => {
            format!("{condition}px) {}", change(length))
        }
        _ => change(entry.trim()),
    });
    changed.collect::<Vec<_>>().join(", ")
}

/// How wide a picture of ratio `crop` is that is as high as its box, as a CSS length: a line through
/// the heights of windows, between a least and a largest height of the box; `None` if there is no
/// such line.
fn by_height(boxes: &[&Boxed], crop: f64) -> Option<String> {
    if let Some((share, pixels)) = height_line(boxes) {
        return Some(length_of_height(share * crop, pixels * crop));
    }
    let heights = || boxes.iter().map(|one| one.size.1);
    let bounds =
        [("min", heights().fold(0.0, f64::max)), ("max", heights().fold(f64::MAX, f64::min))];
    bounds.into_iter().find_map(|(function, bound)| {
        let free: Vec<&Boxed> =
            boxes.iter().copied().filter(|one| (one.size.1 / bound - 1.0).abs() > 0.01).collect();
        let (share, pixels) = height_line(&free)?;
        let at = |window: f64| {
            let height = share * window + pixels;
            if function == "min" { height.min(bound) } else { height.max(bound) }
        };
        let fits =
            boxes.iter().all(|one| (at(one.window.1) - one.size.1).abs() <= ON_LINE * one.size.1);
        let line = length_of_height(share * crop, pixels * crop);
        fits.then(|| format!("{function}({line}, {}px)", (bound * crop).round()))
    })
}

/// The heights of boxes as a share of the window's height and pixels beside, by least squares;
/// `None` if they lie on no line.
fn height_line(boxes: &[&Boxed]) -> Option<(f64, f64)> {
    let count = boxes.len() as f64;
    let mean = |value: fn(&Boxed) -> f64| boxes.iter().map(|one| value(one)).sum::<f64>() / count;
    let (window, height) = (mean(|one| one.window.1), mean(|one| one.size.1));
    let spread: f64 = boxes.iter().map(|one| (one.window.1 - window).powi(2)).sum();
    let both: f64 = boxes.iter().map(|one| (one.window.1 - window) * (one.size.1 - height)).sum();
    let share = both / spread;
    let share = if share.is_finite() { (share * 200.0).round() / 200.0 } else { return None };
    let pixels = (height - share * window).round();
    let fits = boxes
        .iter()
        .all(|one| (share * one.window.1 + pixels - one.size.1).abs() <= ON_LINE * one.size.1);
    (fits && share > 0.0).then_some((share, pixels))
}

/// A share of the window's height and pixels beside, as a CSS length.
fn length_of_height(share: f64, pixels: f64) -> String {
    let (share, pixels) = ((share * 1000.0).round() / 10.0, pixels.round());
    match pixels {
        0.0 => format!("{share}vh"),
        pixels if pixels < 0.0 => format!("calc({share}vh - {}px)", -pixels),
        pixels => format!("calc({share}vh + {pixels}px)"),
    }
}

/// How wide the whole picture is drawn in its box.
fn drawn(picture: &SeenPicture, one: &Boxed, natural: f64) -> f64 {
    let area = Area { width: one.size.0, height: one.size.1, ..Area::default() };
    if area.is_empty() || picture.ratio.is_none() {
        return one.size.0;
    }
    let placed = Placement::new((natural * 1000.0, 1000.0), area, area, &picture.fit, "50% 50%");
    // A tile's own size decides how large it is drawn.
    if placed.covering == Covering::Piece { one.size.0 } else { placed.drawn.width }
}

pub(super) fn covers(fit: &str) -> bool {
    fit == "cover"
}

pub(super) fn alike(one: f64, other: f64) -> bool {
    (one / other - 1.0).abs() < ALIKE
}

/// The page's own position as a place has it; `None` where it is not in whole percent, so that no
/// crop leaves it as it is.
fn position(position: &str) -> Option<String> {
    let percent = |word: &str| {
        let value =
            if word == "0px" { 0.0 } else { word.strip_suffix('%')?.parse::<f64>().ok()? };
        (value.fract() == 0.0 && (0.0..=100.0).contains(&value)).then_some(value)
    };
    let mut words = position.split_ascii_whitespace();
    let (across, down) = (percent(words.next()?)?, percent(words.next()?)?);
    Some(match (across, down) {
        (50.0, 50.0) => "center".to_owned(),
        (across, down) => format!("{across}-{down}"),
    })
}
