//! Places and rules drawn from how a browser laid a site's pages out.
//!
//! Pictures that are laid out alike, to the same share of the window and with the same crop, become
//! one place with a readable name; the selectors, pages and files that tell them apart become rules.

mod bands;
mod group;
mod layout;
mod loading;
mod name;
mod natural;
mod rules;
mod sample;
mod select;
#[cfg(test)]
mod tests;
mod write;

use std::collections::BTreeSet;

pub use sample::sample;
use serde::Deserialize;
pub use write::toml;

pub use crate::observation::Boxed;
use crate::{
    DEVICES, PlaceDocument,
    observation::{Ancestor, Element, Role, Window},
    rules::{Dimensions, Of, RuleDocument},
};

/// A page as a browser laid it out.
#[derive(Clone, Debug, Default)]
pub struct SeenPage {
    /// Its path in its site.
    pub path: String,
    /// Its source.
    pub source: Vec<u8>,
    /// Its pictures in document order.
    pub pictures: Vec<SeenPicture>,
    /// Frames that begin below the first screen on every device.
    pub late_embeds: usize,
}

/// A picture as it was laid out.
#[derive(Clone, Debug, Default)]
pub struct SeenPicture {
    /// Its element.
    pub element: Element,
    /// Elements around it, closest first.
    pub ancestors: Vec<Ancestor>,
    /// An `img` or a background.
    pub role: Role,
    /// Its address, as written on the page or in the stylesheet.
    pub address: String,
    /// The path of its file in the site, or its whole address on another host.
    pub file: String,
    /// The URL of a file that it shows.
    pub url: String,
    /// Width and height of that file in pixels.
    pub natural: (f64, f64),
    /// Width over height of its file; `None` if it is unknown.
    pub ratio: Option<f64>,
    /// True if it is a drawing, which needs no pixels.
    pub vector: bool,
    /// CSS `object-fit` or `background-size`.
    pub fit: String,
    /// CSS `object-position` or `background-position`.
    pub position: String,
    /// True if `fit` and `position` are the same at every window.
    pub steady: bool,
    /// Its box at many windows.
    pub samples: Vec<Boxed>,
    /// How each device shows it.
    pub devices: Vec<OnDevice>,
    /// The markup that leaves its box as it is.
    pub trial: Trial,
}

impl SeenPicture {
    /// True if it has a box at none of the windows.
    pub(crate) fn is_never_shown(&self) -> bool {
        self.samples.iter().all(|one| one.size.0 < 1.0 || one.size.1 < 1.0)
    }
}

/// The markup that leaves the box of a picture as it is, to the pixel.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
pub struct Trial {
    /// A `srcset` with `sizes`, no `width` and `height`.
    pub plain: bool,
    /// The same with true `width` and `height`.
    pub sized: bool,
    /// The same with `height: auto`.
    pub scaled: bool,
    /// A `picture` element without a box around it.
    pub wrapped: bool,
}

impl Trial {
    /// A trial that everything passed.
    pub const PASSED: Self = Self { plain: true, sized: true, scaled: true, wrapped: true };

    /// The markup that passes both.
    pub const fn and(self, other: Self) -> Self {
        Self {
            plain: self.plain && other.plain,
            sized: self.sized && other.sized,
            scaled: self.scaled && other.scaled,
            wrapped: self.wrapped && other.wrapped,
        }
    }

    /// The `width` and `height` to write; `None` if every markup changes the box.
    pub const fn dimensions(self) -> Option<Dimensions> {
        match self {
            Self { sized: true, .. } => Some(Dimensions::Write),
            Self { scaled: true, .. } => Some(Dimensions::Scale),
            Self { plain: true, .. } => Some(Dimensions::Keep),
            _ => None,
        }
    }
}

impl Default for Trial {
    fn default() -> Self {
        Self::PASSED
    }
}

/// How a device shows a picture.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct OnDevice {
    /// Part of it is seen before anybody scrolls.
    pub in_view: bool,
    /// It lies in the first screen and is not seen there.
    pub hidden: bool,
    /// It is the largest paint.
    pub largest: bool,
    /// It is laid out at all.
    pub rendered: bool,
}

/// What was learnt.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Learnt {
    /// The places with their names and what they were drawn from.
    pub places: Vec<(String, PlaceDocument, String)>,
    /// The rules, and what each was drawn from.
    pub rules: Vec<(RuleDocument, String)>,
    /// What a person has to look at.
    pub notes: Vec<String>,
}

impl Learnt {
    /// The same with names of places that say which site they are from, so that they replace no place
    /// of another.
    pub fn of_site(mut self, site: &str) -> Self {
        const MAX_CHARACTERS: usize = 12;
        let site: String = name::name(site).chars().take(MAX_CHARACTERS).collect();
        let site = site.trim_end_matches('-');
        let named = |place: &str| match place.strip_prefix(site) {
            Some(rest) if rest.is_empty() || rest.starts_with('-') => place.to_owned(),
            _ => format!("{site}-{place}"),
        };
        for (name, _, _) in &mut self.places {
            *name = named(name);
        }
        for (rule, _) in &mut self.rules {
            rule.place = rule.place.as_deref().map(named);
        }
        self
    }
}

/// Draws places and rules from a site's pages.
pub fn learn(pages: &[SeenPage]) -> Learnt {
    let grouped = group::grouped(pages);
    let mut learnt = Learnt { places: grouped.places(), ..Learnt::default() };
    learnt.rules = rules::rules(pages, &grouped);
    let untold = rules::corrected(pages, &grouped, &mut learnt);
    learnt.notes = grouped.notes;
    learnt.notes.extend(untold);
    learnt.notes.extend(pages.iter().filter_map(wider_than_phones));
    learnt
}

/// Says how many pictures of pages that were not visited no rule is for.
pub fn without_rule(learnt: &Learnt, unvisited: &[(String, Vec<u8>)]) -> Option<String> {
    let rules = rules::document(learnt).checked().ok()?;
    let missed = unvisited.iter().filter_map(|(path, source)| {
        let found = crate::rewrite::scan(source, &rules).ok()?;
        let wanted = crate::rewrite::plan(source, &found, &rules, path);
        let none = crate::rewrite::Fate::Stays(crate::rewrite::Stays::NoRule);
        let count = wanted.iter().filter(|one| one.of == Of::Picture && one.fate == none).count();
        (count > 0).then_some((path, count))
    });
    let missed: Vec<(&String, usize)> = missed.collect();
    let (first, _) = missed.first()?;
    let all: usize = missed.iter().map(|(_, count)| count).sum();
    Some(format!(
        "{all} pictures on {} of {} pages that were not visited get no rule, such as on {first}",
        missed.len(),
        unvisited.len()
    ))
}

/// Says that phones lay a page out wider than they are, which they notice only after they have chosen
/// its pictures.
fn wider_than_phones(page: &SeenPage) -> Option<String> {
    let phone = f64::from(DEVICES.iter().map(|device| device.width).min()?);
    let boxes = page.pictures.iter().flat_map(|picture| &picture.samples);
    let widths = boxes.filter(|one| one.of == Window::Device).map(|one| one.window.0);
    let least = widths.min_by(f64::total_cmp).filter(|least| *least > phone)?;
    Some(format!(
        "{}: phones lay it out {least} px wide and fetch pictures twice, first for their own width; it lacks <meta name=\"viewport\" content=\"width=device-width\">, or something on it is wider than they are",
        page.path
    ))
}

/// The place of one picture alone; `None` if it is shown nowhere. Widths at which it must still be
/// measured are added to `missing`.
pub fn place_of(picture: &SeenPicture, missing: &mut BTreeSet<u32>) -> Option<PlaceDocument> {
    drawn(picture, missing)
}

fn drawn(picture: &SeenPicture, missing: &mut BTreeSet<u32>) -> Option<PlaceDocument> {
    match natural::Container::of(picture) {
        Some(container) => Some(container.place(missing)),
        None => layout::layout(picture, missing),
    }
}

/// The windows of other heights and shapes at which pictures must be measured that are cropped.
pub fn shapes() -> Vec<(u32, u32)> {
    bands::shapes()
}

/// Widths of the window at which a page must still be measured, so that media conditions are exact
/// to the pixel.
pub fn missing(page: &SeenPage) -> BTreeSet<u32> {
    let mut missing = BTreeSet::new();
    for picture in &page.pictures {
        drawn(picture, &mut missing);
    }
    missing
}
