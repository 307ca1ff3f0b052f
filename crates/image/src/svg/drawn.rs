//! A vector as pixels.

use std::sync::Arc;

use kivet_recipe::{CanvasColour, Format, Plan, Recipe, Size, plan};
use resvg::{
    tiny_skia::{Pixmap, Transform},
    usvg::{ImageHrefResolver, Options, Tree, fontdb::Database},
};

use super::{cost, cut, damaged};
use crate::{ImageError, Limits, Raster, guarded::guarded};

/// The fonts that text in drawings is set in. Empty by default: text is then left out.
#[derive(Clone, Debug, Default)]
pub struct Fonts(Arc<Database>);

impl Fonts {
    /// Those installed on this machine; reads them from disk.
    pub fn of_system() -> Self {
        let mut fonts = Database::new();
        fonts.load_system_fonts();
        Self(Arc::new(fonts))
    }
}

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
    let options = Options {
        fontdb: Arc::clone(&fonts.0),
        // Pictures carried inside are drawn; nothing is ever read from disk.
        image_href_resolver: ImageHrefResolver {
            resolve_data: ImageHrefResolver::default_data_resolver(),
            resolve_string: Box::new(|_, _| None),
        },
        ..Options::default()
    };
    let document = super::parsed(&vector)?;
    cost::check_references(&document)?;
    let tree = Tree::from_xmltree(&document, &options).map_err(damaged)?;
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
