//! Changes to a recipe, checked as text is.

use super::{Clauses, Recipe, parse};
use crate::RecipeError;

impl TryFrom<Clauses> for Recipe {
    type Error = RecipeError;

    /// # Errors
    /// If the clauses contradict each other, or one lacks a partner.
    fn try_from(clauses: Clauses) -> Result<Self, RecipeError> {
        parse::check(&clauses).map_err(|error| error.within(&clauses.to_string()))?;
        Ok(Self { clauses })
    }
}

impl Recipe {
    /// This recipe with its clauses changed.
    ///
    /// # Errors
    /// If the changed clauses contradict each other, or one lacks a partner.
    pub fn with(&self, change: impl FnOnce(&mut Clauses)) -> Result<Self, RecipeError> {
        let mut clauses = self.clauses.clone();
        change(&mut clauses);
        Self::try_from(clauses)
    }

    /// The recipe with its `@place` replaced by `geometry`, the place's own clauses. What the
    /// recipe says itself goes first.
    ///
    /// # Errors
    /// If the two do not go together.
    pub fn in_place(&self, geometry: &Self) -> Result<Self, RecipeError> {
        let theirs: &Clauses = geometry;
        self.with(|own| {
            own.place = None;
            if own.width.is_none() || own.height.is_none() {
                own.ratio = own.ratio.or(theirs.ratio);
            }
            own.fit = own.fit.or(theirs.fit);
            own.position = own.position.or(theirs.position);
            own.quality = own.quality.or(theirs.quality);
            own.canvas = own.canvas.or(theirs.canvas);
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Format;

    fn recipe(text: &str) -> Recipe {
        text.parse().expect(text)
    }

    #[test]
    fn another_width_keeps_the_shape_and_can_always_be_parsed() {
        for (before, after) in [
            ("200w_100h_cover", "640w_ratio-2-1_cover"),
            ("200w_100h_contain_at-left_on-clear", "640w_ratio-2-1_contain_at-left_on-clear"),
            ("16383w_16382h_fill", "640w_ratio-9999-9998_fill"),
            ("300h_2x", "640w"),
            ("ratio-3-2_at-top_as-webp", "640w_ratio-3-2_at-top_as-webp"),
        ] {
            let changed = recipe(before).at_width(640);
            assert_eq!(changed.to_string(), after);
            assert_eq!(recipe(after), changed);
        }
    }

    #[test]
    fn a_change_is_checked_as_text_is() {
        let refused = |text: &str, change: fn(&mut Clauses)| {
            recipe(text).with(change).expect_err(text).to_string()
        };
        let said = refused("640w_ratio-3-2", |clauses| clauses.height = Some(9));
        assert!(
            said.contains("`640w_9h_ratio-3-2`") && said.contains("drop one of the three"),
            "{said}"
        );
        refused("lossless", |clauses| clauses.format = Some(Format::Jpeg));
        refused("original", |clauses| clauses.overlays.push("mark".to_owned()));
        refused("640w", |clauses| clauses.width = Some(0));
        refused("640w", |clauses| clauses.overlays = vec!["Mark".to_owned()]);
        refused("overlay-mark", |clauses| clauses.overlays.push("mark".to_owned()));
        refused("blur-6", |clauses| clauses.filters.push(clauses.filters[0]));
        let marked = recipe("640w")
            .with(|clauses| clauses.overlays.push("mark".to_owned()))
            .expect("a recipe");
        assert_eq!(marked.to_string(), "640w_overlay-mark");
    }

    #[test]
    fn a_place_stands_for_its_geometry_and_what_the_recipe_says_goes_first() {
        let card = recipe("ratio-3-2_cover_at-top_fidelity-60");
        for (written, placed) in [
            ("640w_@card", "640w_ratio-3-2_cover_at-top_fidelity-60"),
            ("@card_640w_at-left", "640w_ratio-3-2_cover_at-left_fidelity-60"),
            ("@card_fidelity-90_ratio-1-1", "ratio-1-1_cover_at-top_fidelity-90"),
            ("200w_100h_@card", "200w_100h_cover_at-top_fidelity-60"),
        ] {
            let recipe: Recipe = written.parse().expect(written);
            assert_eq!(recipe.in_place(&card).expect(written).to_string(), placed);
        }
        let plain = Recipe::default();
        let alone: Recipe = "640w_@card_at-left".parse().expect("it may bring a shape");
        let refused = alone.in_place(&plain).expect_err("nothing to place").to_string();
        assert!(refused.contains("`at-left` has nothing to place"), "{refused}");
    }
}
