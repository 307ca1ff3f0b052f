//! What `Vary` says: a matter of recipe, facts and policy, never of the request.

use crate::{Facts, Format, Policy, Quality, Recipe, stays_vector};

/// Which request headers an answer can depend on.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Varies {
    /// `Accept`.
    pub accept: bool,
    /// `Sec-CH-Width`, `Sec-CH-DPR` and `Sec-CH-Viewport-Width`.
    pub hints: bool,
    /// `Save-Data`.
    pub save_data: bool,
}

impl Varies {
    /// Of an address of which only the recipe is known.
    pub fn by_recipe(recipe: &Recipe, policy: &Policy) -> Self {
        let picture = !recipe.original;
        Self {
            accept: picture && recipe.format.is_none(),
            hints: picture && recipe.leaves_width_open(),
            save_data: picture && (may_lose_points(recipe, policy) || recipe.density.is_some()),
        }
    }
}

/// What the answer to `recipe` of an original with `facts` can depend on.
pub fn varies(recipe: &Recipe, facts: &Facts, policy: &Policy) -> Varies {
    if stays_vector(recipe, facts) {
        return Varies::default();
    }
    Varies::by_recipe(recipe, policy)
}

fn may_lose_points(recipe: &Recipe, policy: &Policy) -> bool {
    let lossless_format = matches!(recipe.format, Some(Format::Png | Format::Gif));
    policy.save_data_step > 0 && recipe.quality != Some(Quality::Lossless) && !lossless_format
}
