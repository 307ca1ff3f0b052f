//! Score of a file against the raster it was made from, on the SSIMULACRA2 scale.

#[cfg(target_arch = "x86_64")]
mod avx2;
mod levels;
mod loops;
mod probe;
mod ssimulacra2;
mod tiles;

use kivet_recipe::{Gamut, Rect, Score, Size};

use levels::Level;
pub use probe::Probe;
use ssimulacra2::ReferencePlanes;
pub(crate) use tiles::Tiles;

use crate::{
    ImageError, Limits, Raster, Work,
    decode::{self, Reading},
    probe as facts_of, resampled,
};

/// Larger pictures are scored on tiles of them: a score takes 40 bytes a pixel.
const WHOLE_UP_TO: u64 = 2_500_000;

/// The tiles of such a score.
const TILES: Tiles = Tiles { tile: Size::new(256, 256), across: 4, down: 4 };

/// The raster that files made of it are compared with.
pub struct Reference {
    planes: ReferencePlanes,
    tiles: Option<Tiles>,
    size: Size,
    alpha: bool,
    gamut: Gamut,
}

impl Reference {
    /// Of a drawn rendition that holds `gamut`. Memory: about 20 bytes a pixel, twice that if it
    /// has alpha, and as many again while a file is compared.
    pub fn new(raster: &Raster, gamut: Gamut) -> Self {
        let tiles = (raster.size().pixels() > WHOLE_UP_TO).then_some(TILES);
        let planes = match tiles {
            Some(tiles) => ReferencePlanes::new(&tiles.of(raster)),
            None => ReferencePlanes::new(raster),
        };
        Self { planes, tiles, size: raster.size(), alpha: raster.has_alpha(), gamut }
    }

    /// The score of `file`: 100 for the same pixels, below zero where little is left.
    ///
    /// # Errors
    /// If it cannot be decoded or has another size.
    pub fn score(&self, file: &[u8]) -> Result<Score, ImageError> {
        let facts = facts_of(file, Limits::DEFAULT)?;
        if facts.size != self.size {
            let problem = format!("it is {} pixels, and its reference {}", facts.size, self.size);
            return Err(ImageError::NotScored { problem });
        }
        let reading = Reading { eighths: 8, gamut: self.gamut, limits: Limits::DEFAULT };
        let mut source = decode::open(file, &facts, reading)?;
        let opaque = !self.alpha && !facts.alpha;
        let light =
            if opaque && self.tiles.is_none() { Level::read(source.as_mut())? } else { None };
        let score = match light {
            Some(light) => self.planes.compare_light(light),
            None => {
                let whole = Rect::whole(source.size());
                let shown =
                    resampled(source.as_mut(), whole, facts.size, facts.alpha, &Work::default())?;
                let shown = shown.with_alpha(self.alpha);
                match self.tiles {
                    Some(tiles) => self.planes.compare(&tiles.of(&shown)),
                    None => self.planes.compare(&shown),
                }
            }
        };
        score.map(|score| Score::new(score as f32)).ok_or_else(|| ImageError::NotScored {
            problem: "its decoder gave another size".to_owned(),
        })
    }
}

#[cfg(test)]
mod tests;
