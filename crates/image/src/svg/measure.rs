//! The root element of an SVG (SVG 2, sections 8.2 and 8.6): its size in CSS pixels.

use kivet_recipe::{Facts, Format, Kind, Size};

use super::{damaged, parsed, text};
use crate::ImageError;

/// The size CSS gives a replaced element that has none (CSS 2.2, section 10.3.2).
const DEFAULT: Size = Size::new(300, 150);

/// True if the bytes begin as an SVG does, packed by gzip or not.
pub(crate) fn looks_like(bytes: &[u8]) -> bool {
    if bytes.starts_with(&super::GZIP) {
        return text(bytes).is_ok_and(|text| looks_like_text(text.as_bytes()));
    }
    looks_like_text(bytes)
}

fn looks_like_text(bytes: &[u8]) -> bool {
    let head = String::from_utf8_lossy(&bytes[..bytes.len().min(4096)]);
    let head = head.trim_start_matches('\u{feff}').trim_start();
    head.starts_with('<') && head.contains("<svg")
}

/// The facts of a drawing.
pub(crate) fn probe(bytes: &[u8]) -> Result<Facts, ImageError> {
    let text = text(bytes)?;
    let document = parsed(&text)?;
    let root = document.root_element();
    if root.tag_name().name() != "svg" {
        return Err(damaged("its root element is not <svg>"));
    }
    let attribute = |name| root.attribute(name).and_then(pixels);
    let view_box: Option<Vec<f64>> = root.attribute("viewBox").map(|text| {
        text.split([' ', ',', '\t', '\n']).filter_map(|number| number.parse().ok()).collect()
    });
    let boxed =
        view_box.filter(|numbers| numbers.len() == 4).map(|numbers| (numbers[2], numbers[3]));
    let (width, height) = match (attribute("width"), attribute("height"), boxed) {
        (Some(width), Some(height), _) => (width, height),
        (Some(width), None, Some((w, h))) => (width, width * h / w),
        (None, Some(height), Some((w, h))) => (height * w / h, height),
        (None, None, Some(boxed)) => boxed,
        _ => (DEFAULT.width.into(), DEFAULT.height.into()),
    };
    let whole = |side: f64| (side.round() as u32).clamp(1, 1 << 20);
    Ok(Facts {
        alpha: true,
        ..Facts::plain(Format::Svg, Size::new(whole(width), whole(height)), Kind::Flat)
    })
}

/// A length in pixels; percentages and other units say nothing about the drawing's own size.
fn pixels(text: &str) -> Option<f64> {
    let text = text.trim();
    text.strip_suffix("px").unwrap_or(text).parse().ok().filter(|length: &f64| *length > 0.0)
}
