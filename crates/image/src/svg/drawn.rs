//! A vector as pixels.

use kivet_recipe::{CanvasColour, Format, Plan, Recipe, Size, plan};
use resvg::{
    tiny_skia::{Pixmap, Transform},
    usvg::{ImageHrefResolver, Options},
};

use super::{
    cost, cut, damaged,
    fonts::{Fonts, ReplacedFont},
};
use crate::{ImageError, Limits, Raster, guarded::guarded};

/// A look at the whole drawing at about the size it says, without text.
pub(crate) fn draw_whole(bytes: &[u8], natural: Size) -> Result<Raster, ImageError> {
    const LONGEST: u32 = 2048;
    let scale = f64::from(LONGEST) / f64::from(natural.width.max(natural.height));
    let recipe = if scale < 1.0 {
        Recipe::of_width((f64::from(natural.width) * scale) as u32)
    } else {
        Recipe::default()
    };
    draw(bytes, natural, &plan(&recipe, natural), None, (&Fonts::default(), Limits::DEFAULT))
}

/// Draws the vector as `plan` says, with alpha; one that would take longer than `limits` allow is
/// refused before.
pub(crate) fn draw(
    bytes: &[u8],
    natural: Size,
    plan: &Plan,
    canvas: Option<CanvasColour>,
    (fonts, limits): (&Fonts, Limits),
) -> Result<Raster, ImageError> {
    let vector = cut::cut(bytes, natural, plan, canvas)?;
    let document = super::parsed(&vector)?;
    cost::check_references(&document)?;
    let (tree, _) = fonts.tree(&document, options()).map_err(damaged)?;
    let Size { width, height } = plan.size;
    cost::check(&tree, (width, height), limits)?;
    let mut pixmap =
        Pixmap::new(width, height).ok_or_else(|| damaged("it is too large to draw"))?;
    let (x, y) = (width as f32 / tree.size().width(), height as f32 / tree.size().height());
    guarded(Format::Svg, || {
        resvg::render(&tree, Transform::from_scale(x, y), &mut pixmap.as_mut());
        Ok(())
    })?;
    let mut pixels = pixmap.take_demultiplied();
    pixels.truncate(width as usize * height as usize * 4);
    Raster::new(plan.size, true, pixels).ok_or_else(|| damaged("it was drawn at another size"))
}

/// The font families that the text of a vector names first and that are not installed, with those
/// that take their place.
///
/// # Errors
/// If it cannot be read as a vector.
pub fn replaced_fonts(bytes: &[u8], fonts: &Fonts) -> Result<Vec<ReplacedFont>, ImageError> {
    let text = super::text(bytes)?;
    let document = super::parsed(&text)?;
    cost::check_references(&document)?;
    Ok(fonts.tree(&document, options()).map_err(damaged)?.1)
}

/// Pictures carried inside are drawn; nothing is ever read from disk.
fn options() -> Options<'static> {
    Options {
        image_href_resolver: ImageHrefResolver {
            resolve_data: ImageHrefResolver::default_data_resolver(),
            resolve_string: Box::new(|_, _| None),
        },
        ..Options::default()
    }
}
