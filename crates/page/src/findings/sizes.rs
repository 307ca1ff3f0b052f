//! `sizes` against the widths the layout gives.

use super::{Code, Cost, Finding, Fix, name, px};
use crate::{
    SourceSize,
    observation::{Observation, Role, Use},
    pick, read_srcset, source_for, source_size,
};

/// How far `sizes` may be from the layout before another candidate than the right one is likely.
const OFF: f64 = 0.1;

/// And at least this many CSS pixels.
const MIN: f64 = 8.0;

pub(super) fn findings(page: &Observation) -> Vec<Finding> {
    page.uses.iter().filter_map(|place| finding(page, place)).collect()
}

fn finding(page: &Observation, place: &Use) -> Option<Finding> {
    if place.role != Role::Img || !place.rendered || place.area.is_empty() {
        return None;
    }
    let source = source_for(&place.sources, &page.device);
    let (srcset, sizes) = match source {
        Some(source) => {
            (source.srcset.as_str(), Some(source.sizes.as_str()).filter(|sizes| !sizes.is_empty()))
        }
        None => (
            place.element.attribute("srcset")?,
            place.element.attribute("sizes").filter(|sizes| !sizes.trim().is_empty()),
        ),
    };
    let candidates = read_srcset(srcset);
    if candidates.len() < 2 || !candidates.iter().any(|candidate| candidate.width.is_some()) {
        return None;
    }
    let SourceSize::Pixels(said) = source_size(sizes.unwrap_or_default(), &page.device) else {
        return None;
    };
    let shown = place.area.width;
    // A picture that covers a box flatter than itself is needed as wide as the box; one taller,
    // wider than that.
    let max =
        page.file(place).and_then(|file| file.pixels()).map_or(
            shown,
            |(width, height)| match place.fit.as_str() {
                "cover" => shown.max(place.area.height * width / height),
                _ => shown,
            },
        );
    let off = if said < shown { shown - said } else { said - max };
    if off <= MIN || off <= OFF * shown {
        return None;
    }
    let density = page.device.density;
    let taken = pick(&candidates, said, density);
    let right = pick(&candidates, max, density);
    let width = |candidate: Option<&crate::Candidate>| {
        candidate.and_then(|candidate| candidate.width).unwrap_or(1.0)
    };
    let bytes = page.request(&place.url).map_or(0, |request| request.bytes);
    let surplus = 1.0 - (width(right) / width(taken)).powi(2);
    let cost = Cost::bytes((bytes as f64 * surplus.max(0.0)) as u64);
    let code = if sizes.is_some() { Code::SizesWrong } else { Code::SizesMissing };
    let says = if sizes.is_some() { "sizes says" } else { "without sizes the browser takes" };
    let why = format!(
        "{says} {} px and the layout shows {} at {} px: it takes {}w where {}w is right",
        px(said),
        name(&place.url),
        px(shown),
        width(taken),
        width(right)
    );
    Some(Finding::at(code, place, cost, why, Fix::Sizes))
}
