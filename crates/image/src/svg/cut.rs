//! A vector as a recipe wants it: cropped by viewBox, turned, on its canvas, and still a vector.

use kivet_recipe::{CanvasColour, Orientation, Plan, Rect, Size};

use super::{clean, damaged, parsed, text};
use crate::ImageError;

const HEAD: &str = "<svg xmlns=\"http://www.w3.org/2000/svg\"";

/// The drawing of `natural` pixels, cleaned, as `plan` says.
pub(crate) fn cut(
    bytes: &[u8],
    natural: Size,
    plan: &Plan,
    canvas: Option<CanvasColour>,
) -> Result<String, ImageError> {
    let text = text(bytes)?;
    let document = parsed(&text)?;
    let root = document.root_element();
    let Plan { turned, crop, drawn, canvas: place, size, requested_size: _ } = *plan;
    let view_box = root
        .attribute("viewBox")
        .map_or_else(|| format!("0 0 {} {}", natural.width, natural.height), str::to_owned);
    let is_whole =
        crop == Rect::whole(natural) && turned == Orientation::default() && drawn == size;
    let colour = match canvas {
        Some(CanvasColour::Rgb([r, g, b])) => Some(format!(
            "<rect width=\"{}\" height=\"{}\" fill=\"#{r:02x}{g:02x}{b:02x}\"/>",
            size.width, size.height
        )),
        Some(CanvasColour::Clear) | None => None,
    };
    let mut out = String::with_capacity(text.len());
    if is_whole && colour.is_none() && !is_stretched(natural, size) {
        let attributes = [
            ("xmlns", "http://www.w3.org/2000/svg".to_owned()),
            ("x", String::new()),
            ("y", String::new()),
            ("width", size.width.to_string()),
            ("height", size.height.to_string()),
            ("viewBox", view_box),
        ];
        clean::write(root, &attributes, &mut out);
    } else {
        let (left, top) = place.map_or((0, 0), |place| (place.left, place.top));
        let Size { width, height } = size;
        out.push_str(&format!(
            "{HEAD} width=\"{width}\" height=\"{height}\" viewBox=\"0 0 {width} {height}\">"
        ));
        out.push_str(colour.as_deref().unwrap_or_default());
        out.push_str(&format!(
            "<svg x=\"{left}\" y=\"{top}\" width=\"{}\" height=\"{}\" viewBox=\"{} {} {} {}\" preserveAspectRatio=\"none\"><g transform=\"{}\">",
            drawn.width, drawn.height, crop.x, crop.y, crop.width, crop.height, matrix(turned, natural),
        ));
        let attributes = [
            ("x", "0".to_owned()),
            ("y", "0".to_owned()),
            ("width", natural.width.to_string()),
            ("height", natural.height.to_string()),
            ("viewBox", view_box),
        ];
        clean::write(root, &attributes, &mut out);
        out.push_str("</g></svg></svg>");
    }
    if out.is_empty() {
        return Err(damaged("nothing of it is left after cleaning"));
    }
    Ok(out)
}

/// True if the size is not the drawing's own shape, give or take a pixel of rounding.
fn is_stretched(natural: Size, size: Size) -> bool {
    let height = f64::from(size.width) * f64::from(natural.height) / f64::from(natural.width);
    (height - f64::from(size.height)).abs() > 1.0
}

/// The turn as an SVG transform of a drawing of `natural` pixels.
fn matrix(turn: Orientation, natural: Size) -> String {
    let size = turn.apply(natural);
    let (sx, tx) = if turn.flip_x { (-1, size.width) } else { (1, 0) };
    let (sy, ty) = if turn.flip_y { (-1, size.height) } else { (1, 0) };
    if turn.transpose {
        format!("matrix(0 {sy} {sx} 0 {tx} {ty})")
    } else {
        format!("matrix({sx} 0 0 {sy} {tx} {ty})")
    }
}
