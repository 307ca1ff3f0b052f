//! Which recipes are answered: any, or only those a list and the steps allow, so that requests cannot fill the cache.

use crate::{Density, Recipe, RecipeError, STEPS, nearest};

/// Which recipes are answered.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Access {
    /// Any.
    #[default]
    Open,
    /// Widths from the steps, and only the shapes, filters and targets of these recipes; formats are free. A listed
    /// recipe with a size of its own allows that size alone.
    Listed(Vec<Recipe>),
}

impl Access {
    /// Refuses a recipe that is not answered.
    ///
    /// # Errors
    /// Names what is at fault and the nearest recipe that is answered.
    pub fn admit(&self, recipe: &Recipe) -> Result<(), RecipeError> {
        let Self::Listed(listed) = self else { return Ok(()) };
        let formatless = Recipe { format: None, ..recipe.clone() };
        if recipe.original || listed.contains(&formatless) {
            return Ok(());
        }
        let shape = shape_of(&formatless);
        let known = shape == Recipe::default() || listed.contains(&shape);
        let on_step = recipe.width.is_none_or(|width| STEPS.contains(&width));
        if known && on_step && recipe.height.is_none() && recipe.density.is_none() {
            return Ok(());
        }
        let way_out = nearest_listed(recipe, &shape, listed);
        let text = recipe.to_string();
        let (clause, problem) = if known {
            (size_of(recipe), "is not a size offered here: widths come from the steps")
        } else {
            (shape.to_string(), "is not among the shapes, filters and targets listed here")
        };
        Err(RecipeError { recipe: text, clause, problem: problem.to_owned(), nearest: Some(way_out.to_string()) })
    }
}

/// The recipe without size and format.
fn shape_of(recipe: &Recipe) -> Recipe {
    Recipe { width: None, height: None, density: None, format: None, ..recipe.clone() }
}

fn size_of(recipe: &Recipe) -> String {
    let Recipe { width, height, density, .. } = recipe.clone();
    Recipe { width, height, density, ..Recipe::default() }.to_string()
}

/// The listed shape that reads most like it, on the step that holds its width.
fn nearest_listed(recipe: &Recipe, shape: &Recipe, listed: &[Recipe]) -> Recipe {
    let shapes: Vec<String> = listed.iter().map(shape_of).map(|shape| shape.to_string()).collect();
    let text = shape.to_string();
    let alike = nearest(&text, shapes.iter().map(String::as_str));
    let base = listed.iter().map(shape_of).find(|known| known == shape || Some(known.to_string().as_str()) == alike);
    let across = f64::from(recipe.width.or(recipe.height).unwrap_or(STEPS[4]));
    let across = across * recipe.density.map_or(1.0, Density::factor);
    let step = STEPS.into_iter().find(|step| f64::from(*step) >= across).unwrap_or(STEPS[STEPS.len() - 1]);
    Recipe { width: Some(step), format: recipe.format, ..base.unwrap_or_default() }
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
