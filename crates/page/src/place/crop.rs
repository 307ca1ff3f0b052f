//! The crop of a layout: one shape for every original, or the ratio nearest each original's own.

use kivet_recipe::{Facts, Recipe};

/// The crop of a layout, as recipes without size, fidelity and format.
///
/// A browser that covers a box with a picture cropped to a ratio between the picture's own and the
/// box's, at the same position, shows the same part as with the whole picture: both crops cut along
/// the same axis, and their offsets add up. [`Between`](Self::Between) relies on it.
#[derive(Clone, Debug, PartialEq)]
pub enum Crop {
    /// The same shape for every original; the original's own without a ratio.
    One(Recipe),
    /// Boxes have ratios from the first recipe's to the second's.
    Between(Box<[Recipe; 2]>),
}

impl Crop {
    /// The crop for boxes between the ratios of two recipes; `None` if either has no ratio, or the
    /// first is not the narrower.
    pub(super) fn between(narrowest: Recipe, widest: Recipe) -> Option<Self> {
        let rises = narrowest.ratio?.value() < widest.ratio?.value();
        let covers = narrowest.fit.is_none_or(|fit| fit == kivet_recipe::Fit::Cover);
        (rises && covers).then(|| Self::Between(Box::new([narrowest, widest])))
    }

    /// The geometry for an original: of a range, the ratio nearest its own.
    pub fn of(&self, facts: &Facts) -> Recipe {
        match self {
            Self::One(geometry) => geometry.clone(),
            Self::Between(range) => {
                let own = f64::from(facts.size.width) / f64::from(facts.size.height);
                let value = |recipe: &Recipe| recipe.ratio.map_or(own, |ratio| ratio.value());
                let [narrowest, widest] = range.as_ref();
                match () {
                    () if own < value(narrowest) => narrowest.clone(),
                    () if own > value(widest) => widest.clone(),
                    () => Recipe::default(),
                }
            }
        }
    }

    /// The geometry for the widest boxes.
    pub const fn widest(&self) -> &Recipe {
        match self {
            Self::One(geometry) => geometry,
            Self::Between(range) => &range[1],
        }
    }

    /// Every geometry that some original may get.
    pub fn geometries(&self) -> Vec<Recipe> {
        match self {
            Self::One(geometry) => vec![geometry.clone()],
            Self::Between(range) => range.iter().cloned().chain([Recipe::default()]).collect(),
        }
    }
}

#[cfg(test)]
mod tests {
    use kivet_recipe::{Format, Size, Storage};

    use super::*;
    use crate::PlaceDocument;

    #[test]
    fn an_original_is_cropped_to_the_ratio_nearest_its_own() {
        let document = PlaceDocument {
            ratio: Some("3/4 to 16/9".to_owned()),
            position: Some("center".to_owned()),
            ..PlaceDocument::of_sizes("100vw")
        };
        let name = "hero".parse().expect("a name");
        let place = document.checked(&name).expect("a place");
        for ((width, height), expected) in [
            ((4000, 1000), "ratio-16-9_at-center"),
            ((1600, 900), ""),
            ((1500, 1000), ""),
            ((900, 1200), ""),
            ((500, 1000), "ratio-3-4_at-center"),
        ] {
            let facts = Facts::plain(Format::Jpeg, Size::new(width, height), Storage::Lossy);
            let geometry = place.layout.crop.of(&facts);
            let text =
                if geometry == Recipe::default() { String::new() } else { geometry.to_string() };
            assert_eq!(text, expected, "{width} x {height}");
        }
        let backwards = PlaceDocument { ratio: Some("16/9 to 3/4".to_owned()), ..document };
        let problem = backwards.checked(&name).expect_err("a range that falls").to_string();
        assert!(problem.contains("from the narrower ratio to the wider"), "{problem}");
    }
}
