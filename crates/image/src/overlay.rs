//! Pictures laid over a rendition, and what else a rendering needs beside the original.

use std::{collections::BTreeMap, sync::Arc};

use kivet_recipe::{Facts, Position, Recipe, Size, nearest, plan_for};

use crate::{Fonts, ImageError, Limits, Raster, draw_plan, probe};

/// A picture that can be laid over renditions.
#[derive(Clone, Debug)]
pub struct Overlay {
    bytes: Arc<[u8]>,
    facts: Facts,
    /// Where it stands in the free space.
    pub position: Position,
    /// Its width in percent of the rendition's, 1 to 100.
    pub width_percent: u8,
    /// How much it covers, in percent.
    pub opacity_percent: u8,
}

impl Overlay {
    /// An overlay of the picture in `bytes`.
    ///
    /// # Errors
    /// If the bytes are no picture.
    pub fn new(bytes: Vec<u8>, position: Position, width_percent: u8, opacity_percent: u8) -> Result<Self, ImageError> {
        let facts = probe(&bytes, Limits::DEFAULT)?;
        Ok(Self { bytes: bytes.into(), facts, position, width_percent, opacity_percent })
    }

    /// Lays it over `raster`. It is never enlarged beyond its own pixels, nor beyond the rendition.
    fn lay_over(&self, raster: &mut Raster, fonts: &Fonts) -> Result<(), ImageError> {
        let Size { width, height } = raster.size();
        let wanted = (f64::from(width) * f64::from(self.width_percent) / 100.0).round().max(1.0);
        let fits = f64::from(height) * f64::from(self.facts.size.width) / f64::from(self.facts.size.height);
        let recipe = Recipe { width: Some((wanted.min(fits) as u32).max(1)), ..Recipe::default() };
        let above = draw_plan(&self.bytes, &self.facts, &plan_for(&recipe, &self.facts), None, fonts, Limits::DEFAULT)?
            .with_alpha(true);
        let (x, y) = self.position.shares();
        let start = |free: u32, share: f64| (f64::from(free) * share).round() as u32;
        let left = start(width.saturating_sub(above.size().width), x);
        let top = start(height.saturating_sub(above.size().height), y);
        raster.lay(&above, left, top, f32::from(self.opacity_percent) / 100.0);
        Ok(())
    }
}

/// What renderings share beside the original: overlays by name, and fonts.
#[derive(Clone, Debug, Default)]
pub struct Assets {
    /// The overlays that recipes may name.
    pub overlays: BTreeMap<String, Overlay>,
    /// The fonts for text in drawings.
    pub fonts: Fonts,
}

impl Assets {
    /// The overlay of that name.
    ///
    /// # Errors
    /// [`ImageError::NoOverlay`], with the nearest that exists.
    pub fn overlay(&self, name: &str) -> Result<&Overlay, ImageError> {
        self.overlays.get(name).ok_or_else(|| {
            let known = self.overlays.keys().map(String::as_str);
            let near = nearest(name, known.clone()).or(known.min()).map(str::to_owned);
            ImageError::NoOverlay { name: name.to_owned(), nearest: near }
        })
    }

    /// Lays the overlays of `names` over a picture, in order.
    pub(crate) fn lay(&self, names: &[String], raster: &mut Raster) -> Result<(), ImageError> {
        names.iter().try_for_each(|name| self.overlay(name)?.lay_over(raster, &self.fonts))
    }
}
