//! What is fetched at once and what waits.

use super::{Code, Cost, Finding, Fix, name, px};
use crate::observation::{Observation, Role, Use};

/// Fewer bytes than this do not compete with anything.
const MIN_BYTES: u64 = 1_500;

/// A background below the first screen must weigh this much to be worth another way of writing it.
const MIN_BACKGROUND: u64 = 10_000;

/// Pictures this share of a screen below the first are met at the first turn of the wheel; those
/// this near its end are hardly seen before.
const MARGIN: f64 = 0.1;

pub(super) fn findings(page: &Observation) -> Vec<Finding> {
    let mut found = several_urgent(page);
    let mut told: Vec<&str> = Vec::new();
    for place in &page.uses {
        let one = lazy_above(page, place)
            .or_else(|| hidden(page, place))
            .or_else(|| eager_below(page, place));
        // A picture is fetched once, however many slides show it; and one that is in view somewhere
        // has to be.
        let Some(one) = one else { continue };
        let seen = page.uses.iter().any(|other| other.url == place.url && other.in_view);
        if one.code == Code::LazyAbove || (!seen && !told.contains(&place.url.as_str())) {
            told.push(&place.url);
            found.push(one);
        }
    }
    found
}

fn several_urgent(page: &Observation) -> Vec<Finding> {
    let asked = |url: &str| page.request(url).is_some();
    let hints = page
        .hints
        .iter()
        .filter(|hint| {
            hint.rel == "preload" && hint.matches && hint.element.keyword("as") == "image"
        })
        .map(|hint| (&hint.element, hint.url.as_str()));
    let uses = page
        .uses
        .iter()
        .filter(|place| place.role == Role::Img)
        .map(|place| (&place.element, place.url.as_str()));
    let mut urgent: Vec<_> = Vec::new();
    for (element, url) in uses.chain(hints) {
        if element.keyword("fetchpriority") == "high"
            && asked(url)
            && !urgent.iter().any(|(_, known)| *known == url)
        {
            urgent.push((element, url));
        }
    }
    if urgent.len() < 2 {
        return Vec::new();
    }
    let largest = page.largest.as_ref().map_or("", |largest| largest.url.as_str());
    let keeps = urgent.iter().position(|(_, url)| *url == largest).unwrap_or(0);
    let others = urgent.iter().enumerate().filter(|(at, _)| *at != keeps);
    let count = urgent.len();
    others
        .map(|(_, (element, url))| Finding {
            code: Code::SeveralUrgent,
            element: (*element).clone(),
            url: (*url).to_owned(),
            cost: page.request(url).map_or(Cost::NONE, |request| Cost::bytes(request.bytes)),
            why: format!(
                "{count} pictures are marked urgent; {} is not the largest paint",
                name(url)
            ),
            fix: Fix::remove("fetchpriority"),
        })
        .collect()
}

fn is_lazy(place: &Use) -> bool {
    place.element.keyword("loading") == "lazy"
}

fn lazy_above(page: &Observation, place: &Use) -> Option<Finding> {
    let seen_from = f64::from(page.device.height) * (1.0 - MARGIN);
    if place.role != Role::Img
        || !place.in_view
        || !is_lazy(place)
        || place.area.is_empty()
        || place.area.y > seen_from
    {
        return None;
    }
    let lost = page
        .largest
        .as_ref()
        .filter(|_| page.is_largest(place))
        .and_then(|largest| largest.split.as_ref());
    let lost = lost.map(|split| split.discovery_ms);
    let why = format!(
        "{} is in the first screen, {} px from the top, and lazy",
        name(&place.url),
        px(place.area.y)
    );
    Some(Finding::at(Code::LazyAbove, place, Cost::ms(lost), why, Fix::remove("loading")))
}

/// Bytes of a picture that was asked for before anybody scrolled.
fn fetched_at_once(page: &Observation, place: &Use) -> Option<u64> {
    page.request(&place.url)
        .filter(|request| request.before_scroll && request.bytes >= MIN_BYTES)
        .map(|request| request.bytes)
}

fn hidden(page: &Observation, place: &Use) -> Option<Finding> {
    let unseen = !place.rendered || place.hidden;
    if place.role == Role::Poster
        || place.unknown
        || !unseen
        || is_lazy(place)
        || place.element.keyword("fetchpriority") == "low"
    {
        return None;
    }
    let bytes = fetched_at_once(page, place)?;
    let request = page.request(&place.url)?;
    if request.priority.eq_ignore_ascii_case("verylow")
        || (place.role == Role::Background && !place.rendered)
    {
        return None;
    }
    // Without a browser the priority is not known.
    let priority = match request.priority.as_str() {
        "" => String::new(),
        priority => format!(" with priority {priority}"),
    };
    let why = format!("{} is fetched{priority} though it is not in view yet", name(&place.url));
    let fix = if place.role == Role::Img {
        Fix::all(&[("loading", Some("lazy".to_owned())), ("fetchpriority", Some("low".to_owned()))])
    } else {
        Fix::words("set the background when the element is shown")
    };
    Some(Finding::at(Code::HiddenNotLow, place, Cost::bytes(bytes), why, fix))
}

fn eager_below(page: &Observation, place: &Use) -> Option<Finding> {
    let screen = f64::from(page.device.height);
    let below = place.rendered && !place.hidden && place.area.y >= screen * (1.0 + MARGIN);
    if !below || is_lazy(place) || place.area.is_empty() {
        return None;
    }
    let bytes = fetched_at_once(page, place)?;
    if place.role != Role::Img && bytes < MIN_BACKGROUND {
        return None;
    }
    let why = format!(
        "{} begins {} px down, {:.1} screens, and is fetched before anybody scrolls",
        name(&place.url),
        px(place.area.y),
        place.area.y / screen
    );
    let fix = match place.role {
        Role::Img => Fix::set("loading", "lazy"),
        Role::Background => Fix::Words(format!(
            "<img src=\"{}\" alt=\"\" loading=\"lazy\"> with object-fit: cover",
            name(&place.url)
        )),
        Role::Poster => Fix::set("preload", "none"),
    };
    Some(Finding::at(Code::EagerBelow, place, Cost::bytes(bytes), why, fix))
}
