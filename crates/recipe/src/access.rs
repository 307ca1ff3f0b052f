//! Which recipes are answered: any, or only those a list, the places and the steps allow, so that
//! requests cannot fill the cache.

use std::ops::RangeInclusive;

use crate::{Clauses, Density, Fidelity, Quality, Recipe, RecipeError, STEPS, nearest, step_for};

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

/// The recipes that the markup of a place names: its geometry, at the targets of its ladders.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlaceRecipes {
    /// Its geometry; a fidelity in it is the target at density 1.
    pub geometry: Recipe,
    /// The targets its ladders may write.
    pub targets: RangeInclusive<Fidelity>,
}

impl PlaceRecipes {
    fn admits(&self, shape: &Clauses) -> bool {
        let target = match shape.quality {
            Some(Quality::Fidelity(target)) => self.targets.contains(&target),
            quality => quality == self.geometry.quality || quality.is_none(),
        };
        let without = |clauses: &Clauses| Clauses { quality: None, ..clauses.clone() };
        target && without(shape) == without(&shape_of(&self.geometry))
    }
}

impl Access {
    /// Refuses a recipe that is not answered; a place in it must be replaced by its geometry.
    ///
    /// # Errors
    /// Names what is at fault and the nearest recipe that is answered.
    pub fn admit(&self, recipe: &Recipe, places: &[PlaceRecipes]) -> Result<(), RecipeError> {
        let Self::Listed(listed) = self else { return Ok(()) };
        if recipe.original || listed.contains(&recipe.in_any_format()) {
            return Ok(());
        }
        let shape = shape_of(recipe);
        let known = shape == Clauses::default()
            || listed.iter().any(|listed| shape_of(listed) == shape)
            || places.iter().any(|place| place.admits(&shape));
        let on_step = recipe.width.is_none_or(|width| STEPS.contains(&width));
        if known && on_step && recipe.height.is_none() && recipe.density.is_none() {
            return Ok(());
        }
        let way_out = nearest_listed(recipe, &shape, listed, places);
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
fn nearest_listed(
    recipe: &Recipe,
    shape: &Clauses,
    listed: &[Recipe],
    places: &[PlaceRecipes],
) -> Recipe {
    let open: Vec<&Recipe> = listed
        .iter()
        .filter(|listed| listed.width.is_none() && listed.height.is_none())
        .chain(places.iter().map(|place| &place.geometry))
        .collect();
    let shapes: Vec<String> = open.iter().map(|listed| shape_of(listed).to_string()).collect();
    let text = shape.to_string();
    let alike = nearest(&text, shapes.iter().map(String::as_str));
    let base = open
        .iter()
        .zip(&shapes)
        .find(|(_, known)| **known == text || Some(known.as_str()) == alike);
    let across = f64::from(recipe.width.or(recipe.height).unwrap_or(640));
    let across = across * recipe.density.map_or(1.0, Density::factor);
    let step = step_for(across);
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
            assert_eq!(access.admit(&read(good), &[]), Ok(()), "{good}");
        }
        for (bad, nearest) in [
            ("650w", "664w"),
            ("640w_2x", "1280w"),
            ("360h", "368w"),
            ("9000w_as-webp", "3840w_as-webp"),
            ("320w_ratio-4-2", "320w_ratio-3-2"),
            ("66w_64h", "70w"),
            ("640w_blur-3", "640w"),
            ("321w_ratio-3-2", "328w_ratio-3-2"),
        ] {
            let error = access.admit(&read(bad), &[]).expect_err(bad);
            assert_eq!(error.nearest.as_deref(), Some(nearest), "{bad}: {error}");
            assert_eq!(access.admit(&read(nearest), &[]), Ok(()), "the way out of {bad} works");
        }
        assert_eq!(Access::Open.admit(&read("650w_blur-3"), &[]), Ok(()));
    }

    #[test]
    fn places_are_admitted_at_the_targets_of_their_ladders() {
        let fidelity = |value| Fidelity::new(value).expect("a target");
        let card = PlaceRecipes {
            geometry: read("ratio-4-3_at-top_fidelity-80"),
            targets: fidelity(64)..=fidelity(80),
        };
        let (access, places) = (Access::Listed(Vec::new()), [card]);
        for good in ["640w_ratio-4-3_at-top", "640w_ratio-4-3_at-top_fidelity-71_as-avif", "320w"] {
            assert_eq!(access.admit(&read(good), &places), Ok(()), "{good}");
        }
        for bad in ["640w_ratio-4-3_at-top_fidelity-63", "640w_ratio-4-3", "640w_fidelity-71"] {
            let error = access.admit(&read(bad), &places).expect_err(bad);
            let nearest = read(&error.nearest.expect("a way out"));
            assert_eq!(access.admit(&nearest, &places), Ok(()), "the way out of {bad} works");
        }
    }
}
