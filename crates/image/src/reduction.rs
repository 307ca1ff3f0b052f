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

/// A reduction is used where it has so many times the output's pixels over the crop; more of them
/// where fine details stand so hard against each other that filtering twice shows.
const ENOUGH: f64 = 4.0;
const ENOUGH_OF_HARD: f64 = 16.0;

/// A smaller version of an original: 8-bit pixels as stored (not turned upright), in the gamut
/// renditions hold.
#[derive(Clone, Debug, PartialEq)]
pub struct Reduction {
    raster: Raster,
    /// Its pixels per stored pixel of the original, across and down.
    scale: (f64, f64),
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
        let eighths = largest_eighths(facts);
        let reading = Reading { eighths, gamut, limits };
        let (raster, scale) = if facts.format == Format::Jpeg && eighths < 8 {
            // The codec's own reduction is as good as ours here, and free.
            let scale = f64::from(eighths) / 8.0;
            (decode::jpeg_whole(bytes, reading, work)?, (scale, scale))
        } else {
            let mut source = decode::open(bytes, facts, reading)?;
            let from = source.size();
            let scale = largest_scale(facts);
            let side = |length: u32| ((f64::from(length) * scale).round() as u32).max(1);
            let size = Size::new(side(from.width), side(from.height));
            let whole = Rect::whole(from);
            (crate::resampled(source.as_mut(), whole, size, facts.alpha, work)?, ratio(size, from))
        };
        Ok(Self { raster, scale, gamut })
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
        // A recipe decides the height of an odd raster, which is not always `half`'s.
        let (x, y) = ratio(raster.size(), self.raster.size());
        Ok(Self { raster, scale: (self.scale.0 * x, self.scale.1 * y), gamut: self.gamut })
    }

    /// True if a plan can be drawn from the reduction that was halved `level` times: it has enough
    /// of the output's pixels over the crop.
    pub fn would_serve(facts: &Facts, plan: &Plan, level: u32) -> bool {
        let scale = largest_scale(facts) / f64::from(1u32 << level.min(16));
        let enough = if decode::is_calm(facts) { ENOUGH } else { ENOUGH_OF_HARD };
        plan.crop.width * plan.crop.height * scale * scale >= enough * plan.drawn.pixels() as f64
    }

    /// As kept on disk: sizes, gamut and channels in a short header, then the pixels.
    pub fn to_bytes(&self) -> Vec<u8> {
        let Size { width, height } = self.raster.size();
        let mut bytes = MAGIC.to_vec();
        bytes.extend([width, height].into_iter().flat_map(u32::to_be_bytes));
        bytes.extend([self.scale.0, self.scale.1].into_iter().flat_map(f64::to_be_bytes));
        bytes.push(u8::from(self.gamut == Gamut::DisplayP3));
        bytes.push(self.raster.channels() as u8);
        bytes.extend(self.raster.bytes());
        bytes
    }

    /// What [`to_bytes`](Self::to_bytes) wrote; `None` if it is not that.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let rest = bytes.strip_prefix(MAGIC)?;
        let (width, rest) = rest.split_first_chunk()?;
        let (height, rest) = rest.split_first_chunk()?;
        let (x, rest) = rest.split_first_chunk()?;
        let (y, rest) = rest.split_first_chunk()?;
        let ([wide, channels], pixels) = rest.split_first_chunk()?;
        let size = Size::new(u32::from_be_bytes(*width), u32::from_be_bytes(*height));
        let raster = Raster::new(size, *channels == 4, pixels.to_vec())?;
        let gamut = if *wide == 1 { Gamut::DisplayP3 } else { Gamut::Srgb };
        Some(Self { raster, scale: (f64::from_be_bytes(*x), f64::from_be_bytes(*y)), gamut })
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
        decode::lent(&self.raster, self.scale)
    }
}

/// The first bytes of a stored reduction; raised when the format or the pixels change.
const MAGIC: &[u8] = b"KRED3";

/// Each side of one size as a share of the other's.
fn ratio(one: Size, other: Size) -> (f64, f64) {
    (f64::from(one.width) / f64::from(other.width), f64::from(one.height) / f64::from(other.height))
}

/// The largest reduction's sides as a share of the original's.
fn largest_scale(facts: &Facts) -> f64 {
    match largest_eighths(facts) {
        8 => (LARGEST / longer(facts)).min(1.0),
        eighths => f64::from(eighths) / 8.0,
    }
}

/// At how many eighths of its size an original is decoded for the largest reduction.
fn largest_eighths(facts: &Facts) -> u8 {
    if facts.format != Format::Jpeg {
        return 8;
    }
    let holding = ((LARGEST / longer(facts) * 8.0).ceil() as u8).clamp(1, 8);
    holding.max(decode::fewest_eighths(facts))
}

fn longer(facts: &Facts) -> f64 {
    f64::from(facts.size.width.max(facts.size.height))
}
