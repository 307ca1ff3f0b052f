//! The root element of an SVG (SVG 2, sections 8.2 and 8.6): its size in CSS pixels.

use kivet_recipe::{Facts, Format, Kind, Orientation, Size};

use crate::ImageError;

/// The size CSS gives a replaced element that has none (CSS 2.2, section 10.3.2).
const DEFAULT: Size = Size::new(300, 150);

/// Above this many bytes a drawing is not parsed just to learn its size.
const MOST_BYTES: usize = 16 << 20;

pub(super) fn looks_like(bytes: &[u8]) -> bool {
    let head = String::from_utf8_lossy(&bytes[..bytes.len().min(4096)]);
    let head = head.trim_start_matches('\u{feff}').trim_start();
    head.starts_with('<') && head.contains("<svg")
}

pub(super) fn probe(bytes: &[u8]) -> Result<Facts, ImageError> {
    let damaged = |problem: &dyn ToString| ImageError::damaged(Format::Svg, problem.to_string());
    if bytes.len() > MOST_BYTES {
        return Err(damaged(&"it is larger than 16 MiB"));
    }
    let text = std::str::from_utf8(bytes).map_err(|error| damaged(&error))?;
    let options = roxmltree::ParsingOptions { allow_dtd: true, nodes_limit: 2_000_000, ..Default::default() };
    let document = roxmltree::Document::parse_with_options(text, options).map_err(|error| damaged(&error))?;
    let root = document.root_element();
    if root.tag_name().name() != "svg" {
        return Err(damaged(&"its root element is not <svg>"));
    }
    let attribute = |name| root.attribute(name).and_then(pixels);
    let view_box: Option<Vec<f64>> = root
        .attribute("viewBox")
        .map(|text| text.split([' ', ',', '\t', '\n']).filter_map(|number| number.parse().ok()).collect());
    let boxed = view_box.filter(|numbers| numbers.len() == 4).map(|numbers| (numbers[2], numbers[3]));
    let (width, height) = match (attribute("width"), attribute("height"), boxed) {
        (Some(width), Some(height), _) => (width, height),
        (Some(width), None, Some((w, h))) => (width, width * h / w),
        (None, Some(height), Some((w, h))) => (height * w / h, height),
        (None, None, Some(boxed)) => boxed,
        _ => (DEFAULT.width.into(), DEFAULT.height.into()),
    };
    let whole = |side: f64| (side.round() as u32).max(1);
    Ok(Facts {
        format: Format::Svg,
        size: Size::new(whole(width), whole(height)),
        orientation: Orientation::default(),
        alpha: true,
        motion: false,
        kind: Kind::Flat,
        profile: None,
    })
}

/// A length in pixels; percentages and other units say nothing about the drawing's own size.
fn pixels(text: &str) -> Option<f64> {
    text.trim().trim_end_matches("px").parse().ok().filter(|length: &f64| *length > 0.0)
}
