//! The largest paint: found late, or fetched like any other picture.

use super::{Code, Cost, Finding, Fix, name};
use crate::observation::{Largest, Observation, Request, Role, Started, Use};

/// A picture that fills less of the first screen than this is the largest paint only for want of
/// others.
const LARGE: f64 = 0.05;

pub(super) fn findings(page: &Observation) -> Vec<Finding> {
    let Some(largest) = page.largest.as_ref().filter(|largest| !largest.url.is_empty()) else {
        return Vec::new();
    };
    let Some(place) = page.uses.iter().find(|place| page.is_largest(place)) else {
        return Vec::new();
    };
    let screen = f64::from(page.device.width) * f64::from(page.device.height);
    if place.area.extent() < LARGE * screen || place.url.starts_with("data:") {
        return Vec::new();
    }
    let request = page.request(&place.url);
    let late = found_late(page, largest, place, request);
    let found = late.or_else(|| not_urgent(page, place, largest));
    found.into_iter().collect()
}

/// Where the time went, for sentences.
fn times(largest: &Largest) -> String {
    let (Some(at), Some(split)) = (largest.at_ms, &largest.split) else { return String::new() };
    let mut text = format!(
        "; painted after {at:.0} ms: {:.0} waiting for the page, {:.0} until it was asked for, {:.0} downloading, {:.0} until it was painted",
        split.page_ms, split.discovery_ms, split.download_ms, split.render_ms
    );
    if let Some(by) = &split.blocked_by {
        text += &format!(", held up by {}", name(by));
    }
    text
}

fn found_late(
    page: &Observation,
    largest: &Largest,
    place: &Use,
    request: Option<&Request>,
) -> Option<Finding> {
    if is_preloaded(page, place)
        || request.is_some_and(|request| request.started == Started::Preload)
    {
        return None;
    }
    let element = &place.element;
    let lazy = element.keyword("loading") == "lazy";
    let started = request.map_or(Started::Markup, |request| request.started);
    let held_by =
        element.attributes.keys().any(|name| name.starts_with("data-") && name.contains("src"));
    // A style attribute stands in the markup, but the browser's early reader of it does not look
    // there.
    let reason = if place.role == Role::Background {
        "it is a CSS background, found only when styles are applied"
    } else if lazy {
        "it is lazy, so the browser lays the page out before it asks"
    } else if started == Started::Script || held_by {
        "a script puts it in, so the browser waits for the script"
    } else {
        return None;
    };
    let lost = largest.split.as_ref().map(|split| split.discovery_ms);
    let fix = if place.role == Role::Img && lazy && started != Started::Script {
        Fix::all(&[("loading", None), ("fetchpriority", Some("high".to_owned()))])
    } else {
        Fix::Preload(place.url.clone())
    };
    let why = format!("{} is the largest paint, and {reason}{}", name(&place.url), times(largest));
    Some(Finding::at(Code::LargestFoundLate, place, Cost::ms(lost), why, fix))
}

fn is_preloaded(page: &Observation, place: &Use) -> bool {
    page.hints.iter().any(|hint| hint.rel == "preload" && hint.matches && hint.url == place.url)
}

fn not_urgent(page: &Observation, place: &Use, largest: &Largest) -> Option<Finding> {
    let urgent = |attributes: &str| attributes == "high";
    let hinted = page.hints.iter().any(|hint| {
        hint.rel == "preload"
            && hint.url == place.url
            && urgent(&hint.element.keyword("fetchpriority"))
    });
    if urgent(&place.element.keyword("fetchpriority")) || hinted {
        return None;
    }
    let preload = page
        .hints
        .iter()
        .find(|hint| hint.rel == "preload" && hint.matches && hint.url == place.url);
    let lost = largest.split.as_ref().map(|split| split.discovery_ms);
    let why = format!(
        "{} is the largest paint, and nothing says so to the browser{}",
        name(&place.url),
        times(largest)
    );
    let fix = match preload.filter(|_| place.role != Role::Img) {
        Some(hint) => {
            Fix::Words(hint.element.rewritten(&[("fetchpriority", Some("high".to_owned()))]))
        }
        None => Fix::set("fetchpriority", "high"),
    };
    Some(Finding::at(Code::LargestNotUrgent, place, Cost::ms(lost), why, fix))
}
