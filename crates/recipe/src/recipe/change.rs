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
}
