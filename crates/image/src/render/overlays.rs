//! Overlays laid over a drawn picture.

use kivet_recipe::{Recipe, Size, plan_for};

use super::draw_plan;
use crate::{Assets, Fonts, ImageError, Limits, Overlay, Raster};

/// Lays the overlays of `names` over a picture, in order.
pub(super) fn lay(
    assets: &Assets,
    names: &[String],
    raster: &mut Raster,
) -> Result<(), ImageError> {
    names.iter().try_for_each(|name| lay_one(assets.overlay(name)?, raster, &assets.fonts))
}

/// Lays one over `raster`. It is never enlarged beyond its own pixels, nor beyond the rendition.
fn lay_one(overlay: &Overlay, raster: &mut Raster, fonts: &Fonts) -> Result<(), ImageError> {
    let Overlay { bytes, facts, position, width_percent, opacity_percent } = overlay;
    let Size { width, height } = raster.size();
    let wanted = (f64::from(width) * f64::from(*width_percent) / 100.0).round().max(1.0);
    let fits = f64::from(height) * f64::from(facts.size.width) / f64::from(facts.size.height);
    let recipe = Recipe::of_width(wanted.min(fits) as u32);
    let above = draw_plan(bytes, facts, &plan_for(&recipe, facts), None, fonts, Limits::DEFAULT)?
        .with_alpha(true);
    let (x, y) = position.shares();
    let start = |free: u32, share: f64| (f64::from(free) * share).round() as u32;
    let left = start(width.saturating_sub(above.size().width), x);
    let top = start(height.saturating_sub(above.size().height), y);
    raster.lay(&above, left, top, f32::from(*opacity_percent) / 100.0);
    Ok(())
}
