//! The root element of an SVG (SVG 2, sections 8.2 and 8.6): its size in CSS pixels.

use kivet_recipe::{Facts, Format, Size, Storage};

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
    let side =
        |name| declared(root.attribute("style"), name).or(root.attribute(name)).and_then(pixels);
    let boxed = root.attribute("viewBox").and_then(view_box);
    let (default_width, default_height) = (f64::from(DEFAULT.width), f64::from(DEFAULT.height));
    let (width, height) = match (side("width"), side("height"), boxed) {
        (Some(width), Some(height), _) => (width, height),
        (Some(width), None, Some((w, h))) => (width, width * h / w),
        (None, Some(height), Some((w, h))) => (height * w / h, height),
        (None, None, Some(boxed)) => boxed,
        // Each side that is missing is the default one's by itself.
        (width, height, None) => (width.unwrap_or(default_width), height.unwrap_or(default_height)),
    };
    let whole = |side: f64| (side.round() as u32).clamp(1, 1 << 20);
    Ok(Facts {
        alpha: true,
        ..Facts::plain(Format::Svg, Size::new(whole(width), whole(height)), Storage::Vector)
    })
}

/// What a style attribute declares for a property.
fn declared<'a>(style: Option<&'a str>, property: &str) -> Option<&'a str> {
    let mut declarations = style?.split(';').filter_map(|one| one.split_once(':'));
    let found = declarations.rfind(|(name, _)| name.trim().eq_ignore_ascii_case(property));
    found.map(|(_, value)| value.trim())
}

/// Width and height of a `viewBox` (SVG 2, section 8.6); `None` where it is none.
fn view_box(text: &str) -> Option<(f64, f64)> {
    let parts = text.split(|c: char| c.is_ascii_whitespace() || c == ',');
    let numbers: Option<Vec<f64>> =
        parts.filter(|part| !part.is_empty()).map(|part| part.parse().ok()).collect();
    match numbers?[..] {
        [_, _, width, height] if width > 0.0 && height > 0.0 => Some((width, height)),
        _ => None,
    }
}

/// A length in CSS pixels (CSS Values 4, sections 6.1 and 6.2), relative to a font of the usual
/// size; percentages and shares of a viewport say nothing about the drawing's own size.
fn pixels(text: &str) -> Option<f64> {
    const INCH: f64 = 96.0;
    const FONT: f64 = 16.0;
    let text = text.trim().to_ascii_lowercase();
    // An exponent is a part of the number, an `em` is not.
    let is_unit = |(at, c): &(usize, char)| {
        c.is_ascii_alphabetic()
            && !(*c == 'e'
                && text[at + 1..].starts_with(|c: char| c.is_ascii_digit() || c == '-' || c == '+'))
            || *c == '%'
    };
    let end = text.char_indices().find(is_unit).map_or(text.len(), |(at, _)| at);
    let unit = match text[end..].trim() {
        "" | "px" => 1.0,
        "in" => INCH,
        "cm" => INCH / 2.54,
        "mm" => INCH / 25.4,
        "q" => INCH / 101.6,
        "pt" => INCH / 72.0,
        "pc" => INCH / 6.0,
        "em" | "rem" => FONT,
        "ex" | "ch" => FONT / 2.0,
        _ => return None,
    };
    let number: f64 = text[..end].trim().parse().ok()?;
    Some(number * unit).filter(|length| *length > 0.0 && length.is_finite())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// As browsers size an `img` of them.
    #[test]
    fn sizes_are_those_browsers_take() {
        for (attributes, width, height) in [
            (r#"width="210mm" height="297mm""#, 794, 1123),
            (r#"width="210mm" height="297mm" viewBox="0 0 2100 2970""#, 794, 1123),
            (r#"width="3in" height="2.54cm""#, 288, 96),
            (r#"width="90pt" height="6pc""#, 120, 96),
            (r#"width="10em" height="4ex""#, 160, 32),
            (r#"width="1.2e2" height="40Q""#, 120, 38),
            (r#"width="120""#, 120, 150),
            (r#"height="33""#, 300, 33),
            (r#"width="100%" height="100%" viewBox="0,0,640,240""#, 640, 240),
            (r#"width="50%" height="90" viewBox="-5 -5 30 10""#, 270, 90),
            (r#"width="10" height="10" style="width: 64px; HEIGHT:48px""#, 64, 48),
            (r#"width="0" height="-4" viewBox="0 0 0 9""#, 300, 150),
            (r#"viewBox="0 0 wide 9""#, 300, 150),
        ] {
            let text = format!(
                r#"<svg xmlns="http://www.w3.org/2000/svg" {attributes}><path d="M0 0h9v9z"/></svg>"#
            );
            let facts = probe(text.as_bytes()).expect(attributes);
            assert_eq!(facts.size, Size::new(width, height), "{attributes}");
        }
    }
}
