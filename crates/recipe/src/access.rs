//! Which recipes are answered: any, or only those a list and the steps allow, so that requests
//! cannot fill the cache.

use crate::{Clauses, Density, Recipe, RecipeError, STEPS, nearest};

/// Which recipes are answered.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Access {
    /// Any.
    #[default]
    Open,
    /// Widths from the steps, and only the shapes, filters and targets of these recipes; formats
    /// are free. A listed recipe with a size of its own allows that size alone.
    Listed(Vec<Recipe>),
}

impl Access {
    /// Refuses a recipe that is not answered.
    ///
    /// # Errors
    /// Names what is at fault and the nearest recipe that is answered.
    pub fn admit(&self, recipe: &Recipe) -> Result<(), RecipeError> {
        let Self::Listed(listed) = self else { return Ok(()) };
        if recipe.original || listed.contains(&recipe.in_any_format()) {
            return Ok(());
        }
        let shape = shape_of(recipe);
        let known =
            shape == Clauses::default() || listed.iter().any(|listed| shape_of(listed) == shape);
        let on_step = recipe.width.is_none_or(|width| STEPS.contains(&width));
        if known && on_step && recipe.height.is_none() && recipe.density.is_none() {
            return Ok(());
        }
        let way_out = nearest_listed(recipe, &shape, listed);
        let (clause, problem) = if known {
            (size_of(recipe).to_string(), "is not a size offered here: widths come from the steps")
        } else {
            (shape.to_string(), "is not among the shapes, filters and targets listed here")
        };
        Err(RecipeError {
            recipe: recipe.to_string(),
            clause,
            problem: problem.to_owned(),
            nearest: Some(way_out.to_string()),
        })
    }
}

/// All but size and format.
fn shape_of(recipe: &Recipe) -> Clauses {
    Clauses { width: None, height: None, density: None, format: None, ..Clauses::clone(recipe) }
}

fn size_of(recipe: &Recipe) -> Clauses {
    Clauses {
        width: recipe.width,
        height: recipe.height,
        density: recipe.density,
        ..Clauses::default()
    }
}

/// The listed recipe whose shape reads most like it, in its format, on the step that holds its
/// width.
fn nearest_listed(recipe: &Recipe, shape: &Clauses, listed: &[Recipe]) -> Recipe {
    let open: Vec<&Recipe> =
        listed.iter().filter(|listed| listed.width.is_none() && listed.height.is_none()).collect();
    let shapes: Vec<String> = open.iter().map(|listed| shape_of(listed).to_string()).collect();
    let text = shape.to_string();
    let alike = nearest(&text, shapes.iter().map(String::as_str));
    let base = open
        .iter()
        .zip(&shapes)
        .find(|(_, known)| **known == text || Some(known.as_str()) == alike);
    let across = f64::from(recipe.width.or(recipe.height).unwrap_or(STEPS[4]));
    let across = across * recipe.density.map_or(1.0, Density::factor);
    let step =
        STEPS.into_iter().find(|step| f64::from(*step) >= across).unwrap_or(STEPS[STEPS.len() - 1]);
    let bare =
        base.map_or_else(Recipe::default, |(listed, _)| Recipe::clone(listed)).at_width(step);
    bare.with(|clauses| clauses.format = recipe.format).unwrap_or(bare)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(text: &str) -> Recipe {
        text.parse().expect(text)
    }

    #[test]
    fn a_list_admits_its_shapes_on_the_steps_and_names_the_nearest_otherwise() {
        let listed = ["ratio-3-2", "ratio-1-1_fidelity-50", "64w_64h"].map(read).to_vec();
        let access = Access::Listed(listed);
        for good in [
            "640w",
            "640w_as-webp",
            "ratio-3-2_320w",
            "ratio-3-2",
            "320w_ratio-1-1_fidelity-50",
            "64w_64h_as-png",
            "original",
        ] {
            assert_eq!(access.admit(&read(good)), Ok(()), "{good}");
        }
        for (bad, nearest) in [
            ("650w", "800w"),
            ("640w_2x", "1280w"),
            ("360h", "480w"),
            ("9000w_as-webp", "3840w_as-webp"),
            ("320w_ratio-4-2", "320w_ratio-3-2"),
            ("65w_64h", "160w"),
            ("640w_blur-3", "640w"),
            ("321w_ratio-3-2", "480w_ratio-3-2"),
        ] {
            let error = access.admit(&read(bad)).expect_err(bad);
            assert_eq!(error.nearest.as_deref(), Some(nearest), "{bad}: {error}");
            assert_eq!(access.admit(&read(nearest)), Ok(()), "the way out of {bad} works");
        }
        assert_eq!(Access::Open.admit(&read("650w_blur-3")), Ok(()));
    }
}
