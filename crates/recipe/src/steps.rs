//! The fixed list of widths, and which of them an original can serve.

use crate::{Facts, Recipe, Size, plan_for, stays_vector};

/// The widths Kivet offers, in pixels, rising: ten to each doubling, at most 9% apart, and twenty from
/// 320 on, so that the ladder of a place finds one close to whatever its screens need, and another
/// for denser ones. `ladder` chooses the few that a place offers.
pub const STEPS: [u32; 103] = [
    40, 43, 46, 50, 53, 57, 60, 65, 70, 75, 80, 86, 92, 100, 106, 114, 120, 130, 140, 150, 160,
    172, 184, 200, 212, 228, 240, 260, 280, 300, 320, 328, 344, 352, 368, 384, 400, 408, 424, 440,
    456, 464, 480, 496, 520, 536, 560, 576, 600, 616, 640, 664, 688, 712, 736, 768, 800, 824, 848,
    880, 912, 936, 960, 1000, 1040, 1080, 1120, 1160, 1200, 1240, 1280, 1328, 1376, 1424, 1472,
    1536, 1600, 1648, 1696, 1760, 1824, 1872, 1920, 2000, 2080, 2160, 2240, 2320, 2400, 2480, 2560,
    2656, 2752, 2848, 2944, 3072, 3200, 3296, 3392, 3520, 3648, 3744, 3840,
];

/// The least step of at least `pixels`, else the largest.
pub fn step_for(pixels: f64) -> u32 {
    STEPS.into_iter().find(|step| f64::from(*step) >= pixels).unwrap_or(STEPS[STEPS.len() - 1])
}

/// One candidate of a `srcset`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LadderStep {
    /// The recipe with its width set to a step.
    pub recipe: Recipe,
    /// The pixels that really come out: what the `w` descriptor must say.
    pub size: Size,
}

/// What `recipe` gives of an original with `facts` at each step, smallest first: every step up to
/// the first that the original cannot fill, which then gives the original's own width.
pub fn every_step(recipe: &Recipe, facts: &Facts) -> Vec<LadderStep> {
    if stays_vector(recipe, facts) {
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
    use crate::Format;

    fn last_widths(recipe: &str, natural: Size) -> [u32; 2] {
        let facts = Facts::plain(Format::Jpeg, natural, crate::Storage::Lossy);
        let steps = every_step(&recipe.parse().expect(recipe), &facts);
        let widths: Vec<u32> = steps.iter().map(|step| step.size.width).collect();
        assert!(widths.windows(2).all(|pair| pair[0] < pair[1]), "{widths:?}");
        *widths.last_chunk().expect("two steps")
    }

    #[test]
    fn descriptors_are_true_and_never_above_the_original() {
        assert_eq!(last_widths("fidelity-70", Size::new(700, 500)), [688, 700]);
        assert_eq!(last_widths("ratio-1-1", Size::new(1000, 500)), [496, 500]);
        assert_eq!(last_widths("fidelity-70", Size::new(90, 50)), [86, 90]);
        assert_eq!(last_widths("fidelity-70", Size::new(640, 50)), [616, 640]);
        assert_eq!(last_widths("fidelity-70", Size::new(9000, 50)), [3744, 3840]);
    }

    #[test]
    fn one_vector_serves_every_size_unless_pixels_are_needed() {
        let facts = Facts::plain(Format::Svg, Size::new(300, 100), crate::Storage::Lossless);
        let steps = |recipe: &str| every_step(&recipe.parse().expect(recipe), &facts).len();
        assert_eq!((steps("original"), steps("ratio-1-1")), (1, 1));
        assert!(steps("blur-4") > 1 && steps("as-png") > 1);
    }

    #[test]
    fn steps_are_close() {
        assert!(STEPS.windows(2).all(|pair| {
            let ratio = f64::from(pair[1]) / f64::from(pair[0]);
            ratio > 1.015 && ratio < 1.09
        }));
        assert_eq!((step_for(641.0), step_for(640.0), step_for(1e6)), (664, 640, 3840));
    }
}
