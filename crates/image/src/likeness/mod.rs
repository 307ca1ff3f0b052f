//! Likeness of a file to the ideal it was made from, on the SSIMULACRA2 scale.

#[cfg(target_arch = "x86_64")]
mod avx2;
mod levels;
mod loops;
mod probe;
mod score;
mod sheet;

use kivet_recipe::{Gamut, Rect, Size};

use levels::Level;
pub use probe::Probe;
use score::Reference;
pub(crate) use sheet::Sheet;

use crate::{
    ImageError, Limits, Raster, Work,
    decode::{self, Reading},
    probe as facts_of, resampled,
};

/// Larger pictures are scored on parts of them: a score takes 40 bytes a pixel.
const WHOLE_UP_TO: u64 = 2_500_000;

/// The parts of such a score.
const PARTS: Sheet = Sheet { part: Size::new(256, 256), across: 4, down: 4 };

/// A picture as it should be, ready to be compared with files made of it.
pub struct Ideal {
    reference: Reference,
    parts: Option<Sheet>,
    size: Size,
    alpha: bool,
    gamut: Gamut,
}

impl Ideal {
    /// Of a drawn rendition that holds `gamut`. Memory: about 20 bytes a pixel, twice that if it has alpha, and as many
    /// again while a file is compared.
    pub fn new(raster: &Raster, gamut: Gamut) -> Self {
        let parts = (raster.size().pixels() > WHOLE_UP_TO).then_some(PARTS);
        let reference = match parts {
            Some(parts) => Reference::new(&parts.of(raster)),
            None => Reference::new(raster),
        };
        Self { reference, parts, size: raster.size(), alpha: raster.has_alpha(), gamut }
    }

    /// The likeness of `file`: 100 for the same pixels, below zero where little is left.
    ///
    /// # Errors
    /// If it cannot be decoded or has another size.
    pub fn likeness(&self, file: &[u8]) -> Result<f32, ImageError> {
        let facts = facts_of(file, Limits::DEFAULT)?;
        if facts.size != self.size {
            let problem = format!("it is {} pixels, and its ideal {}", facts.size, self.size);
            return Err(ImageError::NotScored { problem });
        }
        let reading = Reading { eighths: 8, gamut: self.gamut, limits: Limits::DEFAULT };
        let mut source = decode::open(file, &facts, reading)?;
        let opaque = !self.alpha && !facts.alpha;
        let light = if opaque && self.parts.is_none() { Level::read(source.as_mut())? } else { None };
        let score = match light {
            Some(light) => self.reference.compare_light(light),
            None => {
                let whole = Rect::whole(source.size());
                let shown = resampled(source.as_mut(), whole, facts.size, facts.alpha, &Work::default())?;
                let shown = shown.with_alpha(self.alpha);
                match self.parts {
                    Some(parts) => self.reference.compare(&parts.of(&shown)),
                    None => self.reference.compare(&shown),
                }
            }
        };
        score
            .map(|score| score as f32)
            .ok_or_else(|| ImageError::NotScored { problem: "its decoder gave another size".to_owned() })
    }
}

#[cfg(test)]
mod tests;
