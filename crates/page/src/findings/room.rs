//! Room and shape: what moves others, what is stretched, dimensions that contradict the file.

use super::{Code, Cost, Finding, Fix, name, px};
use crate::observation::{CauseKind, Covering, Element, Embed, Observation, Placement, Role, Use};
use crate::source_for;

/// Ratios this near are the same: rounding to whole pixels, and borders.
const SAME_RATIO: f64 = 0.04;

/// Lower than this, a line of text leaves the room anyway.
const LOW: f64 = 24.0;

/// A shift this small is not seen; browsers call up to 0.1 good.
const SHIFT: f64 = 0.01;

pub(super) fn findings(page: &Observation) -> Vec<Finding> {
    let mut found: Vec<Finding> =
        page.uses.iter().filter_map(|place| unreserved(page, place)).collect();
    found.extend(page.embeds.iter().filter(|embed| is_unreserved(embed)).map(|embed| {
        let why = format!(
            "the {} has no height of its own until its content decides it",
            embed.element.tag
        );
        let fix = Fix::set("style", "width: 100%; aspect-ratio: 16 / 9");
        finding(Code::NoRoom, &embed.element, &embed.url, why, fix)
    }));
    found.extend(moved(page, &found));
    for moving in &page.moving {
        let why = format!(
            "`{}` is animated, which lays the page out anew in every frame",
            moving.property
        );
        let fix = Fix::words("animate transform: translate(...) instead");
        found.push(finding(Code::LayoutAnimated, &moving.element, "", why, fix));
    }
    found.extend(page.uses.iter().filter_map(|place| stretched(page, place)));
    found.extend(page.uses.iter().filter_map(|place| contradicted(page, place)));
    found
}

/// A frame has 300 x 150 pixels from the first (CSS 2, 10.3.2); what grows later is seen as a shift.
fn is_unreserved(embed: &Embed) -> bool {
    embed.rendered && !embed.reserved && embed.element.tag != "iframe"
}

fn finding(code: Code, element: &Element, url: &str, why: String, fix: Fix) -> Finding {
    Finding { code, element: element.clone(), url: url.to_owned(), cost: Cost::NONE, why, fix }
}

fn unreserved(page: &Observation, place: &Use) -> Option<Finding> {
    if place.role == Role::Background
        || place.reserved
        || !place.rendered
        || place.area.height < LOW
    {
        return None;
    }
    let (width, height) = natural(page, place)?;
    let why = format!(
        "the page is laid out without room for {}; {} px open when it arrives",
        name(&place.url),
        px(place.area.height)
    );
    let (width, height) = (width.round() as u32, height.round() as u32);
    // Where the page's CSS gives the width, that of the attribute does not count; the height follows.
    let fix = Fix::all(&[
        ("width", Some(width.to_string())),
        ("height", Some(height.to_string())),
        ("style", Some("height: auto".to_owned())),
    ]);
    let mut one = finding(Code::NoRoom, &place.element, &place.url, why, fix);
    let shift: f64 = page
        .shifts
        .iter()
        .filter(|shift| {
            shift.cause.as_ref().is_some_and(|cause| cause.element.path == place.element.path)
        })
        .map(|shift| shift.value)
        .sum();
    if shift >= SHIFT {
        one.why += &format!(", and {shift:.3} of layout shift was seen");
    }
    Some(one)
}

fn natural(page: &Observation, place: &Use) -> Option<(f64, f64)> {
    let facts = page.file(place)?.facts.as_ref()?;
    Some((f64::from(facts.size.width), f64::from(facts.size.height)))
}

/// What was seen to push others aside and is not said already.
fn moved(page: &Observation, said: &[Finding]) -> Vec<Finding> {
    let mut found: Vec<Finding> = Vec::new();
    for shift in page.shifts.iter().filter(|shift| shift.value >= SHIFT) {
        let Some(cause) = &shift.cause else { continue };
        // What is within it may be what opens it, and has its own fix.
        let within = format!("{}>", cause.element.path);
        let is_known = |one: &Finding| {
            one.element.path == cause.element.path || one.element.path.starts_with(&within)
        };
        if said.iter().chain(&found).any(is_known) || cause.kind == CauseKind::Picture {
            continue;
        }
        let why = format!(
            "it opens {} px after the page is shown and moves {} ({:.3} of layout shift)",
            px(cause.height),
            shift.moved.selector,
            shift.value
        );
        let fix = Fix::Words(format!(
            "{} {{ box-sizing: border-box; min-height: {}px }}",
            cause.element.selector,
            px(cause.height)
        ));
        found.push(finding(Code::NoRoom, &cause.element, "", why, fix));
    }
    found
}

fn stretched(page: &Observation, place: &Use) -> Option<Finding> {
    let (width, height) = natural(page, place)?;
    let area = place.area;
    // A vector's own rule (`preserveAspectRatio`) keeps its shape in any box.
    let is_vector = page.file(place).is_some_and(|file| file.pixels().is_none());
    if !place.rendered || area.is_empty() || is_vector {
        return None;
    }
    let placement = Placement::new((width, height), area, area, &place.fit, &place.position);
    let off = (area.width / area.height) / (width / height);
    // A vector may be drawn to stretch; a rounding of one pixel is not a distortion.
    let is_small = (area.width - area.height * width / height).abs() < 2.0;
    if placement.covering != Covering::Stretched || off.ln().abs() < SAME_RATIO || is_small {
        return None;
    }
    let why = format!(
        "{} is {width} x {height} and is shown at {} x {} px, {} by {:.0}%",
        name(&place.url),
        px(area.width),
        px(area.height),
        if off > 1.0 { "stretched" } else { "squeezed" },
        (off.max(1.0 / off) - 1.0) * 100.0
    );
    let fix = match place.role {
        Role::Background => Fix::words("background-size: cover"),
        _ => Fix::Words(format!(
            "{} {{ height: auto }}, or object-fit: cover where it should be cropped",
            place.element.selector
        )),
    };
    Some(finding(Code::RatioDistorted, &place.element, &place.url, why, fix))
}

fn contradicted(page: &Observation, place: &Use) -> Option<Finding> {
    if place.role != Role::Img {
        return None;
    }
    // The source that is taken speaks for the element (HTML, 4.8.2).
    // Without its own, the room is the style sheet's matter: another crop seldom has the `img`'s.
    let (written_width, written_height): (f64, f64) = match source_for(&place.sources, &page.device)
    {
        Some(source) => (source.width.trim().parse().ok()?, source.height.trim().parse().ok()?),
        None => (place.element.dimension("width")?, place.element.dimension("height")?),
    };
    let (width, height) = natural(page, place)?;
    if written_width < 1.0 || written_height < 1.0 {
        return None;
    }
    let differ = |a: f64, b: f64| (a / b).ln().abs() >= SAME_RATIO;
    let written = written_width / written_height;
    let rounding = (written_width - written_height * width / height).abs() < 2.0;
    if !differ(written, width / height) || rounding {
        return None;
    }
    // A crop by object-fit whose box has just this ratio is described by them, not contradicted; so
    // is a vector, which keeps its shape within.
    let is_kept =
        place.fit != "fill" || page.file(place).is_some_and(|file| file.pixels().is_none());
    let is_box = place.rendered
        && !place.area.is_empty()
        && !differ(written, place.area.width / place.area.height);
    if is_kept && is_box {
        return None;
    }
    let why = format!(
        "width and height say {written_width} x {written_height}, {} is {width} x {height}: the room kept is not the room taken",
        name(&place.url)
    );
    // The width stays: where no CSS gives another, the layout rests on it.
    let right = written_width * height / width;
    let fix = Fix::all(&[("width", Some(px(written_width))), ("height", Some(px(right)))]);
    Some(finding(Code::WrongDimensions, &place.element, &place.url, why, fix))
}
