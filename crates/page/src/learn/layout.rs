//! What a place must say of one picture: how wide it is shown, and how it is cropped.

use std::collections::BTreeSet;

use super::{Boxed, SeenPicture};
use crate::{
    AlternativeDocument, PlaceDocument, Sample, fit_sizes,
    observation::{Area, Covering, Placement},
};

/// Ratios that differ by less are the same.
const ALIKE: f64 = 0.02;

/// A step of the sweep at which a ratio changes by more is where the layout changes.
const JUMP: f64 = 0.12;

/// The place of a picture alone; `None` if it is shown nowhere. Widths at which it must still be
/// measured are added to `missing`.
pub(super) fn layout(picture: &SeenPicture, missing: &mut BTreeSet<u32>) -> Option<PlaceDocument> {
    let shown: Vec<&Boxed> =
        picture.samples.iter().filter(|one| one.size.0 >= 1.0 && one.size.1 >= 1.0).collect();
    if shown.is_empty() {
        return None;
    }
    let natural = picture.ratio.unwrap_or(1.0);
    let cropped = covers(&picture.fit)
        && !picture.vector
        && picture.ratio.is_some()
        && shown.iter().any(|one| !alike(ratio(one), natural));
    let fit = Fitter { picture, shown };
    if !cropped {
        let sizes = fit.sizes(|one| drawn(picture, one, natural), |_| true, missing)?;
        return Some(PlaceDocument::of_sizes(&sizes));
    }
    let position = position(&picture.position);
    let (least, most) = fit
        .shown
        .iter()
        .map(|one| ratio(one))
        .fold((f64::MAX, 0.0_f64), |(least, most), one| (least.min(one), most.max(one)));
    if alike(least, most) {
        let sizes = fit.sizes(|one| one.size.0, |_| true, missing)?;
        let ratio = Some(fraction((least * most).sqrt()));
        return Some(PlaceDocument { ratio, position, ..PlaceDocument::of_sizes(&sizes) });
    }
    if !picture.wraps {
        // Without sources for each shape of the window, all of the picture is sent.
        let sizes = fit.sizes(|one| one.size.0.max(one.size.1 * natural), |_| true, missing)?;
        return Some(PlaceDocument::of_sizes(&sizes));
    }
    fit.banded(position, missing)
}

struct Fitter<'a> {
    picture: &'a SeenPicture,
    shown: Vec<&'a Boxed>,
}

/// A range of window widths with one crop.
struct Band {
    /// The last width; `None` for the widest.
    up_to: Option<f64>,
    ratio: f64,
}

impl Fitter<'_> {
    fn swept(&self) -> impl Iterator<Item = &Boxed> {
        self.shown.iter().copied().filter(|one| one.swept)
    }

    /// `sizes` for what `width` says of each box of the sweep within `range`.
    fn sizes(
        &self,
        width: impl Fn(&Boxed) -> f64,
        range: impl Fn(f64) -> bool,
        missing: &mut BTreeSet<u32>,
    ) -> Option<String> {
        let samples: Vec<Sample> = self
            .swept()
            .filter(|one| range(one.window.0))
            .map(|one| Sample { viewport: one.window.0, shown: width(one) })
            .collect();
        let measure = |viewport: f64| {
            let known =
                self.picture.samples.iter().find(|one| one.swept && one.window.0 == viewport);
            if known.is_none() {
                missing.insert(viewport as u32);
            }
            known.map(&width).filter(|width| *width > 0.0)
        };
        fit_sizes(&samples, measure)
    }

    /// A layout for each device whose crop differs from the next one's.
    fn banded(
        &self,
        position: Option<String>,
        missing: &mut BTreeSet<u32>,
    ) -> Option<PlaceDocument> {
        let bands = self.bands();
        let mut layouts = Vec::new();
        let mut from = 0.0;
        for band in &bands {
            let to = band.up_to.unwrap_or(f64::MAX);
            let within = |viewport: f64| viewport > from && viewport <= to;
            // Where the box is taller than the crop, the crop is scaled up to cover it.
            let follows_height = self.follows_height();
            let width = |one: &Boxed| {
                let over = if follows_height { 0.0 } else { one.size.1 * band.ratio };
                one.size.0.max(over)
            };
            layouts.push((band, self.sizes(width, within, missing)?));
            from = to;
        }
        let (last, sizes) = layouts.pop()?;
        let alternatives = layouts.into_iter().map(|(band, sizes)| AlternativeDocument {
            media: format!("(max-width: {}px)", band.up_to.unwrap_or_default()),
            sizes: Some(sizes),
            ratio: Some(fraction(band.ratio)),
            ..AlternativeDocument::default()
        });
        Some(PlaceDocument {
            ratio: Some(fraction(last.ratio)),
            position,
            alternatives: alternatives.collect(),
            ..PlaceDocument::of_sizes(&sizes)
        })
    }

    fn bands(&self) -> Vec<Band> {
        let mut devices: Vec<&Boxed> =
            self.shown.iter().copied().filter(|one| !one.swept).collect();
        devices.sort_by(|one, other| one.window.0.total_cmp(&other.window.0));
        let mut bands: Vec<Band> = Vec::new();
        let mut before: Option<&Boxed> = None;
        for device in devices {
            match (before, bands.last_mut()) {
                (Some(_), Some(band)) if alike(band.ratio, ratio(device)) => {}
                (Some(before), Some(band)) => {
                    band.up_to = Some(self.border(before.window.0, device.window.0));
                    bands.push(Band { up_to: None, ratio: ratio(device) });
                }
                _ => bands.push(Band { up_to: None, ratio: ratio(device) }),
            }
            before = Some(device);
        }
        bands
    }

    /// Where the layout changes between two widths: at the sweep's largest jump, or half way.
    fn border(&self, from: f64, to: f64) -> f64 {
        let within: Vec<&Boxed> =
            self.swept().filter(|one| one.window.0 >= from && one.window.0 <= to).collect();
        let jump = |pair: &&[&Boxed]| (ratio(pair[1]) / ratio(pair[0]) - 1.0).abs();
        let largest = within.windows(2).max_by(|one, other| jump(one).total_cmp(&jump(other)));
        match largest.filter(|pair| jump(pair) > JUMP) {
            Some(pair) => pair[1].window.0 - 1.0,
            None => (from * to).sqrt().round(),
        }
    }

    /// True if the box is as tall as a share of the window: devices then show another height than
    /// the sweep does at their width.
    fn follows_height(&self) -> bool {
        self.shown.iter().filter(|one| !one.swept).any(|device| {
            let nearest = self.swept().min_by(|one, other| {
                let away = |one: &Boxed| (one.window.0 - device.window.0).abs();
                away(one).total_cmp(&away(other))
            });
            nearest.is_some_and(|near| (near.size.1 / device.size.1 - 1.0).abs() > 0.05)
        })
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

fn covers(fit: &str) -> bool {
    fit == "cover"
}

pub(super) fn ratio(one: &Boxed) -> f64 {
    one.size.0 / one.size.1
}

pub(super) fn alike(one: f64, other: f64) -> bool {
    (one / other - 1.0).abs() < ALIKE
}

/// A ratio in small whole numbers.
pub(super) fn fraction(ratio: f64) -> String {
    let parts = (1..=200_u32).map(|down| ((ratio * f64::from(down)).round().max(1.0), down));
    let error = |(across, down): &(f64, u32)| (across / f64::from(*down) / ratio - 1.0).abs();
    let (across, down) = parts
        .clone()
        .find(|part| error(part) < 0.004)
        .or_else(|| parts.min_by(|one, other| error(one).total_cmp(&error(other))))
        .unwrap_or((1.0, 1));
    format!("{across} / {down}")
}

/// What a crop keeps, unless it is the middle.
fn position(position: &str) -> Option<String> {
    let mut words =
        position.split_ascii_whitespace().map(|word| word.strip_suffix('%')?.parse::<f64>().ok());
    let (across, down) = (words.next()??.round(), words.next()??.round());
    ((across, down) != (50.0, 50.0)).then(|| format!("{across}-{down}"))
}
