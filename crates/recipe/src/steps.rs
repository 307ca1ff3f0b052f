//! The fixed list of widths, and which of them an original can serve.

use crate::{Facts, Format, Recipe, Size, plan_for};

/// The widths Kivet offers, in pixels, rising. About a quarter apart, so that rounding up to one
/// never costs much.
pub const STEPS: [u32; 13] =
    [160, 240, 320, 480, 640, 800, 960, 1280, 1600, 1920, 2560, 3200, 3840];

/// One candidate of a `srcset`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LadderStep {
    /// The recipe with its width set to a step.
    pub recipe: Recipe,
    /// The pixels that really come out: what the `w` descriptor must say.
    pub size: Size,
}

/// The candidates of `recipe` for an original with `facts`, smallest first: every step up to the
/// first that the original cannot fill, which then gives the original's own width.
pub fn ladder(recipe: &Recipe, facts: &Facts) -> Vec<LadderStep> {
    if facts.format == Format::Svg && recipe.format.is_none() {
        // One vector serves every size.
        return vec![LadderStep { recipe: recipe.clone(), size: plan_for(recipe, facts).size }];
    }
    let mut steps = Vec::new();
    for width in STEPS {
        let recipe = recipe.at_width(width);
        let plan = plan_for(&recipe, facts);
        steps.push(LadderStep { recipe, size: plan.size });
        if plan.size.width < width {
            break;
        }
    }
    steps.dedup_by(|a, b| a.size.width == b.size.width);
    steps
}

#[cfg(test)]
mod tests {
    use super::*;

    fn widths(recipe: &str, natural: Size) -> Vec<u32> {
        ladder(
            &recipe.parse().expect(recipe),
            &Facts::plain(Format::Jpeg, natural, crate::Storage::Lossy),
        )
        .iter()
        .map(|step| step.size.width)
        .collect()
    }

    #[test]
    fn descriptors_are_true_and_never_above_the_original() {
        assert_eq!(widths("fidelity-70", Size::new(700, 500)), [160, 240, 320, 480, 640, 700]);
        assert_eq!(widths("ratio-1-1", Size::new(1000, 500)), [160, 240, 320, 480, 500]);
        assert_eq!(widths("fidelity-70", Size::new(90, 50)), [90]);
        assert_eq!(widths("fidelity-70", Size::new(640, 50)), [160, 240, 320, 480, 640]);
        assert_eq!(widths("fidelity-70", Size::new(9000, 50)).last(), Some(&3840));
    }
}
