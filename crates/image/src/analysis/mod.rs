//! What an analysis of a picture's pixels tells: where attention lies, its colour, a miniature, its
//! borders.

mod kind;
mod plain_areas;
mod soft;
mod subject;
mod trim_box;

use kivet_recipe::{Analysis, Facts, Recipe, Size, Subject, plan};

pub use kind::kind;
pub use trim_box::find_trim_box;

use crate::{Fonts, ImageError, Limits, Raster, draw_plan};

/// The longer side of the picture looked at.
const LOOKED_AT: u32 = 192;

/// Analyses a picture.
///
/// # Errors
/// If it cannot be decoded, or not within the limits.
pub fn analyse(bytes: &[u8], facts: &Facts, limits: Limits) -> Result<Analysis, ImageError> {
    let raster =
        draw_plan(bytes, facts, &plan_within(LOOKED_AT, facts), None, &Fonts::default(), limits)?;
    Ok(analyse_small(&raster))
}

/// Analyses a picture through a smaller version of it, which is not turned upright yet.
pub(crate) fn analyse_stored(stored: &Raster, facts: &Facts) -> Result<Analysis, ImageError> {
    let scaled = Facts {
        size: facts.orientation.apply(stored.size()),
        ..Facts::plain(facts.format, stored.size(), facts.storage)
    };
    let plan = plan_within(LOOKED_AT, &scaled);
    // The plan is for the upright picture; the pixels are stored ones, turned after they are drawn.
    let small = crate::redraw_turned(stored, &plan, facts.orientation)?;
    Ok(analyse_small(&small))
}

/// What a small, upright picture shows. `look` for pixels that are at hand already.
pub fn analyse_small(small: &Raster) -> Analysis {
    Analysis {
        subject: subject::find(small),
        dominant: dominant(small),
        soft: soft::address(small),
    }
}

/// The whole upright picture within a square of `side`.
fn plan_within(side: u32, facts: &Facts) -> kivet_recipe::Plan {
    let Size { width, height } = facts.size;
    let recipe = if width >= height {
        Recipe::of_width(side.min(width))
    } else {
        Recipe::of_height(side.min(height))
    };
    kivet_recipe::Plan { turned: facts.orientation, ..plan(&recipe, facts.size) }
}

/// The mean of the colours in the fullest of coarse bins; transparent pixels do not count.
fn dominant(small: &Raster) -> [u8; 3] {
    let mut bins = vec![([0u32; 3], 0u32); 1 << 12];
    for pixel in small
        .bytes()
        .chunks_exact(small.channels())
        .filter(|pixel| pixel.get(3).is_none_or(|alpha| *alpha > 127))
    {
        let bin = usize::from(pixel[0] >> 4) << 8
            | usize::from(pixel[1] >> 4) << 4
            | usize::from(pixel[2] >> 4);
        let (sums, count) = &mut bins[bin];
        sums.iter_mut().zip(pixel).for_each(|(sum, value)| *sum += u32::from(*value));
        *count += 1;
    }
    bins.into_iter()
        .max_by_key(|(_, count)| *count)
        .map_or([0; 3], |(sums, count)| sums.map(|sum| (sum / count.max(1)) as u8))
}

/// A grid that says nothing: attention lies in the middle.
fn no_subject() -> Subject {
    const MIDDLE: [u8; 9] = [0, 0, 0, 0, 1, 0, 0, 0, 0];
    Subject::new(3, MIDDLE.to_vec())
        .unwrap_or_else(|| unreachable!("nine weights are three rows of three"))
}

#[cfg(test)]
mod tests;
