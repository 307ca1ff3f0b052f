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
    /// Markup, CSS or a header that fixes it.
    pub fix: String,
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
    fn at(code: Code, place: &Use, cost: Cost, why: String, fix: String) -> Self {
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
fn name(url: &str) -> &str {
    let path = url.split(['?', '#']).next().unwrap_or(url);
    path.rsplit('/').find(|part| !part.is_empty()).unwrap_or(url)
}

#[cfg(test)]
mod tests;
