//! The soft placeholder: a miniature small enough to stand in the page itself.

use base64::{Engine, engine::general_purpose::STANDARD};
use kivet_recipe::{Encoding, Format, Recipe, Size, plan};

use crate::{Raster, encode, redraw};

/// Characters the whole address may have.
const MAX: usize = 399;

/// Longer sides tried, the finest first.
const SIDES: [u32; 5] = [32, 24, 16, 12, 8];

/// The miniature as a `data:` address; `None` for pictures with transparency, which would shine
/// through.
pub(super) fn address(small: &Raster) -> Option<String> {
    if small.has_alpha() && small.bytes().chunks_exact(4).any(|pixel| pixel[3] < 250) {
        return None;
    }
    let opaque = small.clone().with_alpha(false);
    SIDES.into_iter().find_map(|side| {
        let Size { width, height } = opaque.size();
        let scale = (f64::from(side) / f64::from(width.max(height))).min(1.0);
        let recipe = Recipe::of_width((f64::from(width) * scale).round() as u32);
        let tiny = redraw(&opaque, &plan(&recipe, opaque.size())).ok()?;
        let bytes = encode(&tiny, Format::Webp, Encoding::lossy(20.0)).ok()?;
        let address = format!("data:image/webp;base64,{}", STANDARD.encode(bytes));
        (address.len() <= MAX).then_some(address)
    })
}
