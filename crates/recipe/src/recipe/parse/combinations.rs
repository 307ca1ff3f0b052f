//! Rules about clauses that only make sense together.

use super::super::{Clauses, Fit, Quality};
use crate::{Format, RecipeError};

/// Refuses clauses that contradict each other or lack a partner; `read` holds them as written, in
/// order.
pub(super) fn check_combinations(recipe: &Clauses, read: &[&str]) -> Result<(), RecipeError> {
    let written = |wanted: &dyn Fn(&str) -> bool| {
        read.iter().copied().find(|clause| wanted(clause)).unwrap_or("")
    };
    if recipe.original && read.len() > 1 {
        let other = written(&|clause| clause != "original");
        return Err(RecipeError::new(
            other,
            "cannot stand beside `original`, which sends the file as it is",
        )
        .nearest("original"));
    }
    // What a place brings is known once it is looked up, and checked again then.
    if recipe.place.is_some() {
        return Ok(());
    }
    let has_side = recipe.width.is_some() || recipe.height.is_some();
    if recipe.ratio.is_some() && recipe.width.is_some() && recipe.height.is_some() {
        let clause = written(&|clause| clause.starts_with("ratio-"));
        return Err(RecipeError::new(
            clause,
            "has nothing left to complete beside a width and a height; drop one of the three",
        ));
    }
    if let Some(fit) = recipe.fit
        && !recipe.has_shape()
    {
        return Err(RecipeError::new(fit.name(), "needs a box: two sides, or a ratio")
            .nearest(format!("{}_ratio-3-2", fit.name())));
    }
    if let Some(density) = recipe.density
        && !has_side
        && !recipe.filters.iter().any(|filter| filter.effect.is_length())
    {
        return Err(RecipeError::new(&density.to_string(), "has no width or height to multiply")
            .nearest(format!("640w_{density}")));
    }
    let placed = recipe.effective_fit() == Some(Fit::Cover)
        || (recipe.fit == Some(Fit::Contain) && recipe.canvas.is_some());
    if recipe.position.is_some() && !placed {
        let clause = written(&|clause| clause.starts_with("at-"));
        let problem =
            "has nothing to place: only `cover`, and `contain` on a canvas, leave anything over";
        return Err(RecipeError::new(clause, problem).nearest(format!("{clause}_ratio-3-2")));
    }
    if recipe.quality == Some(Quality::Lossless)
        && let Some(format @ (Format::Jpeg | Format::Avif | Format::Gif)) = recipe.format
    {
        let problem = format!(
            "cannot be written as {format} here: WebP, PNG and JPEG XL are the lossless formats"
        );
        return Err(RecipeError::new("lossless", problem).nearest("lossless_as-webp"));
    }
    Ok(())
}
