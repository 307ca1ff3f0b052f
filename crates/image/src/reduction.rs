//! Reductions: smaller intermediates of large originals, so that these are decoded whole only once.

use kivet_recipe::{Facts, Format, Gamut, Plan, Recipe, Rect, Size, plan};

use crate::{
    ImageError, Limits, Raster, Work, colour,
    decode::{self, Lent, Reading},
};

/// Originals of fewer pixels are quick enough to decode again.
const WORTH_FROM: u64 = 3_000_000;

/// The longer side of the largest reduction: twice the pixels of the widest rendition that is
/// common.
const LARGEST: f64 = 2880.0;

/// A reduction is used where it has so many times the output's pixels over the crop.
const ENOUGH: f64 = 2.0;

/// A smaller version of an original: 8-bit pixels as stored (not turned upright), in the gamut
/// renditions hold.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Reduction {
    raster: Raster,
    /// The original's stored size.
    of: Size,
    gamut: Gamut,
}

impl Reduction {
    /// True if an original is worth a reduction at all.
    pub fn is_worth(facts: &Facts) -> bool {
        facts.size.pixels() >= WORTH_FROM && !facts.animated && facts.format != Format::Svg
    }

    /// Makes the largest reduction of an original.
    ///
    /// # Errors
    /// If it cannot be decoded, or a limit is met.
    pub fn make(
        bytes: &[u8],
        facts: &Facts,
        gamut: Gamut,
        limits: Limits,
        work: &Work,
    ) -> Result<Self, ImageError> {
        let of = facts.orientation.apply(facts.size);
        let longer = f64::from(of.width.max(of.height));
        let eighths = largest_eighths(longer);
        let reading = Reading { eighths, gamut, limits };
        let raster = if facts.format == Format::Jpeg {
            // The codec's own reduction is as good as ours here, and free.
            decode::jpeg_whole(bytes, reading, work)?
        } else {
            let mut source = decode::open(bytes, facts, reading)?;
            let from = source.size();
            let scale = (LARGEST / longer).min(1.0);
            let side = |length: u32| ((f64::from(length) * scale).round() as u32).max(1);
            let size = Size::new(side(from.width), side(from.height));
            crate::resampled(source.as_mut(), Rect::whole(from), size, facts.alpha, work)?
        };
        Ok(Self { raster, of, gamut })
    }

    /// This reduction at half its size: for small renditions.
    ///
    /// # Errors
    /// Never in practice: its pixels are at hand.
    pub fn halved(&self) -> Result<Self, ImageError> {
        let Size { width, height } = self.raster.size();
        let half = Size::new((width / 2).max(1), (height / 2).max(1));
        let raster =
            if self.raster.has_alpha() || half.width * 2 != width || half.height * 2 != height {
                let recipe = Recipe::of_width(half.width);
                crate::redraw(&self.raster, &plan(&recipe, self.raster.size()))?
            } else {
                let mut raster = Raster::filled(half, [0; 4], false);
                let (from, to) = (self.raster.stride(), raster.stride());
                let rows = self
                    .raster
                    .bytes()
                    .chunks_exact(from * 2)
                    .zip(raster.bytes_mut().chunks_exact_mut(to));
                rows.for_each(|(rows, out)| colour::halve(&rows[..from], &rows[from..], out));
                raster
            };
        Ok(Self { raster, of: self.of, gamut: self.gamut })
    }

    /// True if a plan can be drawn from the reduction that was halved `level` times: it has twice
    /// the output's pixels over the crop.
    pub fn would_serve(facts: &Facts, plan: &Plan, level: u32) -> bool {
        let scale = largest_scale(facts) / f64::from(1u32 << level.min(16));
        plan.crop.width * plan.crop.height * scale * scale >= ENOUGH * plan.drawn.pixels() as f64
    }

    /// As kept on disk: sizes, gamut and channels in a short header, then the pixels.
    pub fn to_bytes(&self) -> Vec<u8> {
        let Size { width, height } = self.raster.size();
        let header = [
            width,
            height,
            self.of.width,
            self.of.height,
            u32::from(self.gamut == Gamut::DisplayP3),
        ];
        let mut bytes: Vec<u8> = header.into_iter().flat_map(u32::to_be_bytes).collect();
        bytes.push(self.raster.channels() as u8);
        bytes.extend(self.raster.bytes());
        bytes
    }

    /// What [`to_bytes`](Self::to_bytes) wrote; `None` if it is not that.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let (header, rest) = bytes.split_at_checked(20)?;
        let (channels, pixels) = rest.split_first()?;
        let word =
            |i: usize| header[i * 4..].first_chunk::<4>().map(|word| u32::from_be_bytes(*word));
        let raster = Raster::new(Size::new(word(0)?, word(1)?), *channels == 4, pixels.to_vec())?;
        let gamut = if word(4)? == 1 { Gamut::DisplayP3 } else { Gamut::Srgb };
        Some(Self { raster, of: Size::new(word(2)?, word(3)?), gamut })
    }

    /// Analyses the original through it.
    ///
    /// # Errors
    /// Never in practice: its pixels are at hand.
    pub fn analyse(&self, facts: &Facts) -> Result<kivet_recipe::Analysis, ImageError> {
        crate::analysis::analyse_stored(&self.raster, facts)
    }

    /// Bytes it takes.
    pub fn weight(&self) -> usize {
        self.raster.bytes().len()
    }

    pub(crate) fn source(&self) -> Lent<'_> {
        decode::lent(&self.raster)
    }
}

/// The largest reduction's sides as a share of the original's.
fn largest_scale(facts: &Facts) -> f64 {
    let longer = f64::from(facts.size.width.max(facts.size.height));
    if facts.format == Format::Jpeg {
        return f64::from(largest_eighths(longer)) / 8.0;
    }
    (LARGEST / longer).min(1.0)
}

/// The fewest eighths of a JPEG that hold the largest reduction.
fn largest_eighths(longer: f64) -> u8 {
    ((LARGEST / longer * 8.0).ceil() as u8).clamp(1, 8)
}
