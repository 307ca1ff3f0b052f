//! Places and rules drawn from how a browser laid a site's pages out.
//!
//! Pictures that are laid out alike, to the same share of the window and with the same crop, become
//! one place with a readable name; the selectors, pages and files that tell them apart become rules.

mod group;
mod layout;
mod loading;
mod rules;
mod shape;
#[cfg(test)]
mod tests;
mod write;

use std::collections::BTreeSet;

pub use write::toml;

pub use crate::observation::Boxed;
use crate::{
    DEVICES, PlaceDocument,
    observation::{Ancestor, Element, Role},
    rules::RuleDocument,
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
    /// Width over height of its file; `None` if nobody could tell.
    pub ratio: Option<f64>,
    /// True if it is a drawing, which needs no pixels.
    pub vector: bool,
    /// CSS `object-fit` or `background-size`.
    pub fit: String,
    /// CSS `object-position` or `background-position`.
    pub position: String,
    /// Its box at many windows.
    pub samples: Vec<Boxed>,
    /// How each device shows it.
    pub devices: Vec<OnDevice>,
    /// True if true `width` and `height` attributes change no box.
    pub dimensions: bool,
    /// True if a `picture` element around it changes no box.
    pub wraps: bool,
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

/// Draws places and rules from a site's pages.
pub fn learn(pages: &[SeenPage]) -> Learnt {
    let grouped = group::grouped(pages);
    let mut learnt = Learnt { places: grouped.places(), ..Learnt::default() };
    learnt.rules = rules::rules(pages, &grouped);
    learnt.notes = rules::corrected(pages, &grouped, &mut learnt);
    learnt.notes.extend(pages.iter().filter_map(wider_than_phones));
    learnt
}

/// Says that phones lay a page out wider than they are, which they notice only after they have chosen
/// its pictures.
fn wider_than_phones(page: &SeenPage) -> Option<String> {
    let phone = f64::from(DEVICES.iter().map(|device| device.width).min()?);
    let boxes = page.pictures.iter().flat_map(|picture| &picture.samples);
    let widths = boxes.filter(|one| !one.swept).map(|one| one.window.0);
    let least = widths.min_by(f64::total_cmp).filter(|least| *least > phone)?;
    Some(format!(
        "{}: phones lay it out {least} px wide and fetch pictures twice, first for their own width; it lacks <meta name=\"viewport\" content=\"width=device-width\">, or something on it is wider than they are",
        page.path
    ))
}

/// The place of one picture alone; `None` if it is shown nowhere. Widths at which it must still be
/// measured are added to `missing`.
pub fn place_of(picture: &SeenPicture, missing: &mut BTreeSet<u32>) -> Option<PlaceDocument> {
    layout::layout(picture, missing)
}

/// Widths of the window at which a page must still be measured, so that media conditions are exact
/// to the pixel.
pub fn missing(page: &SeenPage) -> BTreeSet<u32> {
    let mut missing = BTreeSet::new();
    for picture in &page.pictures {
        layout::layout(picture, &mut missing);
    }
    missing
}
