//! Pictures laid over a rendition, and what else a rendering needs beside the original.

use std::{collections::BTreeMap, sync::Arc};

use kivet_recipe::{Facts, Position, nearest};

use crate::{Fonts, ImageError, Limits, probe};

/// A picture that can be laid over renditions.
#[derive(Clone, Debug)]
pub struct Overlay {
    pub(crate) bytes: Arc<[u8]>,
    pub(crate) facts: Facts,
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
    /// If the bytes are not a picture.
    pub fn new(
        bytes: Vec<u8>,
        position: Position,
        width_percent: u8,
        opacity_percent: u8,
    ) -> Result<Self, ImageError> {
        let facts = probe(&bytes, Limits::DEFAULT)?;
        Ok(Self { bytes: bytes.into(), facts, position, width_percent, opacity_percent })
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
}
