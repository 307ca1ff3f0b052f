//! What is wrong with a page on a device, what it costs, and how to fix it: one file per theme,
//! each a function from an [`Observation`] to findings.

mod alt;
mod code;
mod delivery;
mod hints;
mod largest;
mod loading;
mod pixels;
mod room;
mod sizes;
mod stacked;

pub use code::Code;
pub(crate) use pixels::placement;
use serde::{Deserialize, Serialize};

use crate::observation::{Element, Observation, Use};

/// One thing a check has to say about one page on one device.
#[derive(Clone, Debug, PartialEq)]
pub struct Finding {
    /// What kind of thing.
    pub code: Code,
    /// Where.
    pub element: Element,
    /// The picture or resource it is about; empty if it is the element itself.
    pub url: String,
    /// What it costs on this device.
    pub cost: Cost,
    /// What was seen, in a sentence.
    pub why: String,
    /// What fixes it.
    pub fix: Fix,
}

/// What fixes a finding. What several findings ask of one element is put together once all devices
/// have spoken.
#[derive(Clone, Debug, PartialEq)]
pub enum Fix {
    /// Attributes of the element: a value sets one, `None` takes it away.
    Attributes(Vec<(String, Option<String>)>),
    /// Renditions that fit each screen.
    Renditions,
    /// `sizes` as the layout is.
    Sizes,
    /// A preload of what the element shows, which is at this address now.
    Preload(String),
    /// Markup or CSS elsewhere, a header, or what to do.
    Words(String),
}

impl Fix {
    fn set(name: &str, value: impl Into<String>) -> Self {
        Self::Attributes(vec![(name.to_owned(), Some(value.into()))])
    }

    fn remove(name: &str) -> Self {
        Self::Attributes(vec![(name.to_owned(), None)])
    }

    fn all(changes: &[(&str, Option<String>)]) -> Self {
        let owned = changes.iter().map(|(name, value)| ((*name).to_owned(), value.clone()));
        Self::Attributes(owned.collect())
    }

    fn words(text: impl Into<String>) -> Self {
        Self::Words(text.into())
    }
}

/// What a finding costs.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Cost {
    /// Bytes sent in vain.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub bytes: Option<u64>,
    /// Milliseconds lost.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ms: Option<f64>,
}

impl Cost {
    const NONE: Self = Self { bytes: None, ms: None };

    const fn bytes(bytes: u64) -> Self {
        Self { bytes: Some(bytes), ms: None }
    }

    const fn ms(ms: Option<f64>) -> Self {
        Self { bytes: None, ms }
    }
}

/// All findings on one page and device, by code.
pub fn findings(page: &Observation) -> Vec<Finding> {
    let themes = [
        pixels::findings,
        room::findings,
        alt::findings,
        largest::findings,
        loading::findings,
        sizes::findings,
        hints::findings,
        stacked::findings,
        delivery::findings,
    ];
    let mut found: Vec<Finding> = themes.iter().flat_map(|theme| theme(page)).collect();
    found.sort_by(|a, b| (a.code, &a.element.path).cmp(&(b.code, &b.element.path)));
    // What cannot be known without a browser is not guessed at.
    let unknown: Vec<&str> = page
        .uses
        .iter()
        .filter(|place| place.unknown)
        .map(|place| place.element.path.as_str())
        .collect();
    found.retain(|one| !one.code.is_of_layout() || !unknown.contains(&one.element.path.as_str()));
    // What a service is still at work on is not the page's waste.
    let early: Vec<&str> = page
        .requests
        .iter()
        .filter(|request| request.not_final)
        .map(|request| request.url.as_str())
        .collect();
    found.retain(|one| !one.code.is_of_bytes() || !early.contains(&one.url.as_str()));
    // Wrong sizes blur a picture, and say so themselves.
    let ill_sized: Vec<String> = found
        .iter()
        .filter(|one| matches!(one.code, Code::SizesWrong | Code::SizesMissing))
        .map(|one| one.element.path.clone())
        .collect();
    found.retain(|one| one.code != Code::TooFewPixels || !ill_sized.contains(&one.element.path));
    // A picture that does not load has one thing to say for itself.
    let broken: Vec<String> = found
        .iter()
        .filter(|one| one.code == Code::BrokenPicture)
        .map(|one| one.element.path.clone())
        .collect();
    found.retain(|one| {
        one.code == Code::BrokenPicture
            || one.code == Code::AltMissing
            || !broken.contains(&one.element.path)
    });
    found
}

impl Finding {
    /// A finding about one use of a picture.
    fn at(code: Code, place: &Use, cost: Cost, why: String, fix: Fix) -> Self {
        Self { code, element: place.element.clone(), url: place.url.clone(), cost, why, fix }
    }
}

/// A rounded number of CSS pixels for sentences.
fn px(value: f64) -> String {
    format!("{}", value.round())
}

/// Bytes for sentences.
fn size(bytes: u64) -> String {
    kivet_recipe::Bytes::new(bytes).to_string()
}

/// The last part of an address, for sentences.
pub(crate) fn name(url: &str) -> &str {
    let path = url.split(['?', '#']).next().unwrap_or(url);
    path.rsplit('/').find(|part| !part.is_empty()).unwrap_or(url)
}

#[cfg(test)]
mod tests;
